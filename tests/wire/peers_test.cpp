// Our slaves against a master that is not ours, our master against a slave that is not ours: both
// were written from the standard for these tests (support/plain_modbus.h).
#include <csignal>
#include <filesystem>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "process.h"

using namespace greymet;
using Json = nlohmann::json;
using test::Octets;
using test::PlainMaster;
using test::PlainSlave;

namespace {

// Timeouts beyond what a busy machine stands still for.
constexpr const char* served_plan = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 1000 }
"%MX" = { kind = "bit", first = 0, count = 100 }
[line.north]
master = "kiln"
mode = "MODE"
baud = 57600
format = "8E1"
timeout = "2s"
[slave.gauge]
line = "north"
unit = 12
reply = { typical = "2ms", max = "5ms" }
[slave.air]
host = "10.20.0.31"
connections = 2
timeout = "2s"
reply = { typical = "1ms", max = "5ms" }
[exchange]
transactions = [
  { name = "gauge-in", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW100", every = "60ms" },
  { name = "gauge-set", slave = "gauge", fc = 16, at = 20, count = 2, from = "%MW200", every = "60ms", phase = "20ms" },
  { name = "gauge-swap", slave = "gauge", fc = 23, read = { at = 30, count = 2, into = "%MW110" }, write = { at = 40, count = 1, from = "%MW210" }, every = "60ms", phase = "40ms" },
  { name = "air-in", controller = "kiln", slave = "air", fc = 3, at = 10, count = 4, into = "%MW120", every = "50ms" },
  { name = "air-bits", controller = "kiln", slave = "air", fc = 1, at = 3, count = 11, into = "%MX0", every = "50ms" },
  { name = "air-coils", controller = "kiln", slave = "air", fc = 15, at = 100, count = 11, from = "%MX20", every = "50ms" },
  { name = "air-set", controller = "kiln", slave = "air", fc = 6, at = 50, from = "%MW220", every = "50ms" },
  { name = "air-coil", controller = "kiln", slave = "air", fc = 5, at = 60, from = "%MX50", every = "50ms" },
]
)";

std::string plan_in(const std::string& mode) {
  std::string text = served_plan;
  text.replace(text.find("MODE"), 4, mode);
  return text;
}

void check_answers(PlainMaster& master, std::uint8_t unit, bool on_line) {
  // what is written is read back, by every function that can
  CHECK(master.ask(unit, {6, 0, 9, 0x12, 0x34}) == Octets{6, 0, 9, 0x12, 0x34});
  CHECK(master.ask(unit, {16, 0, 10, 0, 2, 4, 0xAA, 0xBB, 0xCC, 0xDD}) == Octets{16, 0, 10, 0, 2});
  CHECK(master.ask(unit, {3, 0, 9, 0, 3}) == Octets{3, 6, 0x12, 0x34, 0xAA, 0xBB, 0xCC, 0xDD});
  CHECK(master.ask(unit, {22, 0, 9, 0xFF, 0x00, 0x00, 0x56}) ==
        Octets{22, 0, 9, 0xFF, 0x00, 0x00, 0x56});
  CHECK(master.ask(unit, {23, 0, 9, 0, 1, 0, 12, 0, 1, 2, 0x77, 0x88}) ==
        Octets{23, 2, 0x12, 0x56});
  CHECK(master.ask(unit, {3, 0, 12, 0, 1}) == Octets{3, 2, 0x77, 0x88});
  CHECK(master.ask(unit, {5, 0, 3, 0xFF, 0}) == Octets{5, 0, 3, 0xFF, 0});
  CHECK(master.ask(unit, {15, 0, 4, 0, 9, 2, 0xAD, 1}) == Octets{15, 0, 4, 0, 9});
  CHECK(master.ask(unit, {1, 0, 3, 0, 10}) == Octets{1, 2, 0x5B, 3});
  CHECK(master.ask(unit, {2, 0, 0, 0, 8}) == Octets{2, 1, 0});
  CHECK(master.ask(unit, {4, 0, 0, 0, 1}) == Octets{4, 2, 0, 0});
  // refusals
  CHECK(master.ask(unit, {99}) == Octets{0xE3, 1});
  CHECK(master.ask(unit, {3, 0xFF, 0xFF, 0, 2}) == Octets{0x83, 2});
  CHECK(master.ask(unit, {3, 0, 0, 0, 126}) == Octets{0x83, 3});
  CHECK(master.ask(unit, {5, 0, 0, 1, 1}) == Octets{0x85, 3});
  if (on_line) CHECK(master.ask(unit, {8, 0, 0, 0xA5, 0x37}) == Octets{8, 0, 0, 0xA5, 0x37});
  const Octets identity = master.ask(unit, {43, 14, 1, 0});
  REQUIRE(identity.size() > 8);
  CHECK(identity[0] == 43);
  CHECK(identity[6] == 3);  // three objects
}

std::string cell(const std::string& csv, const std::string& first) {
  const std::size_t at = csv.find(first + ",");
  return at == std::string::npos ? "" : csv.substr(at, csv.find('\r', at) - at);
}

}  // namespace

TEST_CASE("our slaves answer a master that is not ours") {
  for (const std::string mode : {"rtu", "ascii"}) {
    const test::TemporaryFolder site;
    site.write("plan.toml", plan_in(mode));
    test::BackgroundProgram served(GREYMET_PROGRAM, {"serve", "plan.toml", "-o", "served"},
                                   site.path());
    REQUIRE(site.gets("served/endpoints.json"));
    const Json endpoints = Json::parse(site.read("served/endpoints.json"));
    auto line = PlainMaster::on_device(endpoints["lines"]["north"], mode == "ascii");
    check_answers(line, 12, true);
    CHECK(line.ask(13, {3, 0, 0, 0, 1}).empty());  // nobody
    const std::string address = endpoints["tcp"]["10.20.0.31:502"];
    CHECK(address.starts_with("127.0.0.1:"));
    auto tcp = PlainMaster::on_tcp(address);
    check_answers(tcp, 255, false);
    // pieces, and several requests in one
    tcp.send_raw({0, 9, 0, 0, 0, 6, 255, 3, 0});
    auto second = PlainMaster::on_tcp(address);
    CHECK(second.ask(255, {3, 0, 9, 0, 1}) == Octets{3, 2, 0x12, 0x56});
    // a third connection is one too many
    auto third = PlainMaster::on_tcp(address);
    CHECK(third.ask(255, {3, 0, 9, 0, 1}).empty());
    CHECK_FALSE(third.is_open());
    // another protocol: closed
    second.send_raw({0, 1, 0, 7, 0, 6, 255, 3, 0, 0, 0, 1});
    CHECK_FALSE(second.is_open());
    served.signal(SIGTERM);
    CHECK(served.wait().status == 0);
  }
}

TEST_CASE("our master reads and writes a slave that is not ours") {
  const test::TemporaryFolder site;
  site.write("plan.toml", plan_in("rtu"));
  site.write(
      "values.csv",
      "where,value\nkiln.%MW200,4660\nkiln.%MW201,22136\nkiln.%MW210,99\nkiln.%MW220,7\n"
      "kiln.%MX50,1\nkiln.%MX20,1\nkiln.%MX21,0\nkiln.%MX22,1\nkiln.%MX23,1\nkiln.%MX24,0\n"
      "kiln.%MX25,0\nkiln.%MX26,0\nkiln.%MX27,1\nkiln.%MX28,0\nkiln.%MX29,0\nkiln.%MX30,1\n");
  site.write("expect.csv",
             "where,value,tolerance,within\nkiln.%MW100,1000,,15s\nkiln.%MW103,1003,,15s\n"
             "kiln.%MW110,300,,15s\nkiln.%MW123,13,,15s\nkiln.%MX0,1,,15s\nkiln.%MX10,1,,15s\n"
             "kiln.%MX5,0,,15s\n");
  PlainSlave gauge(true);
  PlainSlave air(false);
  for (unsigned i = 0; i < 4; ++i) {
    gauge.registers[10 + i] = static_cast<std::uint16_t>(1000 + i);
    air.registers[10 + i] = static_cast<std::uint16_t>(10 + i);
  }
  gauge.registers[30] = 300;
  air.coils[3] = air.coils[13] = true;
  site.write("endpoints.json",
             Json{{"lines", {{"north", gauge.where()}}}, {"tcp", {{"10.20.0.31:502", air.where()}}}}
                 .dump());
  const test::Outcome outcome = test::run_program(
      GREYMET_PROGRAM,
      {"run", "plan.toml", "--endpoints", "endpoints.json", "--unpaced", "--allow-writes",
       "--values", "values.csv", "--expect", "expect.csv", "--duration", "3s", "--json"},
      site.path());
  INFO(outcome.err);
  INFO(outcome.out);
  const Json json = Json::parse(outcome.out);
  for (const Json& e : json["expected"]) {
    INFO(e["where"]);
    CHECK(e["verdict"] == "met");
  }
  for (const Json& t : json["transactions"]) {
    INFO(t["name"]);
    CHECK(t["good"] >= 5);
    CHECK(t["bad"] == 0);
  }
  CHECK(gauge.registers[20] == 0x1234);
  CHECK(gauge.registers[21] == 0x5678);
  CHECK(gauge.registers[40] == 99);
  CHECK(air.registers[50] == 7);
  CHECK(air.coils[60]);
  const std::vector<bool> sent{true,  false, true,  true,  false, false,
                               false, true,  false, false, true};
  for (unsigned i = 0; i < sent.size(); ++i) CHECK(air.coils[100 + i] == sent[i]);
  CHECK_FALSE(air.coils[111]);
}

TEST_CASE("our master writes nothing unless told to, whoever answers") {
  const test::TemporaryFolder site;
  site.write("plan.toml", plan_in("rtu"));
  PlainSlave gauge(true);
  PlainSlave air(false);
  site.write("endpoints.json",
             Json{{"lines", {{"north", gauge.where()}}}, {"tcp", {{"10.20.0.31:502", air.where()}}}}
                 .dump());
  for (const bool allowed : {false, true}) {
    // allowed, but with no value stated
    std::vector<std::string> arguments{"run",       "plan.toml",  "--endpoints", "endpoints.json",
                                       "--unpaced", "--duration", "1s"};
    if (allowed) arguments.emplace_back("--allow-writes");
    (void)test::run_program(GREYMET_PROGRAM, arguments, site.path());
    CHECK(gauge.requests > 0);
    CHECK(air.requests > 0);
    CHECK(gauge.writes == 0);
    CHECK(air.writes == 0);
  }
}

TEST_CASE("our master survives what a slave that is not ours makes of replies") {
  const test::TemporaryFolder site;
  site.write("plan.toml", plan_in("rtu"));
  PlainSlave gauge(true);
  PlainSlave air(false);
  gauge.registers[10] = 1000;
  unsigned turn = 0;
  gauge.spoil([&turn](const Octets& request, const Octets& reply) -> std::vector<Octets> {
    Octets wrong = reply;
    switch (turn++ % 6) {
      case 0: return {request, reply};  // an echo first
      case 1: wrong[0] = 99; return {test::with_crc(Octets(wrong.begin(), wrong.end() - 2))};
      case 2: wrong.back() ^= 1; return {wrong};  // CRC
      case 3: return {Octets(reply.begin(), reply.begin() + 3)};
      case 4: return {};
      default: return {reply};
    }
  });
  unsigned other = 0;
  air.spoil([&other](const Octets&, const Octets& reply) -> std::vector<Octets> {
    Octets wrong = reply;
    switch (other++ % 5) {
      case 0: wrong[1] ^= 0x40; return {wrong, reply};  // of another request, then ours
      case 1: wrong[7] ^= 0x01; return {wrong};         // another function
      case 2:
        return {Octets(reply.begin(), reply.begin() + 5),
                Octets(reply.begin() + 5, reply.end())};  // in pieces
      case 3: wrong[2] = 1; return {wrong};               // another protocol
      default: return {reply};
    }
  });
  site.write("endpoints.json",
             Json{{"lines", {{"north", gauge.where()}}}, {"tcp", {{"10.20.0.31:502", air.where()}}}}
                 .dump());
  const test::Outcome outcome =
      test::run_program(GREYMET_PROGRAM,
                        {"run", "plan.toml", "--endpoints", "endpoints.json", "--unpaced",
                         "--duration", "6s", "--json", "-o", "out"},
                        site.path());
  INFO(outcome.err);
  const Json json = Json::parse(outcome.out);
  CHECK(outcome.status == 1);
  CHECK(json["accounted"] == true);
  CHECK(json["oddities"] > 10);
  for (const Json& t : json["transactions"]) {
    if (!t["left_out"].is_null()) continue;
    INFO(t["name"]);
    CHECK(t["good"] > 0);
    CHECK(t["bad"] > 0);
  }
  // what was taken is right
  const std::string log = site.read("out/log.csv");
  CHECK_FALSE(cell(log, "gauge-in").empty());
}
