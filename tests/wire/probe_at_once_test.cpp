// How much a device at a host bears at once, against a slave that was written for these tests: it
// takes one connection at a time, and answers what comes too soon or does not.
#include <chrono>
#include <memory>
#include <vector>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "process.h"

using namespace greymet;
using test::Octets;
using test::PlainSlave;
using AtOnceJson = nlohmann::ordered_json;

namespace {

std::string plan_with(const std::string& keys) {
  return R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 400 }
[line.bus]
master = "plc"
mode = "rtu"
baud = 57600
format = "8E1"
[slave.pump]
line = "bus"
unit = 3
[slave.air]
host = "10.20.0.31"
timeout = "250ms"
)" + keys +
         R"([exchange]
transactions = [
  { name = "air-in", slave = "air", fc = 3, at = 10, count = 2, into = "%MW0", every = "1s", on_loss = "hold" },
]
)";
}

struct AtOnceSite {
  explicit AtOnceSite(const std::string& keys) : air(false) {
    folder.write("plan.toml", plan_with(keys));
    folder.write("at.json", AtOnceJson{{"lines", AtOnceJson::object()},
                                       {"tcp", {{"10.20.0.31:502", air.where()}}}}
                                .dump());
  }
  [[nodiscard]] test::Outcome probe(const std::string& endpoints,
                                    std::vector<std::string> more = {}) const {
    std::vector<std::string> all{"probe",  "plan.toml",   "air",    "--at-once",
                                 "--json", "--endpoints", endpoints};
    all.insert(all.end(), more.begin(), more.end());
    return test::run_program(GREYMET_PROGRAM, all, folder.path());
  }
  test::TemporaryFolder folder;
  PlainSlave air;
};

std::string answer_to(const AtOnceJson& document, const std::string& asked) {
  for (const auto& row : document["answers"]) {
    if (row["asked"] == asked) return row["answer"];
  }
  return "not asked";
}

}  // namespace

TEST_CASE("a device that takes one connection, and as many requests as come") {
  const AtOnceSite site("");
  const auto told = site.probe("at.json");
  INFO(told.out << told.err);
  const auto document = AtOnceJson::parse(told.out);
  CHECK(answer_to(document, "8 requests") == "all answered");
  CHECK(answer_to(document, "1 at once") == "open, and answered");
  CHECK(answer_to(document, "2 at once") == "no reply");
  CHECK(answer_to(document, "3 at once") == "not asked");
  REQUIRE(document["lines"].size() == 1);
  CHECK(document["lines"][0]["key"] == "connections");
  CHECK(document["lines"][0]["value"] == "1");
  CHECK(site.air.writes == 0);
  CHECK(told.status == 0);
}

TEST_CASE("a device that drops what comes while it works is asked no more, and refutes the plan") {
  AtOnceSite site("in_flight = 4\nconnections = 3\n");
  auto last = std::make_shared<std::chrono::steady_clock::time_point>();
  site.air.spoil([last](const Octets&, const Octets& reply) -> std::vector<Octets> {
    const auto now = std::chrono::steady_clock::now();
    const bool busy = now - *last < std::chrono::milliseconds(40);
    *last = now;
    return busy ? std::vector<Octets>{} : std::vector<Octets>{reply};
  });
  const auto told = site.probe("at.json", {"--write"});
  INFO(told.out << told.err);
  const auto document = AtOnceJson::parse(told.out.substr(0, told.out.rfind("\n}\n") + 3));
  CHECK(answer_to(document, "1 request") == "all answered");
  CHECK(answer_to(document, "2 requests") == "1 answered, then no reply");
  CHECK(answer_to(document, "4 requests") == "not asked");
  CHECK(told.status == 1);
  // others may hold connections: that is said, and not written
  REQUIRE(document["by_hand"].size() == 1);
  CHECK(document["by_hand"][0] ==
        "air: connections = 3 is stated, and 1 could be opened now: others may hold the rest, or "
        "it bears fewer");
  const std::string plan = site.folder.read("plan.toml");
  CHECK(plan.find("in_flight = 1\n") != std::string::npos);
  CHECK(plan.find("connections = 3\n") != std::string::npos);
}

TEST_CASE("served slaves take as many connections as the plan says, and probe finds how many") {
  for (const int connections : {1, 3, 8}) {
    const AtOnceSite site("connections = " + std::to_string(connections) + "\n");
    test::BackgroundProgram serve(GREYMET_PROGRAM, {"serve", "plan.toml", "-o", "served"},
                                  site.folder.path());
    REQUIRE(site.folder.gets("served/endpoints.json"));
    const auto told = site.probe("served/endpoints.json");
    INFO(connections << told.out << told.err);
    const auto document = AtOnceJson::parse(told.out);
    CHECK(answer_to(document, std::to_string(connections) + " at once") == "open, and answered");
    CHECK(answer_to(document, std::to_string(connections + 1) + " at once") !=
          "open, and answered");
    CHECK(told.status == 0);
  }
}

TEST_CASE("a line carries one request at a time: it is not asked for more") {
  const AtOnceSite site("");
  const auto told = test::run_program(GREYMET_PROGRAM, {"probe", "plan.toml", "pump", "--at-once"},
                                      site.folder.path());
  CHECK(told.status == 2);
  CHECK(told.err.find("--at-once is of hosts") != std::string::npos);
}

TEST_CASE("a plan is made of a device of which nobody knows anything") {
  AtOnceSite site("");
  site.air.registers = {{10, 0x1234}, {11, 7}, {12, 0}};
  site.air.spoil([](const Octets& request, const Octets& reply) -> std::vector<Octets> {
    const unsigned function = request[7];
    const unsigned first = request[8] * 256U + request[9];
    const unsigned count = request[10] * 256U + request[11];
    std::uint8_t code = 0;
    if (function != 3) code = 1;
    if (function == 3 && (first < 8 || first + count > 16)) code = 2;
    if (code == 0) return {reply};
    Octets refused(request.begin(), request.begin() + 7);
    refused[5] = 3;
    refused.push_back(static_cast<std::uint8_t>(function | 0x80U));
    refused.push_back(code);
    return {refused};
  });
  const auto made = test::run_program(
      GREYMET_PROGRAM,
      {"probe", "--device", site.air.where(), "--plan-from", "found", "--up-to", "100"},
      site.folder.path());
  INFO(made.out << made.err);
  CHECK(made.status == 0);
  CHECK(made.out.find("found hr:8..15\n") != std::string::npos);
  CHECK(site.air.writes == 0);
  const std::string map = site.folder.read("found/maps/device.csv");
  CHECK(map.find("hr10,hr,10,u16,") != std::string::npos);
  CHECK(map.find("was 1234, 4660") != std::string::npos);
  CHECK(map.find("hr7,") == std::string::npos);
  CHECK(map.find("hr16,") == std::string::npos);
  const auto checked = test::run_program(GREYMET_PROGRAM, {"check", "found/plan.toml", "--json"},
                                         site.folder.path());
  CHECK(AtOnceJson::parse(checked.out)["errors"] == 0);
  // it is the device's own plan: run reads from it what was found
  const auto run = test::run_program(
      GREYMET_PROGRAM, {"run", "found/plan.toml", "--duration", "1500ms"}, site.folder.path());
  CHECK(run.out.find("run passed") != std::string::npos);
  const auto wrong = test::run_program(GREYMET_PROGRAM, {"probe", "plan.toml", "--plan-from", "x"},
                                       site.folder.path());
  CHECK(wrong.status == 2);
  CHECK(wrong.err.find("--plan-from is of a device without a plan") != std::string::npos);
}

TEST_CASE("what lies between what was answered and what was not is neither refuted nor settled") {
  AtOnceSite site("in_flight = 3\nconnections = 1\n");
  auto recent = std::make_shared<std::vector<std::chrono::steady_clock::time_point>>();
  // two at a time, and what comes as the third within a moment is dropped
  site.air.spoil([recent](const Octets&, const Octets& reply) -> std::vector<Octets> {
    const auto now = std::chrono::steady_clock::now();
    std::erase_if(*recent, [&](auto t) { return now - t > std::chrono::milliseconds(40); });
    recent->push_back(now);
    return recent->size() > 2 ? std::vector<Octets>{} : std::vector<Octets>{reply};
  });
  const auto told = site.probe("at.json");
  INFO(told.out << told.err);
  const auto document = AtOnceJson::parse(told.out);
  CHECK(answer_to(document, "2 requests") == "all answered");
  CHECK(answer_to(document, "4 requests") == "2 answered, then no reply");
  for (const auto& line : document["lines"]) CHECK(line["key"] != "in_flight");
  CHECK(told.status == 0);
}
