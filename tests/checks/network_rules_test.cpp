// Family N: a plan that fires each rule, with the exact words, and one in which it is silent.
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <algorithm>

#include "network_plan.h"
#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::network_plan;
using test::replaced;

namespace {

using Words = std::vector<std::string>;

// A read of two registers by kiln.
std::string read(const std::string& slave, const std::string& rest = "every = \"1s\"",
                 const std::string& controller = "kiln") {
  return "{ name = \"" + slave + "-" + controller + "\", controller = \"" + controller +
         "\", slave = \"" + slave +
         "\", fc = 3, at = 0, count = 2, into = \"%MW0\", on_loss = "
         "\"hold\", " +
         rest + " }";
}

const std::string two_reads = network_plan({read("air"), read("steam")});

std::string with_air(const std::string& lines, const std::string& plan = two_reads) {
  return replaced(plan, "host = \"10.20.0.31\"\n", "host = \"10.20.0.31\"\n" + lines);
}

}  // namespace

TEST_CASE("the network plan has nothing to report") {
  CHECK(
      test::findings_of(two_reads, {}, "N01,N02,N03,N04,N05,N06,N07,N08,N09,N10,N11,N12").empty());
}

TEST_CASE("N01, N03: who claims an address twice") {
  CHECK(findings_of_rule("N01", replaced(two_reads, "\"10.20.0.32\"", "\"10.20.0.12\"")) ==
        Words{"error slave steam: 10.20.0.12 is also the address of controller loadout | give one "
              "of them another address"});
  CHECK(findings_of_rule("N01", replaced(two_reads, "\"10.20.0.12/24\"", "\"10.20.0.10/24\"")) ==
        Words{"error controller loadout: 10.20.0.10 is also the address of controller kiln | give "
              "one of them another address"});
  CHECK(findings_of_rule("N01",
                         replaced(two_reads, "\"10.20.0.32\"", "\"10.20.0.40\"\nport = 503")) ==
        Words{"error slave steam: 10.20.0.40 is also the address of gateway roof-box | give one of "
              "them another address"});
  const std::string port = replaced(two_reads, "\"10.20.0.32\"\n", "\"10.20.0.31\"\nport = 5020\n");
  CHECK(
      findings_of_rule("N01", port) ==
      Words{"error slave steam: 10.20.0.31 is also the address of slave air, there with port 502, "
            "here with 5020: two boxes on one address | write the address that is set at this "
            "box, or one port if both are units of one box"});
  // units of one box: same host, same port
  const std::string same = replaced(two_reads, "\"10.20.0.32\"\n", "\"10.20.0.31\"\nunit = 2\n");
  CHECK(findings_of_rule("N01", same).empty());
  CHECK(findings_of_rule("N03", same).empty());
  CHECK(findings_of_rule("N03", replaced(same, "unit = 2\n", "")) ==
        Words{"error slave steam: 10.20.0.31:502 unit 255 is also that of slave air | write the "
              "host of this box, or its own unit behind that host"});
  // two serial sides of one box: two gateways on one host
  const std::string gateways = two_reads + "[gateway.other]\nhost = \"10.20.0.40\"\nport = 503\n";
  CHECK(findings_of_rule("N01", gateways).empty());
  CHECK(findings_of_rule("N07", gateways).empty());
}

TEST_CASE("N02: outside the master's subnet") {
  const std::string far = replaced(two_reads, "\"10.20.0.32\"", "\"10.21.0.32\"");
  CHECK(findings_of_rule("N02", far) ==
        Words{"warning slave steam: 10.21.0.32 is outside 10.20.0.0/24, the subnet of controller "
              "kiln | write an address in 10.20.0.0/24, or router = true at controller kiln if a "
              "router leads there, or routed = true here"});
  CHECK(findings_of_rule("N02",
                         replaced(far, "scan = \"10ms\"\n", "scan = \"10ms\"\nrouter = true\n"))
            .empty());
  CHECK(
      findings_of_rule("N02", replaced(far, "\"10.21.0.32\"\n", "\"10.21.0.32\"\nrouted = true\n"))
          .empty());
  // without a prefix the subnet is unknown
  CHECK(findings_of_rule("N02", replaced(far, "10.20.0.10/24", "10.20.0.10")).empty());
  const std::string gateway =
      replaced(network_plan({read("weather")}), "\"10.20.0.40\"", "\"10.20.1.40\"");
  CHECK(findings_of_rule("N02", gateway).size() == 1);
  CHECK(findings_of_rule("N02", replaced(gateway, "10.20.0.10/24", "10.20.0.10/23")).empty());
  // a host name may be anywhere
  CHECK(findings_of_rule("N02", replaced(two_reads, "\"10.20.0.32\"", "\"steam.plant\"")).empty());
}

TEST_CASE("N04: more masters than connections") {
  const std::string two = network_plan({read("air"), read("air", "every = \"1s\"", "loadout")});
  CHECK(findings_of_rule("N04", with_air("connections = 1\n", two)) ==
        Words{"error slave air: 2 connections are needed (kiln, loadout), 1 accepted | let one of "
              "them read and pass the values on, or set connections to what the device really "
              "accepts"});
  CHECK(findings_of_rule("N04", with_air("connections = 2\n", two)).empty());
  const std::string roof =
      replaced(network_plan({read("weather"), read("weather", "every = \"1s\"", "loadout")}),
               "host = \"10.20.0.40\"\n", "host = \"10.20.0.40\"\nconnections = 1\n");
  CHECK(findings_of_rule("N04", roof).at(0).find("gateway roof-box: 2 connections") !=
        std::string::npos);
}

TEST_CASE("N05: a connection that falls asleep") {
  // 20 s between two releases, and a response of at most 4 ms + 20 ms
  const std::string rare = network_plan({read("air", "every = \"20s\"")});
  CHECK(findings_of_rule("N05", with_air("idle = \"20s\"\n", rare)) ==
        Words{"warning slave air: closes an idle connection after 20s; up to 20024 ms may pass "
              "between two requests of controller kiln | read something of it every = \"10s\", or "
              "write connect = \"each\""});
  CHECK(findings_of_rule("N05", with_air("idle = \"21s\"\n", rare)).empty());
  CHECK(findings_of_rule("N05", with_air("idle = \"20024ms\"\n", rare)).empty());
  CHECK(findings_of_rule("N05", with_air("idle = \"20023ms\"\n", rare)).size() == 1);
  CHECK(findings_of_rule("N05", with_air("idle = \"20s\"\nconnect = \"each\"\n", rare)).empty());
  const std::string asked =
      network_plan({"{ name = \"t\", controller = \"kiln\", slave = \"air\", fc = 6, at = 0, from "
                    "= \"%MW9\", on "
                    "= \"change\", min_gap = \"1s\" }"});
  CHECK(findings_of_rule("N05", with_air("idle = \"60s\"\n", asked))
            .at(0)
            .find("controller kiln only asks when something triggers") != std::string::npos);
}

TEST_CASE("N06: the master gives up before the gateway") {
  // rtt 5 ms + delay 10 ms + 2 x (8 characters + 500 ms + 3.5 characters), 11 bits at 9600 baud:
  // 15 + 2 x (9.1667 + 500 + 4.0104) = 1041.354 ms
  const std::string unsaid = network_plan({read("weather")});
  CHECK(findings_of_rule("N06", unsaid) ==
        Words{"error gateway roof-box: the master gives up after 1s, but the gateway may still try "
              "to reach weather for 1041.354 ms (2 tries of 500ms): the late answer meets the next "
              "request | write timeout = \"1100ms\" here, or a shorter timeout at line roof"});
  const std::string plan = replaced(unsaid, "host = \"10.20.0.40\"\n",
                                    "host = \"10.20.0.40\"\non_silence = \"exception\"\n");
  CHECK(findings_of_rule("N06", plan) ==
        Words{"error gateway roof-box: the master gives up after 1s, but the gateway may take "
              "1041.354 ms to say that weather does not answer (2 tries of 500ms): the late answer "
              "meets the next request | write timeout = \"1100ms\" here, or a shorter timeout at "
              "line roof"});
  const auto with_timeout = [&](const std::string& timeout) {
    return replaced(plan, "host = \"10.20.0.40\"\n",
                    "host = \"10.20.0.40\"\ntimeout = \"" + timeout + "\"\n");
  };
  CHECK(findings_of_rule("N06", with_timeout("1042ms")).empty());
  CHECK(findings_of_rule("N06", with_timeout("1041ms")).size() == 1);
  // a transparent gateway does not try by itself
  CHECK(findings_of_rule("N06", replaced(plan, "host = \"10.20.0.40\"\n",
                                         "host = \"10.20.0.40\"\nframing = \"rtu\"\n"))
            .empty());
  // another master's request may go first: 8 + 9 characters, 20 ms, 3.5 characters = 43.490 ms
  const auto shared = findings_of_rule(
      "N06", network_plan({read("weather"), read("weather", "every = \"1s\"", "loadout")}));
  REQUIRE(shared.size() == 1);
  CHECK(shared[0].find("1084.844 ms") != std::string::npos);
  CHECK(shared[0].find("43.49 ms of them for other masters") != std::string::npos);
}

TEST_CASE("N07, N08: unusual ports and units") {
  CHECK(findings_of_rule("N07", with_air("port = 503\n")) ==
        Words{"note slave air: port 503 where 502 is the registered one | leave port out, unless "
              "the device is set to another one"});
  CHECK(findings_of_rule("N07", with_air("port = 502\n")).empty());
  CHECK(
      findings_of_rule("N08", with_air("unit = 7\n")) ==
      Words{"note slave air: unit 7 on a slave with a connection of its own; most expect 255 or 0 "
            "| write unit = 255, unless its manual names another one or it is a gateway"});
  for (const char* unit : {"unit = 0\n", "unit = 255\n"}) {
    CHECK(findings_of_rule("N08", with_air(unit)).empty());
  }
  const std::string box =
      replaced(with_air("unit = 1\n"), "\"10.20.0.32\"\n", "\"10.20.0.31\"\nunit = 2\n");
  CHECK(findings_of_rule("N08", box).empty());  // told apart by their units
}

TEST_CASE("N09: what is no host or port") {
  const auto host = [&](const std::string& text) {
    return findings_of_rule("N09", replaced(two_reads, "\"10.20.0.31\"", '"' + text + '"'));
  };
  CHECK(host("10.20.0.310") ==
        Words{"error slave air: '10.20.0.310' is no address: four numbers of 0 to 255, without "
              "leading zeros | write four numbers up to 255 with dots between them"});
  CHECK(
      host("10.20.0.31:502") ==
      Words{"error slave air: '10.20.0.31:502' has a port in it | write host = \"10.20.0.31\" and "
            "port = 502"});
  CHECK(host("http://10.20.0.31") ==
        Words{"error slave air: 'http://10.20.0.31' is a web address, not a host | write the host "
              "alone; a port has a key of its own: port = 502"});
  CHECK(host("10.20.0.31/24") ==
        Words{"error slave air: '10.20.0.31/24' names a subnet; a box has one address | write "
              "\"10.20.0.31\""});
  CHECK(host("10.20.0.0") ==
        Words{"error slave air: '10.20.0.0' names the whole subnet 10.20.0.0/24 of controller kiln "
              "| write the address that is set at the box"});
  CHECK(host("10.20.0.255").at(0).find("reaches everybody in the subnet") != std::string::npos);
  CHECK(host("224.0.0.1").size() == 1);
  CHECK(host("0.0.0.0").size() == 1);
  CHECK(host("air one").size() == 1);
  for (const char* good : {"air.plant", "air-1", "fe80::1", "10.20.0.33"})
    CHECK(host(good).empty());
  CHECK(
      findings_of_rule("N09", with_air("port = 70000\n")) ==
      Words{"error slave air: port 70000 does not exist: ports are 1 to 65535 | write port = 502, "
            "unless the device's manual says otherwise"});
  CHECK(findings_of_rule("N09", with_air("port = 0\n")).size() == 1);
  CHECK(findings_of_rule("N09", replaced(two_reads, "10.20.0.12/24", "10.20.0.12/33")).size() == 1);
  CHECK(findings_of_rule("N09", replaced(two_reads, "10.20.0.12/24", "10.20.0.0/24")).size() == 1);
}

TEST_CASE("N10: a peer that does not let the master in") {
  const std::string to =
      network_plan({"{ name = \"to\", controller = \"kiln\", slave = \"loadout\", fc = 16, at = "
                    "\"%MW0\", count = "
                    "2, from = \"%MW0\", every = \"1s\" }"});
  const auto allows = [&](const std::string& who) {
    return findings_of_rule(
        "N10", replaced(to, "{ port = 502 }", "{ port = 502, allows = [" + who + "] }"));
  };
  CHECK(
      allows("\"10.20.0.99\"") ==
      Words{"error controller loadout: does not let in 10.20.0.10, the address of controller kiln "
            "| add \"10.20.0.10\" to allows"});
  CHECK(allows("\"10.20.0.99\", \"10.20.0.10\"").empty());
  CHECK(allows("\"10.20.0.0/24\"").empty());
  CHECK(allows("").size() == 1);
  CHECK(findings_of_rule("N10", to).empty());
}

TEST_CASE("N11: a connection for every request") {
  CHECK(
      findings_of_rule("N11", with_air("connect = \"each\"\n")) ==
      Words{"note slave air: opens 3600 connections an hour; keeping one would save up to 4 ms of "
            "each request | write connect = \"keep\", unless the slave cannot hold a connection"});
  const std::string rare = network_plan({read("air", "every = \"11s\"")});
  CHECK(findings_of_rule("N11", with_air("connect = \"each\"\n", rare)).empty());
  const std::string often = network_plan({read("air", "every = \"10s\"")});
  CHECK(findings_of_rule("N11", with_air("connect = \"each\"\n", often)).size() == 1);
  // it would be closed in between
  CHECK(findings_of_rule("N11", with_air("connect = \"each\"\nidle = \"500ms\"\n")).empty());
}

TEST_CASE("M04: who writes a register twice, against looking at every pair") {
  rc::prop("a pair is named exactly where there is one", [] {
    struct Write {
      std::string controller;
      int at, count;
    };
    std::vector<Write> writes;
    std::vector<std::string> rows;
    const auto count = *rc::gen::inRange(1, 6);
    for (int i = 0; i < count; ++i) {
      writes.push_back({*rc::gen::element<std::string>("kiln", "loadout"), *rc::gen::inRange(0, 12),
                        *rc::gen::inRange(1, 6)});
      rows.push_back("{ name = \"w" + std::to_string(i) + "\", controller = \"" +
                     writes.back().controller +
                     "\", slave = \"weather\", fc = 16, at = " + std::to_string(writes.back().at) +
                     ", count = " + std::to_string(writes.back().count) +
                     ", from = \"%MW0\", every = \"5s\" }");
    }
    bool any = false;
    bool of_two_masters = false;
    for (const Write& a : writes) {
      for (const Write& b : writes) {
        if (&a == &b || a.at + a.count <= b.at || b.at + b.count <= a.at) continue;
        any = true;
        of_two_masters = of_two_masters || a.controller != b.controller;
      }
    }
    const auto found = findings_of_rule("M04", network_plan(rows));
    RC_ASSERT(found.empty() != any);
    const bool errors = std::any_of(found.begin(), found.end(),
                                    [](const std::string& f) { return f.starts_with("error"); });
    RC_ASSERT(errors == of_two_masters);
  });
}

TEST_CASE("M04: two controllers write one register through a gateway") {
  const auto write = [](const std::string& controller, int at) {
    return "{ name = \"" + controller + "\", controller = \"" + controller +
           "\", slave = \"weather\", fc = 16, at = " + std::to_string(at) +
           ", count = 2, from = \"%MW0\", every = \"5s\" }";
  };
  CHECK(findings_of_rule("M04", network_plan({write("kiln", 0), write("loadout", 1)}))
            .at(0)
            .find("error transaction loadout: writes hr:1 of weather, which transaction kiln of "
                  "controller "
                  "kiln writes as well") == 0);
  CHECK(findings_of_rule("M04", network_plan({write("kiln", 0), write("loadout", 2)})).empty());
}

TEST_CASE("A05: what is stated and was never confirmed is noted, and has to be stated") {
  const auto with = [](const std::string& keys) {
    return test::replaced(
        test::with_rows(
            {R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })"}),
        "[slave.gauge]\n", "[slave.gauge]\n" + keys);
  };
  CHECK(test::findings_of_rule("A05", with("")).empty());
  CHECK(
      test::findings_of_rule("A05", with("reply = { typical = \"5ms\", max = \"9ms\" }\nassumed = "
                                         "[\"unit\", \"reply\"]\n")) ==
      std::vector<std::string>{
          "note slave gauge: `unit` is assumed, never confirmed | look at its switches, or its "
          "display; then take it off `assumed`",
          "note slave gauge: `reply` is assumed, never confirmed | greymet probe PLAN gauge "
          "--times 100 --write measures it; "
          "then take it off `assumed`"});
  const auto missing = test::findings_of_rule("P05", with("assumed = [\"holes\"]\n"));
  REQUIRE(missing.size() == 1);
  CHECK(missing[0].find("`assumed` names \"holes\", which the slave does not state | name what was "
                        "never confirmed of ") != std::string::npos);
}
