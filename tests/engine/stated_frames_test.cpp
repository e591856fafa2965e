// Frames with values in them, and constants of the plan: whatever order the slave and the
// controller keep their words in, the slave has the value.
#include "engine/stated_frames.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "engine/point_values.h"
#include "engine/put_value.h"
#include "engine/world.h"
#include "files/wire_tables.h"
#include "plans.h"
#include "timing/report.h"

using namespace greymet;
using namespace greymet::engine;

namespace {

std::string framed_plan(const std::string& slave_order, const std::string& own_order, bool swap,
                        const std::string& value) {
  return fmt::format(R"([controller.kiln]
scan = "10ms"
word_order = "{}"
[controller.kiln.memory]
"%MW" = {{ kind = "word", first = 0, count = 100 }}
"%MX" = {{ kind = "bit", first = 0, count = 100 }}
[slave.fan]
host = "10.20.0.31"
word_order = "{}"
map = "fan.csv"
[exchange]
transactions = [
  {{ name = "out", slave = "fan", fc = 16, at = 0, count = 6, from = "%MW10", every = "1s"{}{} }},
  {{ name = "in", slave = "fan", fc = 3, at = 0, count = 6, into = "%MW20", every = "1s" }},
  {{ name = "go", slave = "fan", fc = 15, at = 3, count = 2, from = "%MX5", every = "1s" }},
]
)",
                     own_order, slave_order,
                     swap ? fmt::format(R"(, swap = "{}")", slave_order) : "", value);
}
constexpr const char* framed_map =
    "point,area,address,type,bit,factor,min,max\nlevel,hr,0,i16,,0.1,-100,100\n"
    "flow,hr,1,f32,,,,\ntotal,hr,3,u32,,,,\nready,hr,5,bool,2,,,\nother,hr,5,bool,9,,,\n"
    "left,co,3,bool,,,,\nright,co,4,bool,,,,\n";

const std::array<const char*, 4> orders{"ABCD", "CDAB", "BADC", "DCBA"};

std::vector<StatedValue> stated_lines(const model::ResolvedPlan& plan,
                                      const std::vector<std::string>& lines) {
  std::vector<StatedValue> out;
  for (const std::string& line : lines) {
    const auto rows = files::read_value_line(line, 1, plan);
    RC_ASSERT(rows.has_value());
    out.insert(out.end(), rows->begin(), rows->end());
  }
  return out;
}

std::string text_of(const model::ResolvedPlan& plan, Field& field, const char* name) {
  const auto* map = plan.map_of(model::Target{false, 0, 0});
  const auto index = static_cast<std::size_t>(map->find(name) - map->points().data());
  return found_value(*field.slave(0).value({}, index), map->points()[index]).text;
}

}  // namespace

TEST_CASE("a slave that gets a frame with values has them, in whatever order it keeps its words") {
  rc::prop("values", [] {
    const bool swap = *rc::gen::arbitrary<bool>();
    const std::string theirs = *rc::gen::elementOf(orders);
    const std::string own = swap ? std::string(*rc::gen::elementOf(orders)) : theirs;
    const auto loaded = test::load(framed_plan(theirs, own, swap, ""), {{"fan.csv", framed_map}});
    const model::ResolvedPlan& plan = loaded.plan;
    const std::string level = fmt::format("{}", *rc::gen::inRange(-100, 100));
    const std::string flow = fmt::format("{}.5", *rc::gen::inRange(0, 30000));
    const std::string total = fmt::format("{}", *rc::gen::arbitrary<std::uint32_t>());
    const std::string ready = *rc::gen::element("0", "1");
    const std::string right = *rc::gen::element("0", "1");
    const auto frames =
        stated_frames(plan, *plan.exchange.find(0),
                      stated_lines(plan, {"fan.level," + level, "fan.flow," + flow,
                                          "fan.total," + total, "fan.ready," + ready}));
    RC_ASSERT(frames.has_value());
    std::vector<ControllerMemory> memories;
    for (const auto& layout : plan.layouts) memories.emplace_back(layout);
    Field field(plan, memories, true);
    const auto send = [&](const modbus::Bytes& request) {
      const auto frame = modbus::decode_frame(request, modbus::Framing::tcp);
      RC_ASSERT(frame.has_value());
      const auto reply = field.answer({}, {false, 0, 0}, frame->pdu);
      RC_ASSERT(reply.has_value());
      return *modbus::encode_frame({frame->unit, frame->transaction, *reply}, modbus::Framing::tcp);
    };
    RC_ASSERT(send(frames->request) == frames->reply);
    RC_ASSERT(text_of(plan, field, "level") == level);
    RC_ASSERT(text_of(plan, field, "flow") == flow);
    RC_ASSERT(text_of(plan, field, "total") == total);
    RC_ASSERT((text_of(plan, field, "ready") == "true") == (ready == "1"));
    RC_ASSERT(text_of(plan, field, "other") == "false");
    // and what it answers to a read is the frame that is shown for these values
    const auto read =
        stated_frames(plan, *plan.exchange.find(1),
                      stated_lines(plan, {"fan.level," + level, "fan.flow," + flow,
                                          "fan.total," + total, "fan.ready," + ready}));
    RC_ASSERT(read.has_value());
    RC_ASSERT(send(read->request) == read->reply);
    const auto bits =
        stated_frames(plan, *plan.exchange.find(2), stated_lines(plan, {"fan.right," + right}));
    RC_ASSERT(bits.has_value());
    (void)send(bits->request);
    RC_ASSERT((text_of(plan, field, "right") == "true") == (right == "1"));
    RC_ASSERT(text_of(plan, field, "left") == "false");
  });
}

TEST_CASE("a frame takes no value that its transaction does not carry") {
  const auto loaded = test::load(framed_plan("ABCD", "ABCD", false, ""), {{"fan.csv", framed_map}});
  const auto said = [&](std::size_t transaction, const std::string& line) {
    const auto rows = files::read_value_line(line, 1, loaded.plan);
    REQUIRE(rows);
    const auto frames = stated_frames(loaded.plan, *loaded.plan.exchange.find(transaction), *rows);
    return frames ? std::string("-") : frames.error();
  };
  CHECK(said(0, "fan.left,1") == "out does not carry fan.left");
  CHECK(said(1, "kiln.%MW20,1") == "in sends nothing of kiln.%MW20");
  CHECK(said(0, "kiln.%MW15,1") == "-");
}

TEST_CASE("constants of the plan reach the slave with everything else that is sent") {
  rc::prop("constants", [] {
    const bool swap = *rc::gen::arbitrary<bool>();
    const std::string theirs = *rc::gen::elementOf(orders);
    const std::string own = swap ? std::string(*rc::gen::elementOf(orders)) : theirs;
    const auto loaded = test::load(
        framed_plan(theirs, own, swap, R"(, value = { flow = 12.5, total = 70000, ready = true })"),
        {{"fan.csv", framed_map}});
    RC_ASSERT(loaded.plan.exchange.transactions.size() == 3U);
    const auto report = timing::analyse_longest(loaded.plan);
    WorldOptions options;
    options.still = true;
    options.master.only_known_values = true;
    options.master.allow_writes = true;
    World world(loaded.plan, report.model, options);
    // what is no constant has to be stated: level, and the other bit
    ControllerMemory& memory = world.memory(0);
    for (const char* line : {"fan.level,-3", "kiln.%MW15,4"}) {
      const auto rows = files::read_value_line(line, 1, loaded.plan);
      std::vector<ControllerMemory*> all{&memory};
      put_stated(loaded.plan, rows->front(), {}, all);
    }
    world.run_until(std::chrono::seconds(3), [](const RequestRecord&) {});
    RC_ASSERT(text_of(loaded.plan, world.field(), "flow") == "12.5");
    RC_ASSERT(text_of(loaded.plan, world.field(), "total") == "70000");
    RC_ASSERT(text_of(loaded.plan, world.field(), "ready") == "true");
    RC_ASSERT(text_of(loaded.plan, world.field(), "level") == "-3");
    // and the frame at the desk has them too
    const auto frames = modbus::planned_frames(*loaded.plan.exchange.find(0));
    RC_ASSERT(frames.has_value());
    const auto frame = modbus::decode_frame(frames->request, modbus::Framing::tcp);
    (void)world.field().answer({}, {false, 0, 0}, frame->pdu);
    RC_ASSERT(text_of(loaded.plan, world.field(), "flow") == "12.5");
    RC_ASSERT(text_of(loaded.plan, world.field(), "total") == "70000");
    RC_ASSERT(text_of(loaded.plan, world.field(), "level") == "0");
  });
}
