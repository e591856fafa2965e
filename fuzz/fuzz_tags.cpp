// A table of tags from bytes, held against a plan with every kind of step: nothing gets out of its
// memory, every finding has its place, and a drafted table is one that can be read.
#include "checks/check.h"
#include "files/plan_loader.h"
#include "files/points_export.h"
#include "files/tag_reader.h"
#include "input.h"
#include "model/point_list.h"

using namespace greymet;

namespace {

constexpr const char* plan = R"([controller.kiln]
scan = "10ms"
address = "10.20.0.10/24"
word_order = "ABCD"
tags = "t.csv"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 1000, serves = "hr:0" }
"%MX" = { kind = "bit", first = 0, count = 64 }
[controller.loadout]
scan = "8ms"
address = "10.20.0.12/24"
answers = [ { port = 502 } ]
tags = "t.csv"
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 500, serves = "hr:0" }
[line.north]
master = "kiln"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.gauge]
line = "north"
unit = 12
map = "gauge.csv"
map_covers = "all"
word_order = "CDAB"
[exchange]
transactions = [
  { name = "in", slave = "gauge", fc = 3, at = 0, count = 6, into = "%MW100", every = "1s", swap = "ABCD", status = { failed = "%MX3" } },
  { name = "out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW20", every = "1s", only_if = "%MX4" },
  { name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW1", count = 8, from = "%MW200", every = "100ms" },
]
copies = [ { controller = "kiln", from = "%MW100", to = "%MW200", count = 4 } ]
)";
constexpr const char* map =
    "point,area,address,type,bit\nmoisture,hr,0,f32,\ntemp,hr,2,f32,\nalarm,hr,4,bool,3\n"
    "code,hr,5,u16,\nlow,hr,10,u16,\nhigh,hr,11,u16,\n";

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto loaded = files::load_plan(
      "plan.toml",
      files::memory_files(
          {{"plan.toml", plan}, {"gauge.csv", map}, {"t.csv", fuzz::text_of(data, size)}}));
  for (const model::ResolvedTag& tag : loaded.plan.tags) {
    if (!tag.memory) continue;
    const auto& area = loaded.plan.plan.controllers[tag.controller].memory[tag.memory->bits.store];
    const std::uint64_t unit = area.kind == model::MemoryKind::word ? model::bits_per_word : 1;
    fuzz::require(tag.memory->bits.first < tag.memory->bits.end);
    fuzz::require(tag.memory->bits.end <= static_cast<std::uint64_t>(area.count) * unit);
  }
  for (const model::Finding& f :
       checks::check(loaded.plan, loaded.findings,
                     *checks::parse_rule_selection("P,V01,V02,V03,V04,V05,V06,V07"))) {
    fuzz::require(f.place.file < loaded.plan.plan.files.size());
    fuzz::require(!f.message.empty() && !f.remedy.empty());
  }
  const model::PointList list = model::point_list(loaded.plan);
  for (std::size_t c = 0; c < 2; ++c) {
    const auto drafted = draft_tags(loaded.plan, list, model::ControllerIndex(c));
    model::Findings findings;
    const auto read = files::read_tags(files::tags_csv(drafted), "d.csv", 0, {}, findings);
    fuzz::require(findings.empty() && read.tags.size() == drafted.size());
  }
  return 0;
}
