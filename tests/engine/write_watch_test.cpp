// What masters change, told in points: against a reader that keeps a copy of all registers.
#include "engine/write_watch.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "hex_bytes.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::milliseconds;
using std::chrono::seconds;

namespace {

constexpr const char* watched_map =
    "point,area,address,type,access\na,hr,0,u16,rw\nb,hr,1,u32,rw\nc,hr,3,u16,rw\nd,hr,6,i16,rw\n";

files::LoadedPlan watched_plan() {
  return test::load(
      test::with_rows(
          {R"({ name = "out", slave = "gauge", fc = 16, at = 0, count = 4, from = "%MW0", every = "1s" })"}),
      {{"gauge.csv", watched_map}});
}

modbus::Bytes write_request(std::uint32_t at, const std::vector<std::uint16_t>& words) {
  modbus::Request request;
  request.function = model::FunctionCode::write_multiple_registers;
  request.offset = static_cast<std::uint16_t>(at);
  request.quantity = static_cast<std::uint16_t>(words.size());
  request.registers = words;
  return *modbus::encode_request(request);
}

}  // namespace

TEST_CASE("every change of a point by a master is told once, with what was there before") {
  const auto loaded = watched_plan();
  const auto gauge = model::Target{false, 0, 0};
  const auto order = loaded.plan.order_of(0, loaded.plan.map_of(gauge)->points()[1])
                         .value_or(model::WordOrder::abcd);
  rc::prop("writes", [&] {
    std::vector<ControllerMemory> memories;
    for (const auto& layout : loaded.plan.layouts) memories.emplace_back(layout);
    Field field(loaded.plan, memories, true);
    field.note_writes();
    WriteWatch watch(loaded.plan);
    std::array<std::uint16_t, 8> copy{};
    std::vector<std::string> expected;
    std::vector<std::string> told;
    std::set<unsigned> written;
    const auto values = [&] {
      const std::vector<std::uint16_t> two{copy[1], copy[2]};
      const auto b = modbus::decode_value(two, {model::TypeKind::u32, 0}, order);
      return std::vector<std::pair<std::string, std::string>>{
          {"gauge.a", fmt::format("{}", copy[0])},
          {"gauge.b", fmt::format("{}", std::get<std::uint64_t>(*b))},
          {"gauge.c", fmt::format("{}", copy[3])},
          {"gauge.d", fmt::format("{}", static_cast<std::int16_t>(copy[6]))}};
    };
    const int count = *rc::gen::inRange(1, 12);
    for (int i = 0; i < count; ++i) {
      const auto at = *rc::gen::inRange<std::uint32_t>(0, 4);
      const auto words = *rc::gen::container<std::vector<std::uint16_t>>(
          *rc::gen::inRange<std::size_t>(1, 5), rc::gen::element<std::uint16_t>(0, 1, 2, 40000));
      const auto before = values();
      const std::array<std::uint16_t, 8> old = copy;
      if (at + words.size() > 7) continue;
      for (std::size_t w = 0; w < words.size(); ++w) {
        copy[at + w] = words[w];
        written.insert(static_cast<unsigned>(at + w));
      }
      std::vector<std::string> changes;
      for (const unsigned spare : {4U, 5U}) {  // no point is there
        if (old[spare] != copy[spare]) {
          changes.push_back(fmt::format("gauge.hr:{} {} {}", spare, old[spare], copy[spare]));
        }
      }
      const auto after = values();
      for (std::size_t p = 0; p < after.size(); ++p) {
        if (before[p].second == after[p].second) continue;
        changes.push_back(
            fmt::format("{} {} {}", after[p].first, before[p].second, after[p].second));
      }
      std::sort(changes.begin(), changes.end());
      for (std::string& each : changes) expected.push_back(fmt::format("{}: {}", i, each));
      const auto reply = field.answer(milliseconds(i), gauge, write_request(at, words));
      RC_ASSERT(reply.has_value());
      if (*rc::gen::arbitrary<bool>() && i + 1 < count) continue;
      for (const WrittenChange& change : watch.take(field)) {
        told.push_back(fmt::format("{}: {} {} {}",
                                   std::chrono::duration_cast<milliseconds>(change.at).count(),
                                   change.where, change.before, change.after));
      }
    }
    for (const WrittenChange& change : watch.take(field)) {
      told.push_back(fmt::format("{}: {} {} {}",
                                 std::chrono::duration_cast<milliseconds>(change.at).count(),
                                 change.where, change.before, change.after));
    }
    std::sort(told.begin(), told.end());
    std::sort(expected.begin(), expected.end());
    RC_ASSERT(told == expected);
    RC_ASSERT(watch.was_written(0, 1) == (written.contains(1) && written.contains(2)));
    RC_ASSERT(watch.was_written(0, 0) == written.contains(0));
  });
}

TEST_CASE("who is not served is silent, and is told of no broadcast") {
  const auto loaded = watched_plan();
  std::vector<ControllerMemory> memories;
  for (const auto& layout : loaded.plan.layouts) memories.emplace_back(layout);
  Field field(loaded.plan, memories, true);
  const auto gauge = model::Target{false, 0, 0};
  const auto unit = static_cast<std::uint8_t>(loaded.plan.exchange.slaves[0].unit->value);
  const auto line = *loaded.plan.exchange.slaves[0].line;
  CHECK(field.on_line(line, unit) == gauge);
  field.serve_only({{false, 1, 0}});
  CHECK_FALSE(field.on_line(line, unit));
  CHECK_FALSE(field.answer({}, gauge, write_request(0, {7})));
  CHECK(field.slave(0).word(model::Area::holding_register, 0) == 0);
}
