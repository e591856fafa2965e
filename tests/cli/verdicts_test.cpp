// Verdicts that do not depend on when one looks, nor on who asks.
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <set>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "plans.h"
#include "process.h"

namespace verdicts {

using namespace greymet;
using Json = nlohmann::json;

constexpr const char* head = R"([controller.plc]
scan = "10ms"
address = "10.0.0.9/24"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 1000 }
)";

test::Outcome run_in(const test::TemporaryFolder& site, const std::vector<std::string>& arguments) {
  return test::run_program(GREYMET_PROGRAM, arguments, site.path());
}

TEST_CASE("a watchdog that trips is seen, whatever the length modulo the period") {
  const test::TemporaryFolder site;
  site.write("plan.toml", std::string(head) + R"([slave.drive]
host = "10.0.0.31"
watchdog = "500ms"
[exchange]
transactions = [
  { name = "in", controller = "plc", slave = "drive", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s" },
]
)");
  for (const char* length : {"3100ms", "3300ms", "3900ms", "4000ms"}) {
    const test::Outcome outcome = run_in(
        site, {"rehearse", "plan.toml", "--fast", "--no-faults", "--duration", length, "--json"});
    INFO(length);
    CHECK(outcome.status == 1);
    const Json tripped = Json::parse(outcome.out)["watchdogs_tripped"];
    REQUIRE(tripped.size() == 1);
    CHECK(tripped[0]["slave"] == "drive");
    CHECK(tripped[0]["at_ms"].get<double>() == Approx(501).margin(10));
    CHECK(tripped[0]["times"].get<int>() >= 3);
  }
}

TEST_CASE("a rehearsal that is stopped tells of the time that it has played") {
  const test::TemporaryFolder site;
  std::filesystem::copy(GREYMET_EXAMPLES, site.path(), std::filesystem::copy_options::recursive);
  test::BackgroundProgram rehearsal(
      GREYMET_PROGRAM, {"rehearse", "maltings.toml", "--fast", "--duration", "20h", "-o", "out"},
      site.path());
  REQUIRE(site.gets("out/log.csv"));
  ::usleep(500'000);
  rehearsal.signal(SIGINT);
  CHECK(rehearsal.wait().status == 1);
  const Json json = Json::parse(site.read("out/rehearse.json"));
  CHECK(json["verdict"] == "stopped");
  CHECK(json["duration_s"].get<double>() < 72000);
  CHECK(json["watchdogs_tripped"].empty());
  CHECK(json["accounted"] == true);
  // the last row of the log is about as old as the rehearsal
  const std::string log = site.read("out/log.csv");
  const std::string last = log.substr(log.rfind('\n', log.size() - 2) + 1);
  CHECK(std::stod(last) == Approx(json["duration_s"].get<double>()).margin(5));
}

TEST_CASE("a restart clears a slave's memory on a line and behind a gateway, live and fast alike") {
  const test::TemporaryFolder site;
  site.write("plan.toml", std::string(head) + R"([line.north]
master = "plc"
mode = "rtu"
baud = 57600
format = "8E1"
[gateway.box]
host = "10.0.0.40"
[line.roof]
via = "box"
mode = "rtu"
baud = 57600
format = "8E1"
[slave.s]
line = "north"
unit = 5
[slave.w]
line = "roof"
unit = 6
[exchange]
transactions = [
  { name = "a", slave = "s", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s" },
  { name = "b", controller = "plc", slave = "w", fc = 3, at = 0, count = 4, into = "%MW10", every = "1s" },
]
)");
  site.write("f.csv", "at,for,slave,fault,with\n2s,,s,restart,\n2s,,w,restart,\n");
  test::BackgroundProgram served(
      GREYMET_PROGRAM, {"serve", "plan.toml", "--still", "--faults", "f.csv", "-o", "served"},
      site.path());
  REQUIRE(site.gets("served/endpoints.json"));
  const Json at = Json::parse(site.read("served/endpoints.json"));
  auto line = test::PlainMaster::on_device(at["lines"]["north"]);
  auto gateway = test::PlainMaster::on_tcp(at["tcp"]["10.0.0.40:502"]);
  using test::Octets;
  CHECK(line.ask(5, {6, 0, 1, 0x12, 0x34}).size() == 5);
  CHECK(gateway.ask(6, {6, 0, 1, 0x56, 0x78}).size() == 5);
  CHECK(line.ask(5, {3, 0, 1, 0, 1}) == Octets{3, 2, 0x12, 0x34});
  CHECK(gateway.ask(6, {3, 0, 1, 0, 1}) == Octets{3, 2, 0x56, 0x78});
  ::usleep(2'200'000);
  CHECK(line.ask(5, {3, 0, 1, 0, 1}) == Octets{3, 2, 0, 0});
  CHECK(gateway.ask(6, {3, 0, 1, 0, 1}) == Octets{3, 2, 0, 0});
}

TEST_CASE("faults of connections are refused for slaves that have none") {
  const test::TemporaryFolder site;
  site.write("plan.toml", std::string(head) + R"([line.north]
master = "plc"
mode = "rtu"
baud = 57600
format = "8E1"
[slave.s]
line = "north"
unit = 5
[exchange]
transactions = [
  { name = "a", slave = "s", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s" },
]
)");
  for (const char* fault : {"refuse", "drop"}) {
    site.write("f.csv", fmt::format("at,for,slave,fault,with\n2s,1s,s,{},\n", fault));
    const test::Outcome outcome =
        run_in(site, {"rehearse", "plan.toml", "--fast", "--faults", "f.csv"});
    CHECK(outcome.status == 2);
    CHECK(outcome.err.starts_with("f.csv:2:9: error: row 2: "));
    CHECK(outcome.err.find("it has no connection") != std::string::npos);
  }
}

TEST_CASE("every command mentions the errors that need no timing") {
  const test::TemporaryFolder site;
  site.write("plan.toml", std::string(head) + R"([gateway.g]
host = "10.0.0.1"
[line.l]
via = "g"
mode = "rtu"
baud = 9600
format = "8N2"
[slave.a]
line = "l"
unit = 1
[slave.s]
host = "10.0.0.1"
unit = 3
[exchange]
transactions = [
  { name = "a", controller = "plc", slave = "s", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s" },
  { name = "b", controller = "plc", slave = "a", fc = 3, at = 0, count = 4, into = "%MW4", every = "1s" },
]
)");
  CHECK(run_in(site, {"check", "plan.toml"}).out.find("error N12") != std::string::npos);
  for (const std::vector<std::string>& command :
       {std::vector<std::string>{"points", "plan.toml"}, {"memory", "plan.toml"}}) {
    CHECK(run_in(site, command).err ==
          "greymet: plan.toml has 1 error that `greymet check plan.toml` explains; going on\n");
  }
}

TEST_CASE("the report marks every transaction that did not do well") {
  const test::TemporaryFolder site;
  std::filesystem::copy(GREYMET_EXAMPLES, site.path(), std::filesystem::copy_options::recursive);
  for (const auto& [verdict, marked] :
       std::vector<std::pair<std::string, bool>>{{"dead", true},
                                                 {"failing", true},
                                                 {"late", true},
                                                 {"off", true},
                                                 {"new word", true},
                                                 {"good", false},
                                                 {"not run", false},
                                                 {"left out", false}}) {
    site.write("out/run.json", fmt::format(R"({{"fingerprint": "x", "verdict": "failed",
      "transactions": [{{"name": "germ-in", "sent": 1, "verdict": "{}"}}]}})",
                                           verdict));
    REQUIRE(run_in(site, {"report", "maltings.toml", "-o", "page", "--measured", "out/run.json",
                          "--force"})
                .status == 0);
    const std::string page = site.read("page/report.html");
    INFO(verdict << ": " << page.substr(page.find("From "), 900));
    const std::size_t row = page.rfind("<tr", page.find(fmt::format(">{}</span></td>", verdict)));
    CHECK(page.substr(row, 16).starts_with("<tr class=\"bad") == marked);
  }
}

TEST_CASE("a line behind a link to a pseudo-terminal is what the link leads to") {
  test::PlainSlave slave(true);
  const test::TemporaryFolder site;
  std::filesystem::create_symlink(slave.where(), site.file("ttyX"));
  site.write("plan.toml", std::string(head) + R"([line.north]
master = "plc"
mode = "rtu"
baud = 57600
format = "8E1"
port = "./ttyX"
[slave.s]
line = "north"
unit = 5
reply = { typical = "1ms", max = "300ms" }
[exchange]
transactions = [
  { name = "a", slave = "s", fc = 3, at = 0, count = 4, into = "%MW0", every = "100ms" },
]
)");
  const test::Outcome outcome =
      run_in(site, {"run", "plan.toml", "--unpaced", "--duration", "700ms", "--tolerate", "100%"});
  INFO(outcome.err);
  CHECK(outcome.status == 0);
  CHECK(slave.requests > 3);
}

TEST_CASE("what a run measured counts in place of what the plan states or leaves out") {
  const test::TemporaryFolder site;
  site.write("plan.toml", std::string(head) + R"([slave.meter]
host = "10.0.0.31"
timeout = "200ms"
rtt = { typical = "1ms", max = "1ms" }
reply = { typical = "20ms", max = "100ms" }
[slave.drive]
host = "10.0.0.32"
timeout = "200ms"
rtt = { typical = "1ms", max = "1ms" }
[exchange]
transactions = [
  { name = "power", controller = "plc", slave = "meter", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s" },
  { name = "speed", controller = "plc", slave = "drive", fc = 3, at = 0, count = 2, into = "%MW10", every = "1s" },
]
)");
  const auto row = [](const char* name, int good, double median, double longest) {
    return Json{{"name", name},
                {"good", good},
                {"duration_median_ms", median},
                {"duration_max_ms", longest}};
  };
  const auto measured = [&](double meter) {
    const Json document{{"transactions", {row("power", 40, 30, meter), row("speed", 1204, 4, 9)}}};
    site.write("run.json", document.dump());
  };
  measured(250);
  const test::Outcome text = run_in(site, {"check", "plan.toml", "--measured", "run.json"});
  CHECK(text.status == 1);
  CHECK(text.out.find("error T03") != std::string::npos);
  CHECK(text.out.find("measured: reply times of 2 slaves by run.json, the longest of 40 to 1204 "
                      "answers each; slave") != std::string::npos);
  CHECK(text.out.find("ms, and 100ms is stated") != std::string::npos);
  const test::Outcome json = run_in(site, {"check", "plan.toml", "--measured", ".", "--json"});
  const Json facts = Json::parse(json.out)["measured"];
  REQUIRE(facts.size() == 2);
  CHECK(facts[0]["subject"] == "slave meter");
  CHECK(facts[0]["value"] == "29ms typical, 249ms at most");
  CHECK(facts[0]["before"] == "20ms typical, 100ms at most");
  CHECK(facts[0]["longer"] == true);
  CHECK(facts[1]["basis"] == "assumed");
  CHECK(facts[1]["value"] == "3ms typical, 8ms at most");
  // within what is stated nothing is refuted
  measured(90);
  CHECK(run_in(site, {"check", "plan.toml", "--measured", "run.json"}).status == 0);
  CHECK(Json::parse(run_in(site, {"check", "plan.toml", "--json"}).out)["measured"].empty());
  const auto longest = [&](std::vector<std::string> arguments) {
    arguments.insert(arguments.begin(), {"timing", "plan.toml", "--json"});
    return Json::parse(run_in(site, arguments).out)["lines"][1]["transactions"][0]["longest_ms"]
        .get<double>();
  };
  CHECK(longest({}) == 51);
  CHECK(longest({"--measured", "run.json"}) == 9);

  const auto refused = [&](const char* file, const std::string& content) {
    site.write(file, content);
    const test::Outcome outcome = run_in(site, {"check", "plan.toml", "--measured", file});
    CHECK(outcome.status == 2);
    return outcome.err;
  };
  CHECK(refused("a.json", "{") == "greymet: a.json: is not JSON\n");
  CHECK(refused("a.json", "[1]") ==
        "greymet: a.json: is not what `greymet run --json` or `greymet rehearse --json` writes: it "
        "has no list \"transactions\"\n");
  CHECK(refused("a.json", R"({"transactions":[{"name":"power","good":3,"duration_max_ms":-1}]})") ==
        "greymet: a.json: holds no durations of good answers (\"duration_max_ms\"): measure "
        "again\n");
  CHECK(refused("a.json", Json{{"transactions", {row("other", 1, 2, 3)}}}.dump()) ==
        "greymet: a.json: measured no transaction of this plan\n");
  CHECK(run_in(site, {"check", "plan.toml", "--measured", "none"}).status == 3);
  // what is wrong with the plan itself is said first
  site.write("broken.toml", "[controller.plc\n");
  const test::Outcome broken = run_in(site, {"check", "broken.toml", "--measured", "run.json"});
  CHECK(broken.status == 2);
  CHECK(broken.out.find("error P01") != std::string::npos);
  CHECK(run_in(site, {"check", "plan.toml", "--measured", "run.json", "--fix"}).status == 2);
}

TEST_CASE("a word that a gateway does not know is said, and nothing is made of it") {
  const test::TemporaryFolder site;
  std::filesystem::copy(GREYMET_EXAMPLES, site.path(), std::filesystem::copy_options::recursive);
  const std::string plan = site.read("maltings.toml");
  const auto rules_with = [&](const std::string& on_silence) {
    site.write("plan.toml", test::replaced(plan, "on_silence  = \"exception\"", on_silence));
    std::set<std::string> rules;
    const test::Outcome outcome =
        run_in(site, {"check", "plan.toml", "--json", "--least", "warning"});
    const Json document = Json::parse(outcome.out);
    for (const Json& f : document["findings"]) rules.insert(f["rule"]);
    return rules;
  };
  CHECK(rules_with("on_silence = \"nothing\"") == std::set<std::string>{"T04"});
  CHECK(rules_with("on_silence = \"silent\"") == std::set<std::string>{"P05"});
}

}  // namespace verdicts
