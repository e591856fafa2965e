// Any text as a plan that is cured, with all offers: it ends, and no error comes of it that was not
// there.

#include "checks/check.h"
#include "files/cures.h"
#include "input.h"
#include "model/resolved_plan.h"

using namespace greymet;

namespace {

std::size_t errors_in(const files::LoadedPlan& loaded) {
  return checks::tally_of(checks::check(loaded.plan, loaded.findings)).errors;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  constexpr std::size_t longest = 3000;  // each cure is a check
  if (size > longest) return 0;
  const std::string plan = fuzz::text_of(data, size);
  std::map<std::string, std::string> texts{
      {"plan.toml", plan},
      {"m.csv", "point,area,address,type,Scale\na,hr,0,REAL,\"0,1\"\nb,4x,2,u16,1\n"}};
  const auto before = files::load_plan("plan.toml", files::memory_files(texts));
  const auto cures = files::carry_out_cures("plan.toml", files::memory_files(texts), {}, true);
  fuzz::require(cures.passes <= 10);
  for (const files::ChangedFile& file : cures.files) {
    fuzz::require(texts.at(file.name) == file.before);
    texts[file.name] = file.after;
  }
  const auto after = files::load_plan("plan.toml", files::memory_files(texts));
  fuzz::require(errors_in(after) <= errors_in(before));
  // the diff is made of any two texts
  for (const files::ChangedFile& file : cures.files) {
    fuzz::require(!files::unified_diff(file.name, *file.before, file.after).empty());
  }
  return 0;
}
