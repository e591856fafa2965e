// Values that are played: what is due when, against a reader that looks at every row at every
// instant.
#include "engine/value_script.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "engine/agenda.h"
#include "engine/put_value.h"
#include "files/wire_tables.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::milliseconds;

namespace {

StatedValue stated(std::size_t word, double number, std::optional<Duration> from, bool moves) {
  StatedValue out;
  out.at.memory.emplace();
  out.at.memory->bits = {0, word * 16, word * 16 + 16};
  out.generator.emplace();
  out.generator->a = number;
  if (moves) {
    out.generator->kind = GeneratorKind::ramp;
    out.generator->b = number + 10;
    out.generator->period = milliseconds(100);
  }
  out.from = from;
  return out;
}

}  // namespace

TEST_CASE("a played value is there from its time on, until the next one of the same place") {
  rc::prop("script", [] {
    struct Added {
      StatedValue row;
      Duration at{};
    };
    std::vector<Added> added;
    ValueScript script;
    std::map<std::uint64_t, double> there;  // what a player has put, by place
    std::size_t begun = 0;
    for (int ms = 0; ms < 60; ++ms) {
      const Duration now = milliseconds(ms);
      const int count = *rc::gen::weightedElement<int>({{8, 0}, {2, 1}, {1, 3}});
      std::vector<StatedValue> rows;
      for (int i = 0; i < count; ++i) {
        const auto from = *rc::gen::maybe(rc::gen::map(
            rc::gen::inRange(0, 60), [](int at) { return Duration(milliseconds(at)); }));
        rows.push_back(stated(*rc::gen::inRange<std::size_t>(0, 3), *rc::gen::inRange(0, 1000),
                              from ? std::optional(*from) : std::nullopt,
                              *rc::gen::arbitrary<bool>()));
      }
      script.add(rows, now);
      for (const StatedValue& row : rows) {
        added.push_back({row, std::max(now, row.from.value_or(now))});
      }
      for (const DueValue& due : script.due(now)) {
        if (due.first) ++begun;
        there[due.value->at.memory->bits.first] = due.value->generator->value_at(now - due.since);
      }
      // of all rows of a place that have begun the latest one, of two at once the one added last
      std::map<std::uint64_t, const Added*> latest;
      std::size_t all_begun = 0;
      for (const Added& each : added) {
        if (each.at > now) continue;
        ++all_begun;
        const Added*& last = latest[each.row.at.memory->bits.first];
        if (last == nullptr || each.at >= last->at) last = &each;
      }
      RC_ASSERT(begun == all_begun);
      for (const auto& [place, last] : latest) {
        RC_ASSERT(there.at(place) == last->row.generator->value_at(now - last->at));
      }
      Duration next = never;
      for (const Added& each : added) {
        if (each.at > now) next = std::min(next, each.at);
      }
      RC_ASSERT(script.next() == next);
    }
  });
}

TEST_CASE("rows of values: times, the same place again, and lines that are typed") {
  const auto loaded = test::load(test::base_plan(), test::base_files());
  const auto rows =
      files::read_values("where,value,at\nkiln.%MW5,1,\nkiln.%MW5,2,1s\n", 0, loaded.plan);
  REQUIRE(rows);
  CHECK_FALSE((*rows)[0].from);
  CHECK((*rows)[1].from == std::chrono::seconds(1));
  const auto twice =
      files::read_values("where,value,at\nkiln.%MW5,1,1s\nkiln.%MW5,2,1000ms\n", 0, loaded.plan);
  REQUIRE_FALSE(twice);
  CHECK(twice.error()[0].message == "row 3: 'kiln.%MW5' stands in row 2 already");
  CHECK(files::read_value_line("  ", 4, loaded.plan)->empty());
  CHECK(files::read_value_line("where,value", 4, loaded.plan)->empty());
  CHECK(files::read_value_line("kiln.%MW5,7", 4, loaded.plan)->front().written == "7");
  const auto wrong = files::read_value_line("kiln.%MW5,x", 4, loaded.plan);
  REQUIRE_FALSE(wrong);
  CHECK(wrong.error()[0].place.line == 4);
  CHECK_FALSE(wrong.error()[0].message.starts_with("row"));
}

TEST_CASE("a stated number is put to the digit, and what moves is cut to what a word holds") {
  model::Point point;
  point.type.kind = model::TypeKind::u64;
  StatedValue value = stated(0, 1.8446744073709552e19, std::nullopt, false);
  value.written = "18446744073709551615";
  CHECK(raw_of(value, point, {}) == modbus::RawValue(std::uint64_t{18446744073709551615U}));
  const auto loaded = test::load(test::base_plan(), test::base_files());
  ControllerMemory memory(loaded.plan.layouts[0]);
  const auto put = [&](const std::string& text, Duration elapsed) {
    const auto rows = files::read_value_line(text, 1, loaded.plan);
    REQUIRE(rows);
    std::vector<ControllerMemory*> memories(loaded.plan.layouts.size(), &memory);
    put_stated(loaded.plan, rows->front(), elapsed, memories);
    return memory.registers(memory.sequence(*rows->front().at.memory), 1)[0];
  };
  CHECK(put("kiln.%MW5,-3", {}) == 65533);
  CHECK(put("kiln.%MW5,ramp 0 100000 1s", milliseconds(900)) == 65535);
  CHECK(put("kiln.%MW5,ramp 0 100 1s", milliseconds(505)) == 51);
}
