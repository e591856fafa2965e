// probe against slaves that were written for these tests: a device that counts from 1, swaps words,
// refuses, is silent, or hangs behind other settings than the plan says.
#include <algorithm>
#include <chrono>
#include <sstream>
#include <thread>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "process.h"

using namespace greymet;
using test::Octets;
using test::PlainSlave;
using ProbeJson = nlohmann::ordered_json;

namespace {

// As `new` makes it of a manual that says nothing of counting and orders.
constexpr const char* beginners_plan = R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 400 }
[line.bus]
master = "plc"
mode = "rtu"
baud = 57600
format = "8E1"
timeout = "300ms"
[slave.meter]                   # on the wall
line = "bus"
unit = 12
map = "meter.csv"
numbering = "from-0"
word_order = "ABCD"
assumed = ["numbering", "word_order"]  # take out what is confirmed
[slave.air]
host = "10.20.0.31"
timeout = "300ms"
map = "meter.csv"
[exchange]
transactions = [
  { name = "meter-in", slave = "meter", fc = 3, at = 10, count = 2, into = "%MW0", every = "1s", on_loss = "hold" },
]
)";
constexpr const char* beginners_map =
    "point,area,address,type,unit\nenergy,hr,10,f32,kWh\nstate,hr,20,u16,\n";

struct ProbeSite {
  ProbeSite() : meter(true), air(false) {
    // 123.456 one register lower than the manual seems to say, low word first
    meter.registers = {{9, 0xE979}, {10, 0x42F6}, {11, 0x0011}, {12, 0x2233}};
    air.registers = meter.registers;
    folder.write("plan.toml", beginners_plan);
    folder.write("meter.csv", beginners_map);
    folder.write("at.json", ProbeJson{{"lines", {{"bus", meter.where()}}},
                                      {"tcp", {{"10.20.0.31:502", air.where()}}}}
                                .dump());
  }
  [[nodiscard]] test::Outcome probe(std::vector<std::string> more) const {
    std::vector<std::string> all{"probe", "plan.toml", "--endpoints", "at.json", "--unpaced"};
    if (std::find(more.begin(), more.end(), "--share") == more.end()) {
      all.insert(all.end(), {"--share", "100%"});
    }
    all.insert(all.end(), more.begin(), more.end());
    return test::run_program(GREYMET_PROGRAM, all, folder.path());
  }
  test::TemporaryFolder folder;
  PlainSlave meter;
  PlainSlave air;
};

bool tells(const test::Outcome& outcome, const std::string& text) {
  return (outcome.out + outcome.err).find(text) != std::string::npos;
}

// Replies of exception `code` in place of those that `is_refused` picks; TCP.
PlainSlave::Spoil refusing(std::uint8_t code,
                           std::function<bool(unsigned first, unsigned count)> is_refused) {
  return [code, is_refused](const Octets& request, const Octets& reply) -> std::vector<Octets> {
    const unsigned first = request[8] * 256U + request[9];
    const unsigned count = request[10] * 256U + request[11];
    if (!is_refused(first, count)) return {reply};
    Octets refused(reply.begin(), reply.begin() + 7);
    refused[5] = 3;
    refused.push_back(static_cast<std::uint8_t>(request[7] | 0x80U));
    refused.push_back(code);
    return {refused};
  };
}

}  // namespace

TEST_CASE(
    "off by one and the order of words are settled in one call, and written where they belong") {
  const ProbeSite site;
  const auto told = site.probe({"meter", "--point", "energy", "--near", "123.46"});
  INFO(told.out << told.err);
  CHECK(site.meter.requests == 7);  // three places, and twice again the two that are near
  CHECK(tells(told, "hr:9..10 as f32 CDAB is 123.456\n"));
  CHECK(tells(told, "numbering = \"from-1\""));
  CHECK(tells(told, "word_order = \"CDAB\""));
  CHECK(told.status == 0);  // what was assumed is no contradiction
  CHECK(site.folder.read("plan.toml") == beginners_plan);
  const auto written = site.probe({"meter", "--point", "energy", "--near", "123.46", "--write"});
  INFO(written.out << written.err);
  const std::string plan = site.folder.read("plan.toml");
  CHECK(plan.find("word_order = \"CDAB\"\n") != std::string::npos);
  CHECK(plan.find("numbering = \"from-1\"\n") != std::string::npos);
  CHECK(plan.find("assumed = []  # take out what is confirmed\n") != std::string::npos);
  // all else is as it was, line by line
  std::vector<std::string> lost;
  std::istringstream before{std::string(beginners_plan)};
  for (std::string line; std::getline(before, line);) {
    if (plan.find(line + "\n") == std::string::npos) lost.push_back(line);
  }
  CHECK(lost == std::vector<std::string>{"numbering = \"from-0\"", "word_order = \"ABCD\"",
                                         "assumed = [\"numbering\", \"word_order\"]  # take out "
                                         "what is confirmed"});
  // and with it the value is there
  const auto hand = test::run_program(
      GREYMET_PROGRAM, {"hand", "plan.toml", "meter.energy", "--endpoints", "at.json", "--unpaced"},
      site.folder.path());
  CHECK(hand.out.find("meter.energy = 123.456 kWh\n") != std::string::npos);
  CHECK(site.meter.writes == 0);
}

TEST_CASE("probe tells holes, functions, the longest block and reply times of a device") {
  ProbeSite site;
  // it has 9..12 and 20, and takes 16 registers at a time
  site.air.spoil(refusing(2, [](unsigned first, unsigned count) {
    for (unsigned i = first; i < first + count; ++i) {
      if (!(i >= 9 && i <= 12) && i != 20) return true;
    }
    return false;
  }));
  const auto told = site.probe({"air", "--json"});
  INFO(told.out << told.err);
  const auto json = ProbeJson::parse(told.out);
  std::map<std::string, std::string> lines;
  for (const auto& row : json["lines"]) lines[row["key"]] = row["value"];
  CHECK(lines.at("holes") == "\"refuse\"");
  CHECK(lines.at("reply").find("{ typical = \"") == 0);
  CHECK(lines.count("max_read") == 0);  // nothing was refused for its quantity
  std::map<std::string, std::string> verdicts;
  for (const auto& row : json["answers"])
    verdicts[row["what"].get<std::string>() + " " + row["asked"].get<std::string>()] =
        row["verdict"];
  CHECK(verdicts.at("hole hr:12..19") == "refused");
  CHECK(verdicts.at("function 3 at hr:10..11") == "there");
  CHECK(json["answered"] == true);
  CHECK(json["requests"].get<int>() == static_cast<int>(site.air.requests));
  CHECK(site.air.writes == 0);
  CHECK(site.air.requests < 45);
}

TEST_CASE("a device that misbehaves gets fewer requests") {
  ProbeSite site;
  site.air.spoil([](const Octets&, const Octets&) -> std::vector<Octets> { return {}; });
  const auto silent = site.probe({"air", "--timeout", "100ms"});
  INFO(silent.out << silent.err);
  CHECK(silent.status == 1);
  CHECK(tells(silent, "air did not answer well 3 times in a row: it is not asked any more"));
  CHECK(site.air.requests == 3);
  // broken frames on a line
  site.meter.spoil([](const Octets&, const Octets& reply) -> std::vector<Octets> {
    Octets broken = reply;
    broken.back() ^= 0x55;
    return {broken};
  });
  CHECK(site.probe({"meter", "--timeout", "100ms"}).status == 1);
  CHECK(site.meter.requests == 3);
}

TEST_CASE("who answers on a line, and under which settings") {
  ProbeSite site;
  site.meter.spoil([](const Octets& request, const Octets& reply) -> std::vector<Octets> {
    if (request[0] == 12 || request[0] == 5) return {reply};
    return {};
  });
  const auto units = site.probe({"meter", "--units", "4..6", "--timeout", "60ms"});
  INFO(units.out << units.err);
  CHECK(tells(units, "there, and not in the plan"));
  CHECK(site.meter.requests == 3);
  CHECK(units.status == 1);
  const auto json = ProbeJson::parse(
      site.probe({"meter", "--units", "11..12", "--timeout", "60ms", "--json"}).out);
  CHECK(json["answers"][0]["verdict"] == "nobody");
  CHECK(json["answers"][1]["verdict"] == "there");
  CHECK(json["answers"][1]["slave"] == "meter");
  // a pseudo-terminal takes any speed: the first of the usual settings does
  const auto settings = site.probe({"meter", "--settings"});
  INFO(settings.out << settings.err);
  CHECK(tells(settings, "line bus: mode = \"rtu\", baud = 19200, format = \"8E1\""));
  CHECK(settings.status == 0);
  // and one that is silent is asked under each of the twelve, once
  const unsigned before = site.meter.requests;
  site.meter.spoil([](const Octets&, const Octets&) -> std::vector<Octets> { return {}; });
  const auto none = site.probe({"meter", "--settings", "--timeout", "50ms"});
  CHECK(none.status == 1);
  CHECK(tells(none, "answers under none of the usual settings"));
  // ASCII frames are none for this slave, which counts what it could read
  CHECK(site.meter.requests - before == 10);
}

TEST_CASE("a device without a plan is probed by its place") {
  ProbeSite site;
  const auto told = test::run_program(GREYMET_PROGRAM,
                                      {"probe", "--device", site.air.where(), "--unit", "1", "--at",
                                       "hr:10", "--type", "f32", "--near", "123.5"},
                                      site.folder.path());
  INFO(told.out << told.err);
  CHECK(tells(told, "hr:9..10 as f32 CDAB is 123.456\n"));
  CHECK(site.air.requests == 7);
  CHECK(site.air.writes == 0);
}

TEST_CASE("what probe is asked wrongly never goes out") {
  const ProbeSite site;
  const std::vector<std::pair<std::vector<std::string>, std::string>> refused{
      {{"metre"}, "did you mean 'meter'?"},
      {{"meter", "--near", "5"}, "--near is what the display shows of --point"},
      {{"meter", "--point", "energy", "--near", "much"}, "--near is 'much'"},
      {{"meter", "--point", "energie"}, "did you mean 'energy'?"},
      {{"meter", "--point", "energy", "--at", "hr:1"}, "name the same thing"},
      {{"meter", "--units", "0..5"}, "within 1..247"},
      {{"meter", "--units", "9..5"}, "write e.g. 1..20"},
      {{"meter", "--units", "many"}, "write e.g. 1..20"},
      {{"air", "--settings"}, "at a host"},
      {{"--settings"}, "this is asked of one slave"},
      {{"meter", "--share", "half"}, "--share is 'half'"},
      {{"meter", "--timeout", "0ms"}, "--timeout is '0ms'"},
      {{"meter", "--times", "-1"}, "--times takes 1 to 1000"},
      {{"meter", "--unit", "3"}, "--device"},
      {{"meter", "more"}, "write PLAN SLAVE"},
  };
  for (const auto& [arguments, why] : refused) {
    INFO(fmt::format("{}", fmt::join(arguments, " ")));
    const auto outcome = site.probe(arguments);
    INFO(outcome.err);
    CHECK(outcome.status == 2);
    CHECK(tells(outcome, why));
  }
  CHECK(site.meter.requests + site.air.requests == 0U);
}

TEST_CASE("all slaves of a plan are asked what the plan does not know of them") {
  ProbeSite site;
  site.meter.spoil([](const Octets&, const Octets&) -> std::vector<Octets> { return {}; });
  const auto told = site.probe({"--write"});
  INFO(told.out << told.err);
  CHECK(told.status == 1);  // one of them says nothing
  CHECK(tells(told, "meter did not answer well"));
  const std::string plan = site.folder.read("plan.toml");
  const std::size_t air = plan.find("[slave.air]");
  CHECK(plan.find("holes = \"zero\"", air) != std::string::npos);
  CHECK(plan.find("reply = { typical = ", air) != std::string::npos);
  CHECK(plan.substr(0, air).find("reply") == std::string::npos);
  const auto check = test::run_program(GREYMET_PROGRAM, {"check", "plan.toml"}, site.folder.path());
  CHECK(check.out.find("no errors, no warnings") != std::string::npos);
}

TEST_CASE("run learns reply times of those that answered, and writes them where that is wanted") {
  ProbeSite site;
  site.meter.spoil([](const Octets&, const Octets& reply) -> std::vector<Octets> {
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
    return {reply};
  });
  const auto run = [&](std::vector<std::string> more) {
    std::vector<std::string> all{"run",       "plan.toml",  "--endpoints", "at.json",
                                 "--unpaced", "--duration", "3s"};
    all.insert(all.end(), more.begin(), more.end());
    return test::run_program(GREYMET_PROGRAM, all, site.folder.path());
  };
  const auto told = run({"--learn"});
  INFO(told.out << told.err);
  CHECK(tells(told, "\n[slave.meter]\n  reply = { typical = \""));
  CHECK_FALSE(tells(told, "[slave.air]"));  // nobody asked it
  CHECK(site.folder.read("plan.toml") == beginners_plan);
  const auto written = run({"--learn", "--write"});
  INFO(written.out << written.err);
  const std::string plan = site.folder.read("plan.toml");
  const std::size_t reply = plan.find("= { typical = \"");  // aligned as the keys above
  REQUIRE(reply != std::string::npos);
  CHECK(plan.find("  # measured 20", reply) != std::string::npos);
  // the slave slept 20 ms, and that is what it says, whatever the computer adds
  const double typical = std::stod(plan.substr(reply + std::string("= { typical = \"").size()));
  CHECK(typical >= 15);
  CHECK(typical < 60);
  // all else is as it was
  std::string without = plan;
  const std::size_t line = without.rfind('\n', reply) + 1;
  without.erase(line, without.find('\n', reply) + 1 - line);
  CHECK(without == beginners_plan);
  // now it is stated: a slower one contradicts it, and the status says so
  site.meter.spoil([](const Octets&, const Octets& reply_of) -> std::vector<Octets> {
    std::this_thread::sleep_for(std::chrono::milliseconds(150));
    return {reply_of};
  });
  const auto slower = run({"--learn"});
  INFO(slower.out);
  CHECK(tells(slower, "# contradicts: "));
  CHECK(slower.status == 1);
  CHECK(run({"--write"}).status == 2);  // of what?
}

TEST_CASE("of slaves that are written once one line is written, which holds for the slowest") {
  const test::TemporaryFolder folder;
  PlainSlave quick(false);
  PlainSlave slow(false);
  slow.spoil([](const Octets&, const Octets& reply) -> std::vector<Octets> {
    std::this_thread::sleep_for(std::chrono::milliseconds(30));
    return {reply};
  });
  folder.write("plan.toml",
               "[controller.plc]\nscan = \"10ms\"\n[controller.plc.memory]\n\"%MW\" = { kind = "
               "\"word\", count = "
               "40 }\n[slave.fan]\ncount = 2\nhost = \"10.20.0.31\"\nunit = 1\n[exchange]\n"
               "transactions = [\n  { name = \"fan-in\", slave = \"fan\", fc = 3, at = 0, count = "
               "2, into = \"%MW0\", every = \"500ms\", on_loss = \"hold\" },\n]\n");
  folder.write(
      "at.json",
      ProbeJson{{"tcp", {{"10.20.0.31:502", quick.where()}, {"10.20.0.32:502", slow.where()}}}}
          .dump());
  const auto probe = [&](const std::string& share) {
    return test::run_program(GREYMET_PROGRAM,
                             {"probe", "plan.toml", "--endpoints", "at.json", "--times", "5",
                              "--share", share, "--write"},
                             folder.path());
  };
  const auto first = probe("100%");
  INFO(first.out << first.err);
  const std::string plan = folder.read("plan.toml");
  const std::size_t reply = plan.find("reply");
  REQUIRE(reply != std::string::npos);
  CHECK(plan.find("reply", reply + 1) == std::string::npos);
  CHECK(std::stod(plan.substr(plan.find("typical = \"") + 11)) >= 25);
  CHECK(tells(first, "check: no errors"));
}
