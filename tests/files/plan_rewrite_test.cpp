#include "files/plan_rewrite.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using files::transaction_row;
using files::with_packed_wants;

namespace {

model::Transaction request(const std::string& name) {
  model::Transaction t;
  t.name = name;
  t.slave = model::Located<std::string>{"gauge", {}};
  t.function = model::Located<std::int64_t>{3, {}};
  t.block.at = model::Located<model::AddressText>{{"hr:0", false}, {}};
  t.block.count = model::Located<std::int64_t>{2, {}};
  t.into = model::Located<std::string>{"%MW500", {}};
  t.every = model::Located<model::Every>{{false, std::chrono::seconds(1)}, {}};
  return t;
}

const std::string gauge_row =
    R"({ name = "new", slave = "gauge", fc = 3, at = "hr:0", count = 2, into = "%MW500", every = "1s" })";
const std::string wants =
    "wants = [  # for the trend\n  { slave = \"gauge\", points = [\"a\"] },\n]  # that is all\n";
const std::string packed_wants =
    "# packed: wants = [  # for the trend\n  # packed: { slave = \"gauge\", points = [\"a\"] },\n# "
    "packed: ]  # that is all\n";

std::string rewritten(const std::string& plan) {
  const auto text = with_packed_wants(plan, {request("new")});
  return text ? *text : "error: " + text.error();
}

}  // namespace

TEST_CASE("rows are added behind the last, whatever its comma and comments") {
  const std::string rest = "\n[supervision]\n";
  CHECK(rewritten("[exchange]\ntransactions = [\n    { name = \"a\" },  # first\n    # end\n]\n" +
                  wants + rest) ==
        "[exchange]\ntransactions = [\n    { name = \"a\" },  # first\n    # end\n    " +
            gauge_row + ",\n]\n" + packed_wants + rest);
  CHECK(rewritten("[exchange]\ntransactions = [\n\t{ name = \"a\" }  # no comma\n]\n" + wants) ==
        "[exchange]\ntransactions = [\n\t{ name = \"a\" },  # no comma\n\t" + gauge_row + ",\n]\n" +
            packed_wants);
  CHECK(rewritten("[exchange]\ntransactions = [ { name = \"a\" }, { name = \"b\" } ]\n" + wants) ==
        "[exchange]\ntransactions = [ { name = \"a\" }, { name = \"b\" }, \n  " + gauge_row +
            ",\n]\n" + packed_wants);
  CHECK(rewritten("[exchange]\ntransactions = []  # none yet\n" + wants) ==
        "[exchange]\ntransactions = [\n  " + gauge_row + ",\n]  # none yet\n" + packed_wants);
  CHECK(rewritten("[exchange]\ntable = \"x.csv\"\n" + wants) ==
        "[exchange]\ntable = \"x.csv\"\ntransactions = [\n  " + gauge_row + ",\n]\n" +
            packed_wants);
}

TEST_CASE("blocks are added as blocks") {
  CHECK(rewritten("[exchange]\n" + wants +
                  "[[exchange.transactions]]\nname = \"a\"\nstatus = { done = \"%MX1\" }  # last\n"
                  "# about what follows\n[supervision]\n") ==
        "[exchange]\n" + packed_wants +
            "[[exchange.transactions]]\nname = \"a\"\nstatus = { done = \"%MX1\" }  # last\n"
            "\n[[exchange.transactions]]\nname     = \"new\"\nslave    = \"gauge\"\nfc       = 3\n"
            "at       = \"hr:0\"\ncount    = 2\ninto     = \"%MW500\"\nevery    = \"1s\"\n"
            "# about what follows\n[supervision]\n");
  CHECK(rewritten("[exchange]\ntransactions = [\n]\n[[exchange.wants]]\nslave = \"gauge\"\npoints "
                  "= [\"a\",\n  \"b\"]\n# end\n") ==
        "[exchange]\ntransactions = [\n  " + gauge_row +
            ",\n]\n# packed: [[exchange.wants]]\n# packed: slave = \"gauge\"\n# packed: points = "
            "[\"a\",\n  # packed: \"b\"]\n# end\n");
}

TEST_CASE("line ends, foreign letters and brackets in texts are left alone") {
  CHECK(rewritten("[exchange]\r\ntransactions = [\r\n]\r\nwants = [ { slave = \"gauge\" } ]\r\n") ==
        "[exchange]\r\ntransactions = [\r\n  " + gauge_row +
            ",\r\n]\r\n# packed: wants = [ { slave = \"gauge\" } ]\r\n");
  CHECK(rewritten("[exchange]\ntransactions = [ { name = \"Grünmalz ]\" } ] # ]\n" + wants) ==
        "[exchange]\ntransactions = [ { name = \"Grünmalz ]\" }, \n  " + gauge_row + ",\n] # ]\n" +
            packed_wants);
}

TEST_CASE("names become TOML texts, and nothing is done without wants or in strange spellings") {
  auto t = request("a \"b\" \\ \t");
  CHECK(transaction_row(t).starts_with(R"({ name = "a \"b\" \\ \u0009", )"));
  CHECK(rewritten("[exchange]\ntransactions = []\n") == "[exchange]\ntransactions = []\n");
  CHECK(rewritten("exchange = { transactions = [], wants = [ {} ] }\n") ==
        "error: [exchange] is not a table of its own: write it as one");
  CHECK(rewritten("[exchange]\n[[exchange.wants]]\nslave = \"gauge\"\n") ==
        "error: there are no `transactions` to add to: write transactions = [ ] first");
  CHECK(rewritten("= 1\n").starts_with("error: [exchange] is not a table"));
}

TEST_CASE("what stands between blocks of wants is none of our business") {
  const std::string between =
      "\n# of the shift leader\n[supervision]\nheartbeats = [ { name = \"hb\" } ]\n\n";
  const std::string first = "[[exchange.wants]]\nslave = \"gauge\"\n";
  const std::string second = "[[exchange.wants]]\nslave = \"pump\"  # later\n";
  CHECK(rewritten("[exchange]\ntransactions = [\n]\n" + first + between + second) ==
        "[exchange]\ntransactions = [\n  " + gauge_row + ",\n]\n" +
            "# packed: [[exchange.wants]]\n# packed: slave = \"gauge\"\n" + between +
            "# packed: [[exchange.wants]]\n# packed: slave = \"pump\"  # later\n");
}

TEST_CASE("whatever stands around the wants stays, byte by byte and value by value") {
  rc::prop("only what was meant changes", [] {
    // parts of a plan in the order they are drawn; blocks of [exchange] stand behind its header
    const bool blocks = *rc::gen::arbitrary<bool>();
    std::string plan = *rc::gen::element<std::string>("", "# head\n", "[plan]\ntitle = \"x\"\n\n");
    plan += "[exchange]\n";
    plan += *rc::gen::element<std::string>("", "table = \"t.csv\"  # rows\n");
    if (!blocks) {
      plan += *rc::gen::element<std::string>(
          "transactions = []\n", "transactions = [ { name = \"a\" } ]\n",
          "transactions = [\n  { name = \"a ]\" }, # b ]\n  { name = 'c' } # d\n  # e\n]\n", "");
    }
    const bool list = *rc::gen::arbitrary<bool>();
    const bool nothing_to_add_to = !blocks && plan.find("transactions") == std::string::npos;
    if (list) {
      plan += *rc::gen::element<std::string>(
          "wants = [ { slave = \"gauge\" } ]  # w\n",
          "wants = [\n  # first\n  { slave = \"gauge\", points = [\"a\",\n \"]\"] },\n\n]\n");
    }
    const auto count = *rc::gen::inRange(list ? 0 : 1, 7);
    bool want_written = list;
    bool transaction_written = !blocks;
    for (int i = 0; i < count; ++i) {
      std::string part = *rc::gen::element<std::string>(
          "[[exchange.wants]]\nslave = \"gauge\" # s\n",
          "[[exchange.transactions]]\nname = \"b\"\n",
          "[supervision]\nheartbeats = [ { name = \"hb\" } ]\n", "# a comment\n", "\n",
          "[controller.N]\nscan = \"10ms\"\n[controller.N.memory]\n\"%MW\" = { count = 5 }\n");
      if (list && part.find("wants") != std::string::npos) continue;
      if (!blocks && part.find("exchange.transactions") != std::string::npos) continue;
      want_written = want_written || part.find("wants") != std::string::npos;
      transaction_written =
          transaction_written || part.find("ge.transactions") != std::string::npos;
      if (part.find("supervision") != std::string::npos &&
          plan.find("supervision") != std::string::npos) {
        continue;
      }
      for (auto at = part.find(".N"); at != std::string::npos; at = part.find(".N")) {
        part.replace(at, 2, ".c" + std::to_string(i));
      }
      plan += part;
    }
    RC_PRE(want_written && transaction_written);
    if (*rc::gen::arbitrary<bool>()) {
      for (std::size_t at = 0; (at = plan.find('\n', at)) != std::string::npos; at += 2) {
        plan.insert(at, "\r");
      }
    }
    if (*rc::gen::arbitrary<bool>()) plan.erase(plan.find_last_not_of("\r\n") + 1);
    const auto text = with_packed_wants(plan, {request("new"), request("more \"\\u0009")});
    if (nothing_to_add_to && !list) return;  // refused: it says so
    RC_ASSERT(text.has_value());
    RC_ASSERT(
        files::differs_only_by_packing(plan, *text, {request("new"), request("more \"\\u0009")}));
    // every byte is still there, in its order, and the last one is the last
    std::size_t at = 0;
    for (const char c : *text) {
      if (at < plan.size() && plan[at] == c) ++at;
    }
    RC_ASSERT(at == plan.size());
    RC_ASSERT(plan.ends_with('\n') || !text->ends_with('\n'));
  });
}

TEST_CASE("what else differs is seen, wherever it stands") {
  const std::string plan =
      "[exchange]\ntransactions = [ { name = \"a\", count = 2 } ]\nwants = [ { slave = \"gauge\" } "
      "]\n[supervision]\nx = [1.5, true, 2026-01-01, { y = 'z' }]\n";
  const std::vector<model::Transaction> packed{request("new")};
  const std::string good = rewritten(plan);
  CHECK(files::differs_only_by_packing(plan, good, packed));
  CHECK_FALSE(files::differs_only_by_packing(plan, plan, packed));
  CHECK_FALSE(files::differs_only_by_packing(plan, good, {request("other")}));
  CHECK_FALSE(files::differs_only_by_packing(plan, good, {request("new"), request("new")}));
  for (const auto& [what, with] : std::vector<std::pair<std::string, std::string>>{
           {"1.5", "1.25"},
           {"true", "false"},
           {"'z'", "'Z'"},
           {"y =", "Y ="},
           {"[1.5, ", "["},
           {"name = \"a\"", "name = \"b\""},
           {"count = 2 }", "count = 3 }"},
           {"[supervision]", "[supervisions]"},
           {"[supervision]", "[supervision]\nmore = 1"}}) {
    INFO(with);
    CHECK_FALSE(files::differs_only_by_packing(plan, test::replaced(good, what, with), packed));
  }
}
