#include "files/exchange_export.h"

#include <cstring>
#include <fstream>
#include <iterator>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "files/json_text.h"
#include "modbus/planned_frames.h"
#include "plans.h"

using namespace greymet;

namespace {

std::string golden(const std::string& name) {
  std::ifstream in(std::string(GREYMET_SOURCE) + "/tests/golden/" + name);
  return {std::istreambuf_iterator<char>(in), {}};
}

files::LoadedPlan loaded(const std::string& plan) {
  return test::load(plan, {{"gauge.csv", golden("gauge.csv")}});
}

std::string golden_fingerprint(const std::string& plan) {
  return files::fingerprint_of(loaded(plan).plan);
}

}  // namespace

TEST_CASE("the canonical form and its fingerprint stay as they are") {
  const auto plan = loaded(golden("exchange.toml"));
  for (const auto& f : plan.findings) INFO(f.message);
  REQUIRE(plan.findings.empty());
  // a change here changes every fingerprint in the field: raise the version, and say so in
  // docs/exports.md and CHANGELOG.md
  CHECK(files::exchange_json(plan.plan) == golden("exchange.json"));
  CHECK(files::exchange_csv(plan.plan) == golden("exchange.csv"));
}

TEST_CASE("whatever decides what happens changes the fingerprint, and nothing else does") {
  const std::string plan = golden("exchange.toml");
  const std::string before = golden_fingerprint(plan);
  const std::vector<std::pair<std::string, std::string>> decisive{
      {"scan = \"10ms\"", "scan = \"11ms\""},
      {"sends = \"scan\"\n", ""},
      {"in_flight = 3\n", ""},
      {"port = 503", "port = 504"},
      {"unit = 7", "unit = 8"},
      {"connections = 4", "connections = 5"},
      {"[\"10.20.0.10\"]", "[\"10.20.0.11\"]"},
      {"timeout = \"700ms\"", "timeout = \"701ms\""},
      {"retries = 2 }", "retries = 3 }"},
      {"serves = \"hr:1000\"", "serves = \"hr:1001\""},
      {"medium = \"rs422\"", "medium = \"rs485\""},
      {"baud = 19200", "baud = 38400"},
      {"\"8E1\"", "\"8O1\""},
      {"timeout = \"200ms\"", "timeout = \"201ms\""},
      {"retries = 2\npause", "retries = 1\npause"},
      {"pause = \"3ms\"", "pause = \"4ms\""},
      {"turnaround = \"120ms\"\n", ""},
      {"turnaround = \"120ms\"\n", "turnaround = \"120ms\"\ntimeout_to = \"first\"\n"},
      {"turnaround = \"120ms\"\n", "turnaround = \"120ms\"\ncharacter_gap = 0.5\n"},
      {"turnaround = \"120ms\"\n",
       "turnaround = \"120ms\"\nlatency = { typical = \"0ms\", max = \"1ms\" }\n"},
      {"pause = \"4ms\"\n", "pause = \"4ms\"\ncharacter_gap = 0.5\n"},
      {"pause = \"4ms\"\n", "pause = \"4ms\"\nscans = \"2ms\"\n"},
      {"order = \"list\"\n", ""},
      {"after = 3", "after = 4"},
      {"retry = \"10s\"", "retry = \"11s\""},
      {"framing = \"rtu\"\n", ""},
      {"max = \"9ms\"", "max = \"8ms\""},
      {"max = \"6ms\"", "max = \"7ms\""},
      {"timeout = \"2s\"\nretries = 1", "timeout = \"2s\"\nretries = 0"},
      {"in_flight = 2\nframing", "in_flight = 1\nframing"},
      {"pause = \"4ms\"\n", ""},
      {"connect_timeout = \"3s\"\n", ""},
      {"connect_timeout = \"3s\"\n", "connect_timeout = \"3s\"\nretransmission = \"200ms\"\n"},
      {"timeout = \"600ms\"", "timeout = \"601ms\""},
      {"retries = 1\nconnect", "retries = 0\nconnect"},
      {"connect = \"each\"\n", ""},
      {"phase = \"20ms\"", "phase = \"21ms\""},
      {"every = \"500ms\"", "every = \"501ms\""},
      {"at = 0, count = 8", "at = 0, count = 7"},
      {"busy = \"%MX0\"", "busy = \"%MX9\""},
      {"relays = true, ", ""},
      {"at = 0, count = 8,", "swap = \"DCBA\", at = 0, count = 8,"},
      {"into = \"%MW\" }, write", "into = \"%MW\", swap = \"DCBA\" }, write"},
      {"min_gap = \"3s\"", "min_gap = \"4s\""},
      {"only_if = \"%MX4\"", "only_if = \"%MX5\""},
      {"on = \"%MX3\"", "on = \"%MX6\""},
      {"on_loss = \"none\"", "on_loss = \"zero\""},
      {"to = \"%MW201\"", "to = \"%MW202\""},
      {"bit = \"%MW200.0\"", "bit = \"%MW200.1\""},
      {"toggle = \"2s\"", "toggle = \"3s\""},
      {"watch = \"5s\"", "watch = \"6s\""},
      {"react = \"8s\"", "react = \"9s\""},
      {"lost = 1", "lost = 2"},
      {"in_flight = 2\nframing", "in_flight = 2\nconnections = 3\nframing"},
      {"connect_timeout = \"3s\"\n", "connect_timeout = \"3s\"\nconnections = 2\n"},
      {"connect_timeout = \"3s\"\n", "connect_timeout = \"3s\"\nidle = \"30s\"\n"},
      {"pause = \"4ms\"\n", "pause = \"4ms\"\nwatchdog = \"9s\"\n"},
  };
  for (const auto& [what, with] : decisive) {
    INFO(what << " -> " << with);
    CHECK(golden_fingerprint(test::replaced(plan, what, with)) != before);
  }
  CHECK(golden_fingerprint("# a comment\n" + plan) == before);
  CHECK(golden_fingerprint(test::replaced(plan, "revision = \"1\"", "revision = \"2\"")) == before);
  // a default written out is the same exchange
  CHECK(golden_fingerprint(test::replaced(
            plan, "[slave.plain]\n", "[slave.plain]\nport = 502\nunit = 255\nretries = 0\n")) ==
        before);
}

TEST_CASE("unit and address of a peer are the same wherever they are shown") {
  const auto plan = loaded(golden("exchange.toml"));
  const auto& exchange = plan.plan.exchange;
  const auto at = std::find_if(exchange.transactions.begin(), exchange.transactions.end(),
                               [](const auto& t) { return t.name == "to-loadout"; });
  REQUIRE(at != exchange.transactions.end());
  const auto frames = modbus::planned_frames(*at);
  REQUIRE(frames.has_value());
  CHECK(frames->request[6] == std::byte{7});  // the unit of the MBAP header
  const auto json = nlohmann::json::parse(files::exchange_json(plan.plan));
  CHECK(json["exchange"]["controllers"][1]["answers"][0]["unit"] == 7);
  CHECK(files::exchange_csv(plan.plan).find("to-loadout,kiln,loadout,7,,10.20.0.12,503") !=
        std::string::npos);
}

// RFC 8785, appendix B: bits of a number and what stands in the canonical form.
TEST_CASE("numbers of the canonical form are those of RFC 8785") {
  const std::vector<std::pair<std::uint64_t, std::string>> samples{
      {0x0000000000000000, "0"},
      {0x8000000000000000, "0"},
      {0x0000000000000001, "5e-324"},
      {0x8000000000000001, "-5e-324"},
      {0x7fefffffffffffff, "1.7976931348623157e+308"},
      {0xffefffffffffffff, "-1.7976931348623157e+308"},
      {0x4340000000000000, "9007199254740992"},
      {0xc340000000000000, "-9007199254740992"},
      {0x4430000000000000, "295147905179352830000"},
      {0x44b52d02c7e14af5, "9.999999999999997e+22"},
      {0x44b52d02c7e14af6, "1e+23"},
      {0x44b52d02c7e14af7, "1.0000000000000001e+23"},
      {0x444b1ae4d6e2ef4e, "999999999999999700000"},
      {0x444b1ae4d6e2ef4f, "999999999999999900000"},
      {0x444b1ae4d6e2ef50, "1e+21"},
      {0x3eb0c6f7a0b5ed8c, "9.999999999999997e-7"},
      {0x3eb0c6f7a0b5ed8d, "0.000001"},
      {0x41b3de4355555553, "333333333.3333332"},
      {0x41b3de4355555554, "333333333.33333325"},
      {0x41b3de4355555555, "333333333.3333333"},
      {0xbecbf647612f3696, "-0.0000033333333333333333"},
      {0x43143ff3c1cb0959, "1424953923781206.2"}};
  for (const auto& [bits, text] : samples) {
    double value = 0;
    std::memcpy(&value, &bits, sizeof value);
    CHECK(files::canonical_number(value) == text);
  }
  // and section 3.2.3, but for its keys beyond ASCII
  const auto json = nlohmann::json::parse(
      R"({"numbers": [333333333.33333329, 1E30, 4.50, 2e-3, 0.000000000000000000000000001],
          "string": "\u20ac$\u000F\u000aA'\u0042\u0022\u005c\\\"\/", "literals": [null, true, false]})");
  CHECK(files::canonical_json(json) ==
        "{\"literals\":[null,true,false],\"numbers\":[333333333.3333333,1e+30,4.5,0.002,1e-27],"
        "\"string\":\"\u20ac$\\u000f\\nA'B\\\"\\\\\\\\\\\"/\"}");
}

TEST_CASE(
    "how programs take the values between them is in the fingerprint, what they call them is not") {
  const auto print = [](const std::string& type, const std::string& name,
                        const std::string& order) {
    const auto plan = test::load(R"([controller.a]
scan = "10ms"
tags = "a.csv"
[controller.a.memory]
"%MW" = { kind = "word", count = 100 }
[controller.b]
scan = "10ms"
address = "10.20.0.11"
tags = "b.csv"
answers = [ { } ]
[controller.b.memory]
"%MW" = { kind = "word", count = 100, serves = "hr:0" }
[exchange]
transactions = [
  { name = "t", controller = "a", slave = "b", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s", on_loss = "hold" },
]
)",
                                 {{"a.csv", "tag,address,type,word_order,from\n" + name + ",%MW0," +
                                                type + "," + order + ",b.level\n"},
                                  {"b.csv", "tag,address,type,word_order\nlevel,%MW0,f32,ABCD\n"}});
    for (const auto& f : plan.findings) FAIL(f.message);
    return files::fingerprint_of(plan.plan);
  };
  const std::string before = print("f32", "level", "ABCD");
  CHECK(print("f32", "other", "ABCD") == before);
  CHECK(print("f32", "level", "CDAB") != before);
  CHECK(print("u32", "level", "ABCD") != before);
}
