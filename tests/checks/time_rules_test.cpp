// Family T: a plan that fires each rule, with the exact words, and one in which it is silent. The
// arithmetic is written out: on line north a character takes 11 / 19200 s = 0.572917 ms, t3.5 =
// 2.005208 ms; a read of n registers takes 8 characters, the reply delay, 5 + 2 n characters, t3.5.
#include <catch2/catch.hpp>

#include "network_plan.h"
#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::network_plan;
using test::replaced;

namespace {

using Words = std::vector<std::string>;

std::string row(const std::string& name, const std::string& slave, int count,
                const std::string& rest) {
  const int into = name == "a" ? 0 : name == "b" ? 200 : name == "c" ? 400 : 600;
  return "{ name = \"" + name + "\", controller = \"kiln\", slave = \"" + slave +
         "\", fc = 3, at = 0, count = " + std::to_string(count) + ", into = \"%MW" +
         std::to_string(into) + "\", on_loss = \"hold\", " + rest + " }";
}

std::string with_north(const std::string& keys, const std::string& plan) {
  return replaced(plan, "format = \"8E1\"\n", "format = \"8E1\"\n" + keys);
}

}  // namespace

TEST_CASE("T01: a line with too little time") {
  // 8 registers: (8 + 21) x 0.572917 + 20 + 2.005208 = 38.6198 ms; in 40 ms 96.5 %
  const auto busy = [](const std::string& every) {
    return findings_of_rule("T01",
                            network_plan({row("a", "gauge", 8, "every = \"" + every + "\"")}));
  };
  CHECK(
      busy("40ms") ==
      Words{"warning line north: 96.5 % used by the longest durations: little room is left for "
            "failures and retries | a takes 96.5 % of it: every = \"50ms\" there leaves 77.2 %; or "
            "raise the baud, or split the line"});
  CHECK(
      busy("30ms").at(0).find(
          "error line north: 128.7 % used by the longest durations: more than there is time for") ==
      0);
  CHECK(busy("50ms").empty());  // 77.2 %
  // 24 ms on a connection: 80 % is not yet busy, 100 % not yet too much
  const auto direct = [](const std::string& every) {
    return findings_of_rule("T01", network_plan({row("a", "air", 2, "every = \"" + every + "\"")}));
  };
  CHECK(direct("30ms").empty());
  CHECK(direct("29ms").size() == 1);
  CHECK(direct("24ms").at(0).find("warning slave air: 100.0 %") == 0);
  CHECK(direct("23ms").at(0).find("error slave air: 104.3 %") == 0);
  // many small ones: no single one can be blamed
  const auto many =
      findings_of_rule("T01", network_plan({row("a", "gauge", 8, "every = \"80ms\""),
                                            row("b", "pump", 8, "every = \"80ms\""),
                                            row("c", "gauge", 8, "every = \"80ms\"")}));
  REQUIRE(many.size() == 1);  // 3 x 48.27 = 144.8 %
  CHECK(many[0].find("make all periods 1.9 times as long") != std::string::npos);
  // a connection is a line, too: 24 ms of every 25
  CHECK(findings_of_rule("T01", network_plan({row("a", "air", 2, "every = \"25ms\"")}))
            .at(0)
            .find("warning slave air: 96.0 % used") == 0);
}

TEST_CASE("T01: what comes on request alone is no error") {
  // on a line: 38.6198 ms each; four of them as often as every 200 ms: 77.2 % beside a cyclic one
  // of 38.6198 ms in 100 ms
  const auto setpoint = [](const std::string& name, const std::string& slave) {
    return "{ name = \"" + name + "\", controller = \"kiln\", slave = \"" + slave +
           "\", fc = 16, at = 0, count = 2, from = \"%MW100\", on = \"change\", min_gap = "
           "\"60ms\" }";
  };
  const auto found = findings_of_rule(
      "T01", network_plan({setpoint("s1", "air"), setpoint("s2", "air"), setpoint("s3", "air"),
                           row("a", "air", 2, "every = \"100ms\"")}));
  // 24 ms each: 24 % cyclic, and 3 x 40 % on request
  REQUIRE(found.size() == 1);
  CHECK(found[0] ==
        "warning slave air: 24.0 % used, and 144.0 % if all on request come as often as `min_gap` "
        "allows: 3 requests at once take 72 ms | make each `min_gap` 1.6 times as long, or accept "
        "it if "
        "they never come so often");
  // nothing is said where there is room for all of it, however little
  CHECK(findings_of_rule("T01", network_plan({setpoint("s1", "air"), setpoint("s2", "air"),
                                              row("a", "air", 2, "every = \"200ms\"")}))
            .empty());  // 12 % + 80 %
  // what is cyclic still counts: 96 %
  CHECK(findings_of_rule(
            "T01", network_plan({setpoint("s1", "air"), row("a", "air", 2, "every = \"25ms\"")}))
            .at(0)
            .starts_with("warning slave air: 96.0 % used by the longest durations"));
}

TEST_CASE("T02: what only requests make miss is a warning") {
  // 144.0365 ms on request every 150 ms, beside 38.6198 ms in 160 ms: 120.2 %
  const auto found = [](const std::string& cyclic) {
    return findings_of_rule(
        "T02",
        network_plan({row("a", "gauge", 8, "every = \"" + cyclic + "\""),
                      "{ name = \"b\", controller = \"kiln\", slave = \"pump\", fc = 3, at = 0, "
                      "count = 100, into = \"%MW200\", on = \"%MX0\", min_gap = \"150ms\" }"}));
  };
  const auto disturbed = found("160ms");
  REQUIRE(disturbed.size() == 1);
  CHECK(disturbed[0].starts_with("warning transaction a: "));
  // 38 ms do not fit into 30 ms whatever comes on request: T01 is the error
  CHECK(findings_of_rule("T01", network_plan({row("a", "gauge", 8, "every = \"30ms\"")}))
            .at(0)
            .starts_with("error"));
}

TEST_CASE("T02: periods missed and periods not guaranteed") {
  // 100 registers take (8 + 205) x 0.572917 + 20 + 2.005208 = 144.0365 ms: the short one waits
  const std::string missed = network_plan(
      {row("a", "gauge", 8, "every = \"100ms\""), row("b", "pump", 100, "every = \"10s\"")});
  CHECK(findings_of_rule("T02", missed) ==
        Words{"error transaction a: misses its period of 100ms: even with all slaves well, 1 "
              "release was lost in 10s simulated | write every = \"200ms\", or see `greymet "
              "timing` for what it waits for"});
  CHECK(findings_of_rule("T02", replaced(missed, "\"100ms\"", "\"190ms\"")).empty());
  // under "list" the busy period that b begins at 5040 holds b's 144.0365, the trigger's 31.745,
  // and a's 38.6198 of 5100 and 5250: it ends at 5293.021, and a of 5100 has waited 193.021
  const auto list_of = [](const std::vector<std::string>& more) {
    std::vector<std::string> rows{row("a", "gauge", 8, "every = \"150ms\""),
                                  row("b", "pump", 100, "every = \"9s\", phase = \"5040ms\"")};
    rows.insert(rows.end(), more.begin(), more.end());
    return with_north("order = \"list\"\n", network_plan(rows));
  };
  const std::string list = list_of({row("c", "gauge", 2, "on = \"%MW0.0\", min_gap = \"9s\"")});
  CHECK(
      findings_of_rule("T02", list) ==
      Words{"warning transaction a: its period of 150ms is not guaranteed: a response may take up "
            "to 193.021 ms; 122.656 ms was the longest simulated | write every = \"250ms\", or "
            "see `greymet timing` for what it waits for"});
  CHECK(findings_of_rule("T02", replaced(list, "\"150ms\"", "\"220ms\"")).empty());
  // without it the phases count, and 122.656 ms is all there is
  CHECK(findings_of_rule("T02", list_of({})).empty());
  CHECK(findings_of_rule("T02", replaced(list_of({}), "\"list\"", "\"due\"")).empty());
}

TEST_CASE("T03: a timeout that healthy slaves miss") {
  // 20 ms to the reply and 21 characters of it: 32.031 ms
  const std::string plan = network_plan({row("a", "gauge", 8, "every = \"1s\"")});
  CHECK(findings_of_rule("T03", with_north("timeout = \"32ms\"\n", plan)) ==
        Words{"error line north: timeout 32ms is shorter than the longest answer of gauge to a: "
              "32.031 ms to its last byte | write timeout = \"40ms\""});
  CHECK(findings_of_rule("T03", with_north("timeout = \"33ms\"\n", plan)).empty());
  const std::string tcp = network_plan({row("a", "air", 2, "every = \"1s\"")});
  const auto with_timeout = [&](const char* t) {
    return findings_of_rule("T03",
                            replaced(tcp, "\"10.20.0.31\"\n",
                                     std::string("\"10.20.0.31\"\ntimeout = \"") + t + "\"\n"));
  };
  CHECK(
      with_timeout("23ms").at(0).find(
          "error slave air: timeout 23ms is shorter than the longest answer of air to a: 24 ms") ==
      0);
  CHECK(with_timeout("24ms").empty());
  // the default reply time is named as what it is
  const std::string unknown = network_plan({row("a", "steam", 2, "every = \"1s\"")});
  const std::string slow = replaced(
      replaced(unknown, "host = \"10.20.0.32\"\nreply = { typical = \"5ms\", max = \"20ms\" }\n",
               "host = \"10.20.0.32\"\ntimeout = \"50ms\"\n"),
      "[exchange]", "[exchange]");
  CHECK(findings_of_rule("T03", slow).at(0).find("(with the default reply time)") !=
        std::string::npos);
}

TEST_CASE("who writes the timeout that T04 proposes hears of the line neither from T04 nor T07") {
  std::size_t proposed = 0;
  for (const char* slow : {"200ms", "300ms", "500ms", "1s", "3s", "9s"}) {
    for (const char* fast : {"250ms", "600ms", "1s", "2s"}) {
      for (const char* timeout : {"200ms", "500ms", "2s"}) {
        const std::string plan =
            network_plan({row("a", "gauge", 8, std::string("every = \"") + slow + "\""),
                          row("b", "pump", 2, std::string("every = \"") + fast + "\"")});
        const std::string stated = std::string("timeout = \"") + timeout + "\"\n";
        const auto found = findings_of_rule("T04", with_north(stated, plan));
        const std::size_t at = found.empty() ? std::string::npos : found[0].find("timeout = \"");
        if (at == std::string::npos) continue;
        const std::size_t end = found[0].find('"', at + 11);
        const std::string key = found[0].substr(at, end + 1 - at);
        if (found[0].find(" with retries = 0", end) == end + 1) continue;
        ++proposed;
        INFO(slow << " " << fast << " " << timeout << ": " << key);
        CHECK(findings_of_rule("T04", with_north(key + "\n", plan)).empty());
        CHECK(findings_of_rule("T07", with_north(key + "\n", plan)).empty());
      }
    }
  }
  CHECK(proposed >= 12);
}

TEST_CASE("T04: one silent slave, and what would cure it") {
  // a failed attempt: 8 characters + timeout + t3.5 = 6.5885 ms + timeout; two tries of 500 ms:
  // 1013.177 ms for each transaction to gauge
  const std::string plan =
      network_plan({row("a", "gauge", 8, "every = \"5s\""), row("b", "pump", 2, "every = \"1s\"")});
  CHECK(
      findings_of_rule("T04", plan) ==
      Words{"warning line north: if gauge is silent it stalls the others for 1013.177 ms again and "
            "again (1 transaction, 2 x 500ms each): b (every 1s) must wait | write retries = 0, "
            "or timeout = \"490ms\", or park = { after = 3, retry = \"10s\" } (then only the first "
            "stall is long)"});
  // its own suggestions work: 2 x 496.5885 = 993.177
  CHECK(findings_of_rule("T04", with_north("retries = 0\n", plan)).empty());
  CHECK(findings_of_rule("T04", with_north("timeout = \"490ms\"\n", plan)).empty());
  CHECK(findings_of_rule("T04", with_north("timeout = \"500ms\"\n", plan)).size() == 1);
  // parked, only the first stall remains
  CHECK(
      findings_of_rule("T04", with_north("park = { after = 3, retry = \"10s\" }\n", plan)) ==
      Words{"note line north: if gauge is silent it stalls the others for 1013.177 ms until it is "
            "parked after 3 failures (1 transaction, 2 x 500ms each): b (every 1s) must wait | "
            "write retries = 0, or timeout = \"490ms\""});
  // parked after one failure instead of three: enough where all tries of all fit into the period
  const auto ways = [&](const std::string& slow) {
    return findings_of_rule(
        "T04", with_north("park = { after = 3, retry = \"10s\" }\n",
                          network_plan({row("a", "gauge", 8, "every = \"9s\""),
                                        row("c", "gauge", 2, "every = \"9s\""),
                                        row("b", "pump", 2, "every = \"" + slow + "\"")})));
  };
  // two of 1013.177 ms at once; one alone is within 1020 ms
  CHECK(ways("1020ms").at(0).find("park with after = 1") != std::string::npos);
  CHECK(ways("1010ms").at(0).find("park with after = 1") == std::string::npos);
  CHECK(ways("2030ms").empty());
  // with park, but one attempt already takes too long
  const std::string long_timeout =
      with_north("timeout = \"2s\"\npark = { after = 1, retry = \"10s\" }\n", plan);
  const auto each = findings_of_rule("T04", long_timeout);
  REQUIRE(each.size() == 1);
  CHECK(each[0].find("warning line north: if gauge is silent it stalls the others for 2006.589 ms "
                     "each time it is tried") == 0);
  // with two tries of it T07 is content as well: 2 x 500 ms fit into the second of b
  CHECK(each[0].find("| write timeout = \"500ms\"") != std::string::npos);
  // alone on its line nobody waits for it
  CHECK(findings_of_rule("T04", network_plan({row("a", "gauge", 8, "every = \"1s\""),
                                              row("b", "gauge", 2, "every = \"1s\"")}))
            .empty());
  // alone on its connection, too
  CHECK(findings_of_rule("T04", network_plan({row("a", "air", 2, "every = \"100ms\""),
                                              row("b", "steam", 2, "every = \"100ms\"")}))
            .empty());
  // unless the controller has one request under way at a time
  CHECK(findings_of_rule("T04", replaced(network_plan({row("a", "air", 2, "every = \"100ms\""),
                                                       row("b", "steam", 2, "every = \"100ms\"")}),
                                         "scan = \"10ms\"\n", "scan = \"10ms\"\nin_flight = 1\n"))
            .size() >= 1);
}

TEST_CASE("T04: places, limits, scans and hosts that are off") {
  // connections of one controller: in_flight of each, of the controller, keys of the silent slave
  const auto plan = [](const std::string& of_controller, const std::string& of_air) {
    auto text =
        network_plan({row("a", "air", 2, "every = \"10s\""), row("c", "air", 2, "every = \"10s\""),
                      row("b", "steam", 2, "every = \"1500ms\"")});
    text = replaced(text, "scan = \"10ms\"\n", "scan = \"10ms\"\n" + of_controller);
    return replaced(text, "host = \"10.20.0.31\"\n", "host = \"10.20.0.31\"\n" + of_air);
  };
  const auto t04 = [](const std::string& text) { return findings_of_rule("T04", text); };
  // both places of the controller held by the silent one: 2 s of two transactions, shared by two
  CHECK(
      t04(plan("in_flight = 2\n", "in_flight = 2\ntimeout = \"1600ms\"\n")) ==
      Words{"warning slave air: if air is silent it stalls the others for 1600 ms again and again "
            "(2 transactions, 1 x 1600ms each): b (every 1500ms) must wait | write timeout = "
            "\"1500ms\""});
  // its own connection takes one at a time: one place is left for the others
  CHECK(t04(plan("in_flight = 2\n", "timeout = \"1600ms\"\n")).empty());
  CHECK(t04(plan("in_flight = 1\n", "timeout = \"1600ms\"\n")).size() == 1);
  // one that is stated stays, whatever the timeout
  CHECK(t04(plan("in_flight = 2\n",
                 "in_flight = 2\ntimeout = \"1600ms\"\nconnect_timeout = \"1600ms\"\n"))
            .at(0)
            .find("no timeout mends this") != std::string::npos);
  // tries are quick, but a host that is off takes the time to connect
  CHECK(t04(plan("in_flight = 1\n", "timeout = \"700ms\"\n")).empty());
  CHECK(
      t04(plan("in_flight = 1\n", "timeout = \"700ms\"\nconnect_timeout = \"800ms\"\n")) ==
      Words{"warning slave air: if air is silent it stalls the others for 1600 ms again and again "
            "(2 transactions, connect_timeout 800ms each): b (every 1500ms) must wait | write "
            "connect_timeout = \"700ms\""});
  CHECK(t04(plan("in_flight = 1\n", "timeout = \"700ms\"\nconnect_timeout = \"750ms\"\n")).empty());
  // whole scans: 506.589 ms take 600 of them, and b waits up to one more for its own
  const auto scans = [&](const std::string& period) {
    return replaced(with_north("retries = 0\n",
                               network_plan({row("a", "gauge", 8, "every = \"5s\""),
                                             row("b", "pump", 2, "every = \"" + period + "\"")})),
                    "scan = \"10ms\"\n", "scan = \"200ms\"\nsends = \"scan\"\n");
  };
  CHECK(t04(scans("799ms")).size() == 1);
  CHECK(t04(scans("800ms")).empty());
}

TEST_CASE("T05, C03: periods and the program's cycle") {
  const auto every = [](const std::string& period) {
    return network_plan({row("a", "air", 2, "every = \"" + period + "\"")});
  };
  CHECK(
      findings_of_rule("T05", every("9ms")) ==
      Words{"error transaction a: runs every 9ms, but the program of controller kiln only once in "
            "10ms | write every = \"10ms\" or more"});
  CHECK(findings_of_rule("T05", every("10ms")).empty());
  // T05 is the cause: T01 and T02 keep silent
  CHECK(findings_of_rule("T01", every("9ms")).empty());
  CHECK(findings_of_rule("T02", every("9ms")).empty());
  test::Files files = test::base_files();
  files["step.toml"] = "period_step = \"20ms\"\nmin_period = \"100ms\"\n";
  const auto with_model = [&](const std::string& period) {
    return replaced(every(period), "scan = \"10ms\"\n", "scan = \"10ms\"\nmodel = \"step.toml\"\n");
  };
  CHECK(findings_of_rule("T05", with_model("110ms"), files) ==
        Words{"warning transaction a: runs every 110ms; controller kiln counts periods in steps of "
              "20ms | write every = \"120ms\""});
  CHECK(findings_of_rule("T05", with_model("120ms"), files).empty());
  CHECK(findings_of_rule("C03", with_model("80ms"), files) ==
        Words{"error transaction a: runs every 80ms; the shortest period of controller kiln "
              "(step.toml) is 100ms | write every = \"100ms\""});
  CHECK(findings_of_rule("C03", with_model("100ms"), files).empty());
}

TEST_CASE("T06: releases that coincide") {
  const std::string together =
      network_plan({row("a", "gauge", 8, "every = \"1s\""), row("b", "pump", 2, "every = \"1s\"")});
  // b waits for a: 38.6198 ms; placed behind it, nobody waits
  CHECK(
      findings_of_rule("T06", together) ==
      Words{"note line north: transactions are released at the same instant and wait for each "
            "other up to 38.62 ms; with other phases it would be 0 ms | write b phase = \"40ms\""});
  CHECK(findings_of_rule("T06", replaced(together, "every = \"1s\" },\n]",
                                         "every = \"1s\", phase = \"40ms\" },\n]"))
            .empty());
  // apart already, though not far enough: nothing coincides
  CHECK(findings_of_rule("T06", replaced(together, "every = \"1s\" },\n]",
                                         "every = \"1s\", phase = \"1ms\" },\n]"))
            .empty());
}

TEST_CASE("T07: tries that outlast the period") {
  const std::string plan = network_plan({row("a", "gauge", 8, "every = \"900ms\"")});
  CHECK(findings_of_rule("T07", plan) ==
        Words{"note line north: the tries of a to a silent slave take 1s (2 x 500ms), longer than "
              "its period of 900ms: it then runs at the pace of its timeouts | write timeout = "
              "\"450ms\" (the longest answer takes 32.031 ms), or accept it"});
  CHECK(findings_of_rule("T07", replaced(plan, "900ms", "1s")).empty());
  CHECK(findings_of_rule("T07", with_north("timeout = \"450ms\"\n", plan)).empty());
}

TEST_CASE("T08: continuous transactions") {
  // without the sweep of 40 registers (8 + 85 characters: 75.286 ms) a keeps its 50 ms
  const std::string plan = network_plan(
      {row("a", "gauge", 8, "every = \"50ms\""), row("b", "pump", 40, "every = \"continuous\"")});
  CHECK(
      findings_of_rule("T08", plan) ==
      Words{"warning transaction b: each run takes up to 75.286 ms of the line; without it a would "
            "surely keep the period of 50ms | give it a period, read fewer registers at a time, or "
            "lengthen the others' periods"});
  CHECK(findings_of_rule("T08", replaced(plan, "\"50ms\"", "\"114ms\"")).empty());
  // use below 100 %, but 1 + ceil(L / period) of each never ends
  const auto starved =
      findings_of_rule("T08", network_plan({row("a", "gauge", 8, "every = \"38620us\""),
                                            row("b", "pump", 2, "every = \"continuous\"")}));
  REQUIRE(starved.size() == 1);
  CHECK(starved[0].find("warning transaction b: may never get its turn") == 0);
}

TEST_CASE("T09: a gateway's line and a slave shared by masters") {
  const std::string other =
      "{ name = \"x\", controller = \"loadout\", slave = \"weather\", fc = 3, at = 0, count = 2, "
      "into "
      "= \"%MW0\", on_loss = \"hold\", every = \"5s\" }";
  const std::string shared = network_plan(
      {row("a", "weather", 2, "every = \"5s\""), row("b", "weather", 8, "every = \"5s\""), other});
  // 8 and 9 characters of 1.145833 ms, 20 ms, 4.0104 ms = 43.4896; with 21 characters 57.2396
  CHECK(
      findings_of_rule("T09", shared) ==
      Words{
          "warning line roof: 2 masters share it and know nothing of each other: kiln waits up to "
          "43.49 ms more per request, 86.979 ms per round of 2; loadout waits up to 57.24 ms more "
          "per request, 57.24 ms per round of 1 | let one master read and pass the values on, or "
          "accept it with these numbers"});
  CHECK(findings_of_rule("T09", network_plan({row("a", "weather", 2, "every = \"5s\"")})).empty());
  const std::string air =
      network_plan({row("a", "air", 2, "every = \"5s\""), replaced(other, "weather", "air")});
  CHECK(
      findings_of_rule("T09", air) ==
      Words{"note slave air: 2 masters ask it: its reply `max` of 20ms must include serving the "
            "other's request first | measure reply with both masters running, or state twice what "
            "one master sees"});
}

TEST_CASE("T10: what was simulated where not everything was") {
  const std::string odd = network_plan(
      {row("a", "gauge", 2, "every = \"997ms\""), row("b", "pump", 2, "every = \"1009ms\"")});
  CHECK(
      findings_of_rule("T10", odd) ==
      Words{
          "note line north: 600s of its time were simulated, and what can happen had not repeated "
          "by then: its periods come together every 1005973ms | rely on the bounds here, or "
          "choose periods that divide each other"});
  CHECK(findings_of_rule("T10", replaced(odd, "997ms", "1009ms")).empty());
  const std::string sweep = network_plan(
      {row("a", "gauge", 2, "every = \"1s\""), row("b", "pump", 7, "every = \"continuous\"")});
  const auto swept = findings_of_rule("T10", sweep);
  REQUIRE(swept.size() == 1);
  CHECK(swept[0].ends_with("what runs continuously seldom repeats exactly"));
}

TEST_CASE("T14: seconds where milliseconds were meant") {
  const auto row = [](const char* name, const char* every, int at) {
    return fmt::format(
        "{{ name = \"{}\", slave = \"gauge\", fc = 3, at = {}, count = 1, into = "
        "\"%MW{}\", every = \"{}\" }}",
        name, at, at, every);
  };
  const auto plan = [&](const char* a, const char* b, const char* c) {
    return test::with_rows({row("a", a, 10), row("b", b, 11), row("c", c, 12)});
  };
  CHECK(
      test::findings_of_rule("T14", plan("500s", "500ms", "1s")) ==
      std::vector<std::string>{
          "warning transaction a: runs every 500s, and all else of gauge at least every 1s: 500ms "
          "would be one among the others | write every = \"500ms\" if milliseconds were meant; "
          "else accept it"});
  CHECK(test::findings_of_rule("T14", plan("500s", "100ms", "60s")).empty());  // not ten times
  CHECK(
      test::findings_of_rule("T14", plan("500s", "600ms", "1s")).empty());  // no other is so quick
  CHECK(test::findings_of_rule("T14", plan("10min", "100ms", "1s")).size() == 1);
  CHECK(test::findings_of_rule("T14", plan("60s", "10ms", "1s")).empty());
}
