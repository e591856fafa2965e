// Served values of maps that say nothing of access: what the plan reads moves, what it writes
// stays, and what anybody writes stays from then on.
#include "engine/field.h"

#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::seconds;

namespace {

constexpr const char* access_plan = R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[slave.drive]
host = "10.20.0.31"
map = "drive.csv"
[exchange]
transactions = [
  { name = "in", slave = "drive", fc = 3, at = "speed", count = 1, into = "%MW0", every = "1s" },
  { name = "set", slave = "drive", fc = 6, at = "setpoint", from = "%MW10", every = "1s" },
]
)";

bool moves(const model::ResolvedPlan& plan, std::size_t point, bool written_first = false) {
  FieldSlave slave(plan, 0, false);
  if (written_first) slave.set_word(plan.plan.maps[0].points()[point].address.offset.value, 7);
  const auto first = slave.value({}, point);
  for (int s = 1; s < 600; ++s) {
    if (slave.value(seconds(s), point) != first) return true;
  }
  return false;
}

}  // namespace

TEST_CASE("of a map without a word on access, what the plan does not write moves until it is") {
  const auto silent = test::load(
      access_plan, {{"drive.csv", "point,area,address,type\nspeed,hr,0,u16\nsetpoint,hr,5,u16\n"}});
  CHECK(moves(silent.plan, 0));
  CHECK_FALSE(moves(silent.plan, 0, true));
  CHECK_FALSE(moves(silent.plan, 1));
  // where one point says what it is, the others are taken at their word
  const auto stated =
      test::load(access_plan, {{"drive.csv",
                                "point,area,address,type,access\nspeed,hr,0,u16,rw\n"
                                "setpoint,hr,5,u16,rw\nstate,hr,6,u16,r\n"}});
  CHECK_FALSE(moves(stated.plan, 0));
  CHECK_FALSE(moves(stated.plan, 1));
  CHECK(moves(stated.plan, 2));
}
