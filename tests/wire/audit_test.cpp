// audit of files: captures and logs that were written for these tests.
#include <fstream>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_capture.h"
#include "process.h"

using namespace greymet;
using test::mbap;
using test::Octets;
using test::PlainCapture;
using test::PlainTalk;
using AuditJson = nlohmann::ordered_json;

namespace {

constexpr const char* site_plan = R"([controller.plc]
scan = "10ms"
[controller.plc.memory]
"%MW" = { kind = "word", first = 0, count = 400 }
[line.north]
master = "plc"
mode = "rtu"
baud = 19200
format = "8E1"
timeout = "300ms"
[slave.air]
host = "10.20.0.31"
unit = 1
timeout = "500ms"
[slave.fan]
line = "north"
unit = 12
[exchange]
transactions = [
  { name = "air-in", slave = "air", fc = 3, at = 10, count = 1, into = "%MW0", every = "1s", on_loss = "hold" },
  { name = "fan-in", slave = "fan", fc = 3, at = 5, count = 1, into = "%MW30", every = "1s", on_loss = "hold" },
]
)";

struct AuditSite {
  AuditSite() {
    site.write("plan.toml", site_plan);
    PlainCapture capture;
    PlainTalk talk(capture, {});
    talk.open(0.5);
    for (int s = 0; s < 10; ++s) {
      const auto number = static_cast<std::uint16_t>(s);
      talk.say(1 + s, true, mbap(number, 1, {3, 0, 10, 0, 1}));
      talk.say(1.02 + s, false, mbap(number, 1, {3, 2, 0, 7}));
      talk.say(1.5 + s, true, mbap(static_cast<std::uint16_t>(100 + s), 1, {6, 0, 50, 0, 9}));
      talk.say(1.51 + s, false, mbap(static_cast<std::uint16_t>(100 + s), 1, {6, 0, 50, 0, 9}));
    }
    site.write("site.pcap", capture.bytes());
    std::string log;
    for (int s = 0; s < 10; ++s) {
      log += fmt::format("{}.0{}\n{}.03{}\n", s, hex(test::with_crc({12, 3, 0, 5, 0, 1})), s,
                         hex(test::with_crc({12, 3, 2, 0, 7})));
    }
    site.write("north.log", log);
  }
  static std::string hex(const Octets& bytes) {
    std::string text;
    for (const std::uint8_t byte : bytes) text += fmt::format(" {:02x}", byte);
    return text;
  }
  [[nodiscard]] test::Outcome audit(std::vector<std::string> more) const {
    more.insert(more.begin(), {"audit", "plan.toml"});
    return test::run_program(GREYMET_PROGRAM, more, site.path());
  }
  test::TemporaryFolder site;
};

bool is_said(const test::Outcome& outcome, const std::string& text) {
  return (outcome.out + outcome.err).find(text) != std::string::npos;
}

}  // namespace

TEST_CASE("audit tells what was on the wire, planned and unplanned, and by whom") {
  const AuditSite site;
  const auto told = site.audit({"site.pcap", "--json"});
  INFO(told.out << told.err);
  CHECK(told.status == 0);
  const auto json = AuditJson::parse(told.out);
  CHECK(json["packets"] == 42);
  CHECK(json["transactions"].size() == 1);
  const auto& in = json["transactions"][0];
  CHECK(in["name"] == "air-in");
  CHECK(in["planned_period_ms"] == 1000);
  CHECK(in["seen"] == 10);
  CHECK(in["period_mean_ms"].get<double>() == Approx(1000).margin(0.01));
  CHECK(in["reply_p99_ms"].get<double>() == Approx(20).margin(0.01));
  CHECK(in["verdict"] == "good");
  CHECK(json["missing"].empty());
  CHECK(json["unplanned"].size() == 1);
  CHECK(json["unplanned"][0]["asked"] == "function 6, hr:50 of unit 1 at 10.20.0.31:502");
  CHECK(json["unplanned"][0]["nearest"] == "air-in");
  CHECK(json["clients"][0]["client"] == "10.0.0.1");
  const auto text = site.audit({"site.pcap"});
  CHECK(is_said(text, "not judged: 1 transaction on other wires than this, such as fan-in"));
}

TEST_CASE("audit of a line's log, and what is learned of it") {
  const AuditSite site;
  const auto told = site.audit({"north.log", "--line", "north", "--learn", "--write"});
  INFO(told.out << told.err);
  CHECK(told.status == 0);
  CHECK(is_said(told, "fan-in"));
  const std::string plan = site.site.read("plan.toml");
  CHECK(plan.find("reply = { typical = ") != std::string::npos);
  CHECK(plan.find("reply", plan.find("[slave.air]")) > plan.find("[slave.fan]"));
  // with it the plan predicts what was measured
  const auto check = test::run_program(GREYMET_PROGRAM, {"check", "plan.toml"}, site.site.path());
  CHECK(check.out.find("no errors, no warnings") != std::string::npos);
}

TEST_CASE("the longest silences of a line are told with who is behind each") {
  const AuditSite site;
  const std::string ask = AuditSite::hex(test::with_crc({12, 3, 0, 5, 0, 1}));
  const std::string reply = AuditSite::hex(test::with_crc({12, 3, 2, 0, 7}));
  std::string log;
  const auto add = [&](double time, const std::string& bytes) {
    log += fmt::format("{:.3f}{}\n", time, bytes);
  };
  for (const double at : {10.0, 11.0, 12.0}) {
    add(at, ask);
    add(at + 0.03, reply);
  }
  add(13.0, ask);  // nobody answers, and 300 ms later he is asked again
  add(13.3, ask);
  add(13.33, reply);
  add(17.0, ask);  // planned is every second; and he takes 250 ms
  add(17.25, reply);
  site.site.write("odd.log", log);
  const auto told =
      site.audit({"odd.log", "--line", "north", "--json", "-o", "out", "--window", "2500ms..4s"});
  INFO(told.out << told.err);
  const auto json = AuditJson::parse(told.out);
  REQUIRE(json["silences"].size() == 3);
  const auto is = [](const AuditJson& row, const char* why, double from, double length) {
    CHECK(row["why"] == why);
    CHECK(row["from_ms"].get<double>() == Approx(from).margin(10));
    CHECK(row["length_ms"].get<double>() == Approx(length).margin(10));
    CHECK(row["transaction"] == "fan-in");
  };
  is(json["silences"][0], "nobody asks", 3330, 3670);
  is(json["silences"][1], "no answer", 3000, 300);
  is(json["silences"][2], "slow answer", 7000, 250);
  CHECK(site.site.read("out/seen-north.svg").find("Seen at line north: 2500ms to 4s") !=
        std::string::npos);
  CHECK(site.site.read("out/seen-north.svg").find("no answer") != std::string::npos);
  // as planned nothing is worth a look
  const auto good = AuditJson::parse(site.audit({"north.log", "--line", "north", "--json"}).out);
  CHECK(good["silences"].empty());
  const auto nowhere = site.audit({"odd.log", "--line", "north", "--window", "1s..2s"});
  CHECK(nowhere.status == 2);
  CHECK(is_said(nowhere, "--window is for the timelines of -o"));
  const auto none = site.audit({"odd.log", "--line", "north", "--window", "2s..1s", "-o", "x"});
  CHECK(is_said(none, "--window takes two instants such as 12s..13s"));
}

TEST_CASE("files that are no captures are told from those without a request") {
  const AuditSite site;
  site.site.write("empty.pcap", "");
  site.site.write("text.pcap", "this is no capture\n");
  PlainCapture other;
  other.add_other(1, 17);
  site.site.write("other.pcap", other.bytes());
  CHECK(site.audit({"empty.pcap"}).status == 3);
  CHECK(is_said(site.audit({"empty.pcap"}), "it is empty"));
  CHECK(is_said(site.audit({"text.pcap"}), "a log of a serial line needs --line NAME"));
  CHECK(site.audit({"gone.pcap"}).status == 3);
  const auto foreign = site.audit({"other.pcap"});
  CHECK(foreign.status == 1);
  CHECK(is_said(foreign, "no request of the protocol is in it; it has 1 UDP"));
  CHECK(is_said(site.audit({"north.log", "--line", "nroth"}), "did you mean 'north'?"));
  CHECK(is_said(site.audit({"site.pcap", "--map", "10.0.0.1"}), "--map takes SEEN=PLANNED"));
  // the end of a file that is still being written
  const std::string whole = site.site.read("site.pcap");
  site.site.write("cut.pcap", whole.substr(0, whole.size() - 10));
  const auto cut = site.audit({"cut.pcap"});
  CHECK(is_said(cut, "the file is damaged or cut short; 41 packets were read"));
}

TEST_CASE("a plan and maps are drafted from a capture, and check has no error") {
  const AuditSite site;
  const auto drafted = test::run_program(
      GREYMET_PROGRAM, {"audit", "--plan-from", "site.pcap", "drafted"}, site.site.path());
  INFO(drafted.out << drafted.err);
  CHECK(drafted.status == 0);
  CHECK(is_said(drafted, "wrote drafted/plan.toml: 1 slave and 2 transactions of 9."));
  CHECK(is_said(drafted, "check: no errors"));
  // it is the plan of what was seen
  const auto audit = test::run_program(
      GREYMET_PROGRAM, {"audit", "drafted/plan.toml", "site.pcap", "--json"}, site.site.path());
  const auto json = AuditJson::parse(audit.out);
  CHECK(json["unplanned"].empty());
  for (const auto& row : json["transactions"]) CHECK(row["verdict"] == "good");
  // a folder of somebody else's is left alone
  site.site.write("mine/plan.toml", "[plan]\n");
  const auto again = test::run_program(
      GREYMET_PROGRAM, {"audit", "--plan-from", "site.pcap", "mine"}, site.site.path());
  CHECK(again.status == 3);
  CHECK(site.site.read("mine/plan.toml") == "[plan]\n");
}
