// Family H: a plan that fires each rule, with the exact words, and one in which it is silent.
//
// kiln (scan 10 ms) writes to loadout (scan 8 ms, so its reply takes 8 to 16 ms) over TCP (rtt 1 to
// 5 ms): at most 21 ms. Alone on its connection that is R; D = period x ceil(R / period) + R.
#include <catch2/catch.hpp>

#include "network_plan.h"
#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::network_plan;
using test::replaced;

namespace {

using Words = std::vector<std::string>;

const std::string carrier =
    "{ name = \"to\", controller = \"kiln\", slave = \"loadout\", fc = 16, at = \"%MW0\", count = "
    "4, "
    "from = \"%MW100\", every = \"100ms\" }";

std::string beating(const std::string& toggle, const std::string& watch, const std::string& react,
                    const std::string& row = carrier, const std::string& more = {}) {
  return network_plan({row},
                      "[supervision]\nheartbeats = [ { name = \"alive\", from = \"kiln\", bit "
                      "= \"%MW100.0\", toggle = \"" +
                          toggle + "\", to = \"loadout\", watch = \"" + watch + "\", react = \"" +
                          react + "\", on_loss = \"alarm\"" + more + " } ]\n");
}

}  // namespace

TEST_CASE("H01: the row that is proposed can be added: a free name, a bit that nothing fills") {
  const auto plan = [](const std::string& first, const std::string& heartbeats) {
    return network_plan(
        {"{ name = \"to\", controller = \"kiln\", slave = \"loadout\", fc = 16, at = \"%MW10\", "
         "count = 2, from = \"%MW100\", every = \"100ms\" }",
         "{ name = \"in\", slave = \"gauge\", fc = 3, at = 10, count = 1, into = \"" + first +
             "\", every = \"1s\", on_loss = \"hold\" }"},
        "[supervision]\nheartbeats = [" + heartbeats + "]\n");
  };
  const auto remedy = [&](const std::string& text) {
    const auto found = findings_of_rule("H01", text);
    REQUIRE(found.size() == 1);
    return found[0].substr(found[0].find(" | ") + 3);
  };
  for (const char* first : {"%MW300", "%MW100"}) {
    for (const std::string other :
         {"",
          "{ name = \"kiln-alive\", from = \"loadout\", bit = \"%MW90.0\", toggle = \"1s\", to = "
          "\"kiln\", watch = \"3s\", react = \"5s\", on_loss = \"stop\" }, "}) {
      const std::string said = remedy(plan(first, other));
      INFO(said);
      REQUIRE(said.starts_with("add { "));
      const std::string row = said.substr(4, said.find(" } to heartbeats") - 2);
      CHECK(row.find(first == std::string("%MW100") ? "%MW101.0" : "%MW100.0") !=
            std::string::npos);
      const std::string cured = plan(first, other + row);
      CHECK(findings_of_rule("H01", cured).empty());
      for (const char* rule : {"P04", "M06", "M02"}) {
        CHECK(findings_of_rule(rule, cured) == findings_of_rule(rule, plan(first, other)));
      }
    }
  }
}

TEST_CASE("H01: data without a heartbeat in their direction") {
  // D = 121 ms; toggle: at least 1 s; watch 1 s + 139 ms, to the next half second; react likewise
  CHECK(
      findings_of_rule("H01", network_plan({carrier})) ==
      Words{
          "warning controller loadout: takes data from kiln, but no heartbeat tells whether they "
          "are alive | add { name = \"kiln-alive\", from = \"kiln\", bit = \"%MW100.0\", toggle = "
          "\"1s\", to = \"loadout\", watch = \"1500ms\", react = \"2s\", on_loss = \"alarm\" } to "
          "heartbeats, with a bit that kiln's program toggles"});
  CHECK(findings_of_rule("H01", beating("1s", "2s", "3s")).empty());
  // the proposal is a good heartbeat itself
  for (const char* rule : {"H01", "H02", "H03", "H04", "H05", "H06"}) {
    CHECK(findings_of_rule(rule, beating("1s", "1500ms", "2s")).empty());
  }
  // data in the other direction need one in the other direction
  const std::string both = beating("1s", "2s", "3s",
                                   carrier +
                                       ",\n  { name = \"back\", controller = \"kiln\", slave = "
                                       "\"loadout\", fc = 3, at = \"%MW50\", count = 2, into = "
                                       "\"%MW200\", every = \"1s\", on_loss = \"hold\" }");
  const auto one_way = findings_of_rule("H01", both);
  REQUIRE(one_way.size() == 1);
  CHECK(one_way[0].find("controller kiln: takes data from loadout, but no heartbeat tells whether "
                        "they are alive: only the other direction is watched | add { name = "
                        "\"loadout-alive\", from = \"loadout\", bit = \"%MW50.0\"") !=
        std::string::npos);
}

TEST_CASE("H02, H09: who carries it") {
  CHECK(
      findings_of_rule("H02", replaced(beating("1s", "2s", "3s"), "%MW100.0", "%MW104.0")) ==
      Words{
          "error heartbeat alive: no transaction carries %MW104.0 from kiln to loadout | write it "
          "with a transaction of kiln, or read it with one of loadout; or name a bit that is "
          "already carried"});
  CHECK(findings_of_rule("H02", replaced(beating("1s", "2s", "3s"), "%MW100.0", "%MW103.15"))
            .empty());
  const std::string asked =
      replaced(carrier, "every = \"100ms\"", "on = \"change\", min_gap = \"100ms\"");
  CHECK(findings_of_rule("H09", beating("1s", "2s", "3s", asked)) ==
        Words{"warning heartbeat alive: carried by to alone, which is only sent when something "
              "triggers: the toggles may never arrive | write every = \"250ms\" at to"});
  CHECK(findings_of_rule("H09", beating("1s", "2s", "3s")).empty());
}

TEST_CASE("H03: toggles that are lost") {
  // D + scans = 121 + 18 = 139 ms
  CHECK(
      findings_of_rule("H03", beating("138ms", "2s", "3s")) ==
      Words{
          "error heartbeat alive: toggles every 138ms, but to takes up to 139 ms to carry a change "
          "even when all is well: toggles are lost | write toggle = \"200ms\", or a shorter period "
          "at to"});
  CHECK(findings_of_rule("H03", beating("139ms", "2s", "3s")).empty());
  // H03 is the cause
  for (const char* rule : {"H04", "H05", "H06"}) {
    CHECK(findings_of_rule(rule, beating("138ms", "10ms", "20ms")).empty());
  }
}

TEST_CASE("H04, H05: the watch between two numbers") {
  // toggle 1 s, D = G = 121 ms, scans 18 ms: at least 1139 ms; at most 3000 - 121 - 16 = 2863 ms
  CHECK(
      findings_of_rule("H04", beating("1s", "1138ms", "3s")) ==
      Words{
          "error heartbeat alive: the watch of 1138ms can run out although all is well: up to 1139 "
          "ms pass between two changes that loadout sees | write watch = \"1200ms\": 1139 ms is "
          "the smallest safe watch, 2863 ms the largest that reacts in time"});
  CHECK(findings_of_rule("H04", beating("1s", "1139ms", "3s")).empty());
  CHECK(findings_of_rule("H05", beating("1s", "2864ms", "3s")) ==
        Words{"error heartbeat alive: the loss may be noticed only after 3001 ms, later than react "
              "= 3s "
              "| write watch = \"1200ms\": 1139 ms is the smallest safe watch, 2863 ms the largest "
              "that reacts in time"});
  CHECK(findings_of_rule("H05", beating("1s", "2863ms", "3s")).empty());
  // one lost try of 1000 (timeout, no retries): the request 100 later fails until 1021, the one at
  // 1100 brings the change: G = 100 + 1100 + 21, in which two toggles may hide: 3 x 1000 + 121 + 18
  const auto lost = findings_of_rule("H04", beating("1s", "2s", "9s", carrier, ", lost = 1"));
  REQUIRE(lost.size() == 1);
  CHECK(
      lost[0].find("up to 3139 ms pass between two changes that loadout sees, 1 failed try between "
                   "them included") != std::string::npos);
}

TEST_CASE("H06: no watch at all, and the period or react that makes room") {
  // period 900 ms: D = 921; toggle 2 s: W_min = 2939; W_max = 3000 - 921 - 16 = 2063
  const std::string slow = replaced(carrier, "100ms", "900ms");
  CHECK(
      findings_of_rule("H06", beating("2s", "2500ms", "3s", slow)) ==
      Words{
          "error heartbeat alive: no watch is both safe and quick enough: below 2939 ms it gives "
          "false alarms, above 2063 ms it reacts later than 3s | write every = \"460ms\" at to, or "
          "react = \"3900ms\" if the plant can stand it"});
  // its own suggestions make room: D = 481, W_min = 2499, W_max = 3000 - 481 - 16 = 2503
  const std::string quicker = replaced(carrier, "100ms", "460ms");
  for (const char* rule : {"H04", "H05", "H06"}) {
    CHECK(findings_of_rule(rule, beating("2s", "2500ms", "3s", quicker)).empty());
    CHECK(findings_of_rule(rule, beating("2s", "2940ms", "3900ms", slow)).empty());
  }
  CHECK(findings_of_rule("H06", beating("2s", "2500ms", "3s", replaced(carrier, "100ms", "470ms")))
            .size() == 1);
}

TEST_CASE("H07: a slave's own watchdog") {
  // gauge is asked once a second and answers within 38.620 ms (8 registers on line north)
  const std::string plan =
      network_plan({"{ name = \"in\", slave = \"gauge\", controller = \"kiln\", fc = 3, at = 0, "
                    "count = 8, into = "
                    "\"%MW0\", every = \"1s\", on_loss = \"hold\" }"});
  const auto with_watchdog = [&](const std::string& keys) {
    return findings_of_rule("H07", replaced(plan, "unit = 12\n", "unit = 12\n" + keys));
  };
  CHECK(
      with_watchdog("watchdog = \"1038ms\"\n") ==
      Words{"error slave gauge: its watchdog runs out after 1038ms, but up to 1038.62 ms may pass "
            "between two requests that feed it (in) | write every = \"990ms\" at in, or set the "
            "watchdog to 1100ms or more"});
  CHECK(with_watchdog("watchdog = \"1039ms\"\n").empty());
  CHECK(
      with_watchdog("watchdog = \"9s\"\nwatchdog_by = \"writes\"\n") ==
      Words{"error slave gauge: its watchdog of 9s is fed by writes, and none comes by the clock | "
            "give it a cyclic write with every = \"3s\" or less"});
}

TEST_CASE("H08: reads without a reaction to loss") {
  const auto h08 = [](const std::string& rest) {
    return findings_of_rule(
        "H08", network_plan({"{ name = \"in\", slave = \"gauge\", controller = \"kiln\", every = "
                             "\"1s\", " +
                             rest + " }"}));
  };
  CHECK(h08("fc = 3, at = 0, count = 8, into = \"%MW0\"") ==
        Words{"warning transaction in: nothing says what the program does with this data when the "
              "slave is lost | add on_loss = \"hold\", \"zero\", \"alarm\", \"warn\", \"stop\" or "
              "\"none\""});
  CHECK(h08("fc = 3, at = 0, count = 8, into = \"%MW0\", on_loss = \"none\"").empty());
  CHECK(h08("fc = 6, at = 10, from = \"%MW0\"").empty());
}
