// Names, blocks and channels looked up: what comes out for correct plans, and the findings for
// what cannot be.
#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using test::findings_of;
using test::with_rows;

namespace {

// "fc3 hr:0+4 -> %MW10..%MW13" of the first transaction of a plan that must have no findings.
std::string first_transaction(const std::string& plan) {
  const auto loaded = test::load(plan, test::base_files());
  for (const auto& f : loaded.findings) UNSCOPED_INFO(f.message);
  CHECK(loaded.findings.empty());
  const auto& t = loaded.plan.transactions.at(0);
  std::string text = fmt::format("fc{}", number_of(*t.function));
  const auto& layout = loaded.plan.layouts[*t.controller];
  if (t.read) {
    text += fmt::format(" {}:{}+{} -> {}", short_name(t.read->area), t.read->offset,
                        t.read->quantity, layout.name_of(*t.into));
  }
  if (t.write) {
    text += fmt::format(" {} -> {}:{}+{}", layout.name_of(*t.from), short_name(t.write->area),
                        t.write->offset, t.write->quantity);
  }
  return text;
}

std::string row(const std::string& rest) {
  return "{ name = \"t\", slave = \"gauge\", " + rest + " }";
}

}  // namespace

TEST_CASE("blocks resolve to area, offset and quantity") {
  const std::vector<std::pair<std::string, std::string>> rows{
      {R"(fc = 3, at = 0, count = 4, into = "%MW10", every = "1s")", "fc3 hr:0+4 -> %MW10..%MW13"},
      {R"(fc = 4, at = 0x0002, count = 2, into = "%MW10", every = "1s")",
       "fc4 ir:2+2 -> %MW10..%MW11"},
      {R"(fc = 3, at = "40011", count = 2, into = "%MW10", every = "1s")",
       "fc3 hr:10+2 -> %MW10..%MW11"},
      {R"(fc = 3, at = "temp", into = "%MW10", every = "1s")", "fc3 hr:2+2 -> %MW10..%MW11"},
      {R"(fc = 16, at = "moisture", count = 4, from = "%MW10", every = "1s")",
       "fc16 %MW10..%MW13 -> hr:0+4"},
      {R"(fc = 6, at = "hr:12", from = "%MW10", every = "1s")", "fc6 %MW10 -> hr:12+1"},
      {R"(fc = 5, at = "horn", from = "%MX7", every = "1s")", "fc5 %MX7 -> co:1+1"},
      {R"(fc = 5, at = "horn", from = "%MW7.4", every = "1s")", "fc5 %MW7.4 -> co:1+1"},
      {R"(fc = 22, at = 4, from = "%MW10", every = "1s")", "fc22 %MW10..%MW11 -> hr:4+1"},
      {R"(points = ["moisture", "state"], into = "%MW10", every = "1s")",
       "fc3 hr:0+5 -> %MW10..%MW14"},
      {R"(points = ["raw*"], into = "%MW10", every = "1s")", "fc4 ir:0+4 -> %MW10..%MW13"},
      {R"(points = ["lamp", "horn"], from = "%MX10", every = "1s")", "fc15 %MX10..%MX11 -> co:0+2"},
      {R"(points = ["mode"], from = "%MW10", every = "1s")", "fc16 %MW10 -> hr:12+1"},
      {R"(fc = 1, at = 0, count = 2, into = "%MW10", packing = "bits-to-words", every = "1s")",
       "fc1 co:0+2 -> %MW10"},
      {R"(fc = 3, at = 4, count = 1, into = "%MX16", packing = "words-to-bits", every = "1s")",
       "fc3 hr:4+1 -> %MX16..%MX31"},
      {R"(fc = 23, read = { at = 0, count = 2, into = "%MW10" }, write = { at = 10, count = 3, from = "%MW20" }, every = "1s")",
       "fc23 hr:0+2 -> %MW10..%MW11 %MW20..%MW22 -> hr:10+3"},
  };
  for (const auto& [text, expected] : rows) {
    INFO(text);
    CHECK(first_transaction(with_rows({row(text)})) == expected);
  }
}

TEST_CASE("the numbering of the slave decides what plain numbers mean") {
  const auto numbered = [](const std::string& numbering, const std::string& at) {
    const std::string plan =
        with_rows({row("fc = 3, count = 1, into = \"%MW1\", every = \"1s\", at = " + at)});
    auto files = test::base_files();
    files["gauge.csv"] = "point,area,address,type\n";
    return test::load(
        test::replaced(plan, "map = \"gauge.csv\"", "numbering = \"" + numbering + "\""), files);
  };
  CHECK(numbered("from-1", "1").plan.transactions[0].read->offset == 0);
  CHECK(numbered("from-1", "\"hr:1\"").plan.transactions[0].read->offset == 1);
  CHECK(numbered("reference", "40002").plan.transactions[0].read->offset == 1);
  const auto zero = numbered("from-1", "0");
  REQUIRE(zero.findings.size() == 1);
  CHECK(zero.findings[0].remedy ==
        "if the manual counts from 0, write numbering = \"from-0\" at the slave");
}

TEST_CASE("peers are asked by their own memory") {
  const std::string peer = R"(
[controller.loadout]
scan = "8ms"
address = "10.0.0.2/24"
answers = [ { port = 502 } ]
[controller.loadout.memory]
"%MW" = { kind = "word", first = 1, count = 100, serves = "hr:1000" }
[exchange]
transactions = [ { name = "t", controller = "kiln", slave = "loadout", REST } ]
)";
  const auto with = [&](const std::string& rest) {
    return test::base_plan() + test::replaced(peer, "REST", rest);
  };
  CHECK(
      first_transaction(with(R"(fc = 3, at = "%MW11", count = 4, into = "%MW0", every = "1s")")) ==
      "fc3 hr:1010+4 -> %MW0..%MW3");
  CHECK(first_transaction(
            with(R"(fc = 16, at = "hr:1000", count = 100, from = "%MW0", every = "1s")")) ==
        "fc16 %MW0..%MW99 -> hr:1000+100");
  const auto message = [&](const std::string& rest) {
    const auto findings = findings_of(with(rest));
    return findings.empty() ? std::string() : findings[0].substr(findings[0].find("t: ") + 3);
  };
  CHECK(message(R"(fc = 4, at = "%MW11", count = 4, into = "%MW0", every = "1s")") ==
        "%MW of controller loadout is not served as input registers");
  CHECK(message(R"(fc = 3, at = 5, count = 4, into = "%MW0", every = "1s")") ==
        "controller loadout does not serve all of hr:5..8");
  CHECK(message(R"(fc = 3, at = "%MW101", count = 1, into = "%MW0", every = "1s")") ==
        "%MW101 lies outside %MW of controller loadout, which ends at %MW100");
  CHECK(message(R"(fc = 3, at = "%MW1.3", count = 1, into = "%MW0", every = "1s")") ==
        "'%MW1.3' names no word or bit to begin at");
  CHECK(message(R"(fc = 3, at = "%QW1", count = 1, into = "%MW0", every = "1s")") ==
        "'%QW1' is in no memory area of controller loadout, which has %MW");
}

TEST_CASE("connections are named after the first of their host in file order") {
  const auto loaded = test::load(R"(
[controller.a]
scan = "10ms"
[controller.b]
scan = "10ms"
[line.roof]
via = "roof"
mode = "rtu"
baud = 9600
format = "8N2"
[gateway.roof]
host = "10.0.0.9"
[slave.late]
line = "roof"
unit = 1
[slave.air]
host = "10.0.0.5"
unit = 1
[slave.air2]
host = "10.0.0.5"
unit = 2
[exchange]
transactions = [
  { name = "x", controller = "a", slave = "air2", fc = 3, at = 0, count = 1, into = "%MW", every = "1s" },
  { name = "y", controller = "b", slave = "air", fc = 3, at = 0, count = 1, into = "%MW", every = "1s" },
  { name = "z", controller = "a", slave = "late", fc = 3, at = 0, count = 1, into = "%MW", every = "1s" },
]
)");
  REQUIRE(loaded.plan.exchange.connections.size() == 3);
  CHECK(loaded.plan.exchange.connections[0].name == "air");
  CHECK(loaded.plan.exchange.connections[1].name == "air");
  CHECK(loaded.plan.exchange.connections[2].name == "roof (tcp)");
  CHECK(loaded.plan.exchange.connections[2].gateway.has_value());
}

TEST_CASE("a name pattern stands for any characters") {
  const auto matched = [](const std::string& pattern) {
    const auto loaded = test::load(
        with_rows({row("points = [\"" + pattern + "\"], into = \"%MW0\", every = \"1s\"")}),
        test::base_files());
    const auto& read = loaded.plan.transactions[0].read;
    return read ? fmt::format("{}+{}", read->offset, read->quantity) : std::string("none");
  };
  CHECK(matched("raw1") == "0+1");
  CHECK(matched("*2") == "1+1");
  CHECK(matched("r*w*") == "0+4");
  CHECK(matched("*aw3*") == "2+1");
  CHECK(matched("raw") == "none");
  CHECK(matched("x*") == "none");
}

TEST_CASE("a range that only names its area keeps clear of every use of memory") {
  // %MW0 is taken by one use of each kind in turn; the free range then begins at %MW1
  const std::string read =
      R"(  { name = "free", controller = "kiln", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW", every = "1s" },)";
  const auto placed = [&](const std::string& row, const std::string& behind = {}) {
    const std::string plan =
        test::base_plan() +
        "[controller.peer]\nscan = \"10ms\"\n[controller.peer.memory]\n\"%MW\" = { kind = "
        "\"word\", first = 0, count = 9 }\n[exchange]\ntransactions = [\n" +
        read + "\n" + row + "\n]\n" + behind;
    const auto loaded = test::load(
        test::replaced(plan, "scan = \"10ms\"\n[controller.kiln.memory]",
                       "scan = \"10ms\"\naddress = \"10.0.0.1\"\nanswers = [ { port = 502 } "
                       "]\n[controller.kiln.memory]"),
        test::base_files());
    for (const auto& f : loaded.findings) UNSCOPED_INFO(f.message);
    CHECK(loaded.findings.empty());
    const auto& into = loaded.plan.transactions[0].into;
    return into ? into->number : -1;
  };
  const std::string write = R"(slave = "pump", controller = "kiln", fc = 6, at = 2, from = "%MW5")";
  CHECK(placed("") == 0);
  CHECK(placed("{ name = \"x\", " + write + ", every = \"1s\", only_if = \"%MW0.3\" }") == 1);
  CHECK(placed("{ name = \"x\", " + write + ", on = \"%MW0.3\", min_gap = \"1s\" }") == 1);
  CHECK(placed("{ name = \"x\", " + write + ", every = \"1s\", status = { done = \"%MW0.9\" } }") ==
        1);
  CHECK(placed("{ name = \"x\", " + write +
               ", every = \"1s\", status = { exception = \"%MW0\" } }") == 1);
  CHECK(
      placed(
          R"({ name = "x", slave = "pump", controller = "kiln", fc = 6, at = 2, from = "%MW0", every = "1s" })") ==
      1);
  CHECK(
      placed(
          R"({ name = "x", slave = "kiln", controller = "peer", fc = 16, at = 0, count = 1, from = "%MW0", every = "1s" })") ==
      1);
  CHECK(
      placed(
          R"({ name = "x", slave = "kiln", controller = "peer", fc = 3, at = 0, count = 1, into = "%MW0", every = "1s" })") ==
      1);
  CHECK(
      placed(
          "",
          "copies = [ { controller = \"kiln\", from = \"%MW0\", to = \"%MW7\", count = 1 } ]\n") ==
      1);
  CHECK(
      placed(
          "",
          "copies = [ { controller = \"kiln\", from = \"%MW7\", to = \"%MW0\", count = 1 } ]\n") ==
      1);
  CHECK(placed("",
               "[supervision]\nheartbeats = [ { name = \"h\", from = \"kiln\", bit = \"%MW0.0\", "
               "toggle = \"1s\", to = \"peer\", watch = \"3s\", react = \"5s\", on_loss = "
               "\"stop\" } ]\n") == 1);
}
