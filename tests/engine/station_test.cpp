// Whoever answers at one host, told by hand: who may connect, how many, for how long.
#include "engine/station.h"

#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::seconds;

namespace {

constexpr const char* station_plan = R"([controller.kiln]
scan = "10ms"
address = "10.20.0.10/24"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[controller.loadout]
scan = "10ms"
address = "10.20.0.12/24"
answers = [ { port = 502, connections = 2, allows = ["10.20.0.10"] } ]
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 100, serves = "hr:0" }
[slave.air]
host = "10.20.0.31"
idle = "30s"
[exchange]
transactions = [
  { name = "peer", controller = "kiln", slave = "loadout", fc = 3, at = "%MW0", count = 2, into = "%MW0", every = "1s" },
  { name = "air", controller = "kiln", slave = "air", fc = 3, at = 0, count = 2, into = "%MW10", every = "1s" },
]
)";

}  // namespace

TEST_CASE("a controller takes the masters it allows, and no more than it has connections for") {
  const auto loaded = test::load(station_plan);
  std::vector<ControllerMemory> memories;
  for (const model::MemoryLayout& layout : loaded.plan.layouts) memories.emplace_back(layout);
  Field field(loaded.plan, memories, true);
  const FaultScript faults;
  HostStation station(loaded.plan, "10.20.0.12", 502, field, faults, {});
  CHECK_FALSE(station.accept({}, 1, "10.20.0.99"));
  CHECK(station.accept({}, 2, "10.20.0.10"));
  CHECK(station.accept({}, 3, "127.0.0.1"));  // this computer may be anybody
  CHECK_FALSE(station.accept({}, 4, "10.20.0.10"));
  station.closed(2);
  CHECK(station.accept({}, 5, "10.20.0.10"));
  // who may be there is answered out of the controller's memory
  memories[1].put_registers(memories[1].sequence(*loaded.plan.layouts[1].range(0, 1, 1)), {0x1234});
  station.receive(
      {}, 5,
      *modbus::encode_frame({255, 7, *modbus::from_hex("03 00 00 00 02")}, modbus::Framing::tcp));
  std::vector<StationAction> actions;
  station.act(seconds(1), actions);
  REQUIRE(actions.size() == 1);
  CHECK(actions[0].session == 5);
  CHECK(modbus::to_hex(actions[0].bytes) == "00 07 00 00 00 07 FF 03 04 00 00 12 34");
}

TEST_CASE("an idle connection is closed after its time, one in use is not") {
  const auto loaded = test::load(station_plan);
  std::vector<ControllerMemory> memories;
  for (const model::MemoryLayout& layout : loaded.plan.layouts) memories.emplace_back(layout);
  Field field(loaded.plan, memories, true);
  const FaultScript faults;
  HostStation station(loaded.plan, "10.20.0.31", 502, field, faults, {});
  REQUIRE(station.accept({}, 1));
  REQUIRE(station.accept({}, 2));
  station.receive(seconds(20), 2, *modbus::from_hex("00 01"));
  CHECK(station.next_wake() == seconds(30));
  std::vector<StationAction> actions;
  station.act(seconds(29), actions);
  CHECK(actions.empty());
  station.act(seconds(30), actions);
  REQUIRE(actions.size() == 1);
  CHECK(actions[0].kind == StationAction::Kind::close);
  CHECK(actions[0].session == 1);
}

TEST_CASE("random delays never let an answer leave before it was asked for") {
  const auto loaded = test::load(station_plan);
  std::vector<ControllerMemory> memories;
  for (const model::MemoryLayout& layout : loaded.plan.layouts) memories.emplace_back(layout);
  Field field(loaded.plan, memories, true);
  const FaultScript faults;
  StationOptions options;
  options.durations = timing::Durations::random;
  HostStation station(loaded.plan, "10.20.0.31", 502, field, faults, options);
  REQUIRE(station.accept({}, 1));
  Duration now{};
  for (int i = 0; i < 1000; ++i) {
    now += std::chrono::milliseconds(100);
    station.receive(now, 1, *modbus::from_hex("00 01 00 00 00 06 FF 03 00 00 00 01"));
    CHECK(station.next_wake() >= now);
    // the longest of the plan's defaults: 50 ms of the slave, 5 ms of the network
    CHECK(station.next_wake() <= now + std::chrono::milliseconds(55));
    std::vector<StationAction> actions;
    station.act(now + std::chrono::milliseconds(60), actions);
    CHECK(actions.size() == 1);
  }
}

TEST_CASE("an answer on TCP leaves after the slave's time and both ways through the network") {
  const auto loaded = test::load(station_plan);
  std::vector<ControllerMemory> memories;
  for (const model::MemoryLayout& layout : loaded.plan.layouts) memories.emplace_back(layout);
  Field field(loaded.plan, memories, true);
  const FaultScript faults;
  for (const auto& [durations, ms] : {std::pair{timing::Durations::typical, 10 + 1},
                                      std::pair{timing::Durations::longest, 50 + 5}}) {
    StationOptions options;
    options.durations = durations;
    HostStation station(loaded.plan, "10.20.0.31", 502, field, faults, options);
    REQUIRE(station.accept({}, 1));
    station.receive(seconds(1), 1, *modbus::from_hex("00 01 00 00 00 06 FF 03 00 00 00 01"));
    // the plan's defaults: reply 10 ms, 50 ms at most; round trip 1 ms, 5 ms at most
    CHECK(station.next_wake() == seconds(1) + std::chrono::milliseconds(ms));
  }
}
