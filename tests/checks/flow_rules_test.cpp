// What becomes of values and bits on their way: M06 at both ends, M11 to M14, H02 with `seen`, H10,
// T11, T12; and what time does to supervision: T13, H07 with gates, H11.
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::replaced;

namespace {

using Words = std::vector<std::string>;

const std::string peer = R"([controller.loadout]
scan = "8ms"
address = "10.20.0.12/24"
answers = [ { port = 502 } ]
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 500, serves = "hr:0" }
)";

std::string table_row(const std::string& keys) {
  return "{ name = " + keys + " }";
}
// Rows of transactions, then more of [exchange] and other tables.
std::string plan_of(const std::vector<std::string>& keys, const std::string& more = "") {
  std::vector<std::string> rows;
  for (const std::string& k : keys) rows.push_back(table_row(k));
  return test::with_rows(rows) + more + "\n" + peer;
}

const std::string read8 =
    R"("in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold")";
const std::string to_peer =
    R"("to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW0", count = 4, from = "%MW100", every = "100ms")";
const std::string alive =
    R"({ name = "alive", from = "kiln", bit = "%MW100.0", toggle = "1s", to = "loadout", watch = "2s", react = "3s", on_loss = "alarm" })";
std::string beats(const std::string& heartbeat) {
  return "[supervision]\nheartbeats = [ " + heartbeat + " ]\n";
}
std::string copies(const std::string& list) {
  return "copies = [ " + list + " ]\n";
}

}  // namespace

TEST_CASE("M11: copies that spoil, cut or carry nothing") {
  const auto of = [](const std::string& list) {
    return findings_of_rule("M11", plan_of({read8, to_peer}, copies(list)));
  };
  CHECK(of(R"({ controller = "kiln", from = "%MW0", to = "%MW100", count = 2 })").empty());
  CHECK(of(R"({ controller = "kiln", from = "%MW1", to = "%MW100", count = 1 })") ==
        Words{"warning copy 1: takes 1 of the 2 words of 'moisture' (f32), which transaction in "
              "reads into %MW0..%MW1 | copy the whole value: correct `from` and `count`"});
  CHECK(of(R"({ controller = "kiln", from = "%MW0", to = "%MW100", count = 3 })").size() == 1);
  CHECK(of(R"({ controller = "kiln", from = "%MW5", to = "%MW100", count = 3 })").empty());
  CHECK(of(R"({ controller = "kiln", from = "%MW0", to = "%MW6", count = 2 })") ==
        Words{"warning copy 1: copies onto %MW6..%MW7 of controller kiln, which transaction in "
              "reads into | copy to words that nothing else fills; `greymet memory` shows what is "
              "free"});
  CHECK(
      of(R"({ controller = "kiln", from = "%MW0", to = "%MW100", count = 2 }, { controller = "kiln", from = "%MW2", to = "%MW101", count = 2 })") ==
      Words{"warning copy 2: copies onto %MW101 of controller kiln, which copy 1 fills as well | "
            "copy to words that nothing else fills; `greymet memory` shows what is free"});
  CHECK(
      of(R"({ controller = "kiln", from = "%MW50", to = "%MW100", count = 2 })") ==
      Words{"warning copy 1: copies from %MW50..%MW51 of controller kiln, which nothing fills: no "
            "read, no copy and no peer | correct `from`; or leave the copy out where the program "
            "computes the value, and let the write send it from there"});
  // one copy may take what another brings
  CHECK(
      of(R"({ controller = "kiln", from = "%MW0", to = "%MW50", count = 2 }, { controller = "kiln", from = "%MW50", to = "%MW100", count = 2 })")
          .empty());
  // what a peer writes fills, too, and is not to be copied onto
  const std::string from_peer =
      R"("push", controller = "loadout", slave = "kiln", fc = 16, at = "hr:60", count = 2, from = "%MW20", every = "1s")";
  const std::string answering = replaced(
      plan_of({read8, from_peer},
              copies(R"({ controller = "kiln", from = "%MW60", to = "%MW100", count = 2 })")),
      "[controller.kiln]\n", "[controller.kiln]\nanswers = [ { port = 502 } ]\n");
  CHECK(findings_of_rule("M11", answering).empty());
  CHECK(findings_of_rule("M11", replaced(answering, "from = \"%MW60\", to = \"%MW100\"",
                                         "from = \"%MW0\", to = \"%MW61\""))
            .at(0)
            .find("copies onto %MW61 of controller kiln, which transaction push writes from "
                  "outside") != std::string::npos);
}

TEST_CASE("M12: triggers and gates that are not the program's") {
  const auto of = [](const std::string& status, const std::string& command,
                     const std::string& more = "") {
    return findings_of_rule(
        "M12", plan_of({read8 + status,
                        R"("out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW20", )" +
                            command},
                       more));
  };
  const std::string on = R"(on = "%MX3", min_gap = "1s")";
  CHECK(
      of(R"(, status = { done = "%MX3" })", on) ==
      Words{"error transaction out: is triggered by %MX3, which is the `done` of transaction in | "
            "let the program set a bit of its own from the status"});
  CHECK(of(R"(, status = { failed = "%MX3" })", R"(every = "1s", only_if = "%MX3")") ==
        Words{"error transaction out: runs only with %MX3, which is the `failed` of transaction in "
              "| let the program set a bit of its own from the status"});
  CHECK(of(R"(, status = { done = "%MX4" })", on).empty());
  CHECK(of("", R"(on = "%MW4.0", min_gap = "1s")") ==
        Words{"warning transaction out: is triggered by %MW4.0, which transaction in fills | use a "
              "bit that the program sets; or say relays = true here if what arrives shall decide"});
  CHECK(of("", R"(on = "%MW4.0", min_gap = "1s", relays = true)").empty());
  CHECK(of("", R"(on = "%MW50.0", min_gap = "1s")",
           copies(R"({ controller = "kiln", from = "%MW4", to = "%MW50", count = 1 })"))
            .at(0)
            .find("which copy 1 fills") != std::string::npos);
}

TEST_CASE("M06: status and heartbeat bits under whatever changes them") {
  // status under a copy and under a peer's write
  CHECK(findings_of_rule(
            "M06",
            plan_of({read8 + R"(, status = { exception = "%MW50" })"},
                    copies(R"({ controller = "kiln", from = "%MW0", to = "%MW50", count = 2 })")))
            .at(0)
            .find("`exception` lies on %MW50, inside what copy 1 fills") != std::string::npos);
  // the producer's bit under a copy
  const std::string spoilt = plan_of(
      {read8, to_peer},
      copies(R"({ controller = "kiln", from = "%MW4", to = "%MW100", count = 1 })") + beats(alive));
  CHECK(
      findings_of_rule("M06", spoilt) ==
      Words{"error heartbeat alive: toggles %MW100.0, which copy 1 overwrites | toggle a bit that "
            "nothing else fills"});
  // the consumer's bit under a read of its own
  const std::string read_over =
      R"("own", controller = "loadout", slave = "kiln", fc = 3, at = "hr:200", count = 2, into = "%MW0", every = "1s", on_loss = "hold")";
  const std::string at_consumer =
      replaced(plan_of({to_peer, read_over}, beats(alive)), "[controller.kiln]\n",
               "[controller.kiln]\nanswers = [ { port = 502 } ]\n");
  CHECK(findings_of_rule("M06", at_consumer) ==
        Words{"error heartbeat alive: arrives at %MW0.0 of controller loadout, which transaction "
              "own overwrites | let the heartbeat arrive at a bit that nothing else fills"});
  CHECK(
      findings_of_rule("M06", replaced(at_consumer, "into = \"%MW0\"", "into = \"%MW4\"")).empty());
  CHECK(findings_of_rule("M06", plan_of({to_peer}, beats(alive))).empty());
}

TEST_CASE("M13: writes that send parts of the same words") {
  const auto of = [](const std::string& b, const std::string& keys = "") {
    return findings_of_rule(
        "M13",
        plan_of(
            {R"("a", slave = "gauge", fc = 16, at = 10, count = 4, from = "%MW20", every = "1s")" +
                 keys,
             R"("b", slave = "pump", fc = 16, at = 0, )" + b + R"(, every = "1s")"}));
  };
  CHECK(of(R"(count = 2, from = "%MW23")") ==
        Words{"warning transaction b: sends %MW23 of controller kiln, which transaction a sends as "
              "well, as a part of other words | give each write its own source; or say relays = "
              "true if one shall send a part of the other's"});
  CHECK(of(R"(count = 2, from = "%MW24")").empty());
  CHECK(of(R"(count = 2, from = "%MW18")").empty());
  CHECK(of(R"(count = 4, from = "%MW20")").empty());  // the same words to two
  CHECK(of(R"(count = 2, from = "%MW21")").size() == 1);
  CHECK(of(R"(count = 2, from = "%MW21")", ", relays = true").empty());
  CHECK(of(R"(count = 2, from = "%MW23")", ", relays = true").size() == 1);  // not inside
}

TEST_CASE("M14: what a write by points sends beside them") {
  const auto of = [](const std::string& points, const std::string& other = "",
                     const std::string& more = "") {
    std::vector<std::string> rows{R"("out", slave = "gauge", points = [)" + points +
                                  R"(], from = "%MW20", every = "1s")"};
    if (!other.empty()) rows.push_back(other);
    return findings_of_rule("M14", plan_of(rows, more));
  };
  CHECK(
      of(R"("low", "mode")") ==
      Words{"warning transaction out: also writes 'high', which no `points` names: one request "
            "writes all from hr:10..hr:12 on | name them if the program fills their words too, or "
            "write the points with a request of their own each"});
  CHECK(of(R"("low", "filter")").at(0).find("'high' and 1 more") != std::string::npos);
  CHECK(of(R"("low", "high", "mode")").empty());
  CHECK(of(R"("low", "h*", "mode")").empty());
  // another write, or a copy into its words, knows the value
  CHECK(of(R"("low", "mode")",
           R"("high", slave = "gauge", fc = 6, at = "high", from = "%MW40", every = "1s")")
            .at(0)
            .substr(0, 5) == "note ");
  CHECK(of(R"("low", "mode")", "",
           copies(R"({ controller = "kiln", from = "%MW60", to = "%MW21", count = 1 })"))
            .at(0)
            .substr(0, 5) == "note ");
}

TEST_CASE("H02, H10: where a heartbeat is looked for, and who may stop it") {
  const auto seen = [](const std::string& where) {
    return findings_of_rule(
        "H02", plan_of({to_peer}, beats(replaced(alive, "to = \"loadout\"",
                                                 "to = \"loadout\", seen = \"" + where + "\""))));
  };
  CHECK(seen("%MW0.0").empty());
  CHECK(seen("%MW1.0") ==
        Words{"error heartbeat alive: nothing brings %MW100.0 to %MW1.0 of controller loadout; it "
              "arrives at %MW0.0 | write seen = \"%MW0.0\", and look there in the program"});
  const std::string gated =
      replaced(to_peer, "every = \"100ms\"", "every = \"100ms\", only_if = \"%MX1\"");
  CHECK(findings_of_rule("H10", plan_of({gated}, beats(alive))) ==
        Words{"error heartbeat alive: is carried by to alone, which only runs while %MX1 is set: "
              "without it the partner seems dead | take only_if away from to, or let another "
              "transaction carry %MW100.0"});
  CHECK(findings_of_rule("H10", plan_of({to_peer}, beats(alive))).empty());
  // a second carrier that always runs
  const std::string second =
      replaced(replaced(to_peer, "\"to\"", "\"too\""), "at = \"%MW0\"", "at = \"%MW10\"");
  CHECK(findings_of_rule("H10", plan_of({gated, second}, beats(alive))).empty());
  // all of them on request: H09 speaks
  const std::string asked =
      replaced(to_peer, "every = \"100ms\"", "on = \"change\", min_gap = \"1s\"");
  CHECK(findings_of_rule("H10", plan_of({asked}, beats(alive))).empty());
  CHECK(findings_of_rule("H09", plan_of({asked}, beats(alive))).size() == 1);
}

TEST_CASE("H07, H11: watchdogs with gates, and with silent neighbours") {
  const auto of = [](const std::string& code, const std::string& watchdog,
                     const std::string& gate = "", const std::string& line = "") {
    std::string plan = plan_of(
        {read8 + gate,
         R"("speed", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "2s", on_loss = "hold")"});
    plan = replaced(plan, "unit = 12\n", "unit = 12\nwatchdog = \"" + watchdog + "\"\n");
    if (!line.empty()) plan = replaced(plan, "format = \"8E1\"\n", "format = \"8E1\"\n" + line);
    return findings_of_rule(code, plan);
  };
  CHECK(of("H07", "3s", R"(, only_if = "%MX1")") ==
        Words{"error slave gauge: its watchdog of 3s is fed by in alone, which only runs while "
              "%MX1 is set | take only_if away from in, or give the slave another cyclic "
              "transaction"});
  CHECK(of("H07", "3s").empty());
  // 2 tries of 500 ms and what belongs to them, behind a period of 1 s
  const Words silent = of("H11", "1500ms");
  REQUIRE(silent.size() == 1);
  CHECK(silent[0].substr(0, 91) ==
        "warning slave gauge: its watchdog of 1500ms runs out when pump falls silent: in may wait "
        "10");
  CHECK(silent[0].find("timeout = \"") != std::string::npos);
  CHECK(of("H11", "4s").empty());
  CHECK(of("H11", "1500ms", "", "timeout = \"100ms\"\n").empty());
  // what it says to be enough is
  const std::string enough = silent[0].substr(silent[0].find("set the watchdog to ") + 20);
  CHECK(of("H11", enough.substr(0, enough.find(' '))).empty());
}

TEST_CASE("T11, T12: ages and open ends of paths") {
  const auto of = [](const std::string& code, const std::string& to, const std::string& budget,
                     const std::string& more = "", const std::string& second = to_peer) {
    return findings_of_rule(
        code, plan_of({read8, second}, more +
                                           "[supervision]\npaths = [ { name = \"p\", from = "
                                           "\"gauge.moisture\", to = \"" +
                                           to + "\", budget = \"" + budget + "\" } ]\n"));
  };
  const Words old = of("T11", "kiln.%MW0", "900ms");
  REQUIRE(old.size() == 1);
  CHECK(old[0].substr(0, 35) == "error path p: the value is up to 10");
  CHECK(of("T11", "kiln.%MW0", "2s").empty());
  CHECK(of("T12", "kiln.%MW0", "900ms").empty());
  // nothing reads it on
  CHECK(of("T12", "kiln.%MW40", "2s") ==
        Words{"error path p: the path is not closed: it comes to %MW0..%MW1 of controller kiln "
              "(in), and nothing carries it on to %MW40 of controller kiln | add a copy from there "
              "to %MW40 of controller kiln"});
  // a copy to what is sent is missing
  CHECK(of("T12", "loadout.%MW0", "3s") ==
        Words{"error path p: the path is not closed: it comes to %MW0..%MW1 of controller kiln "
              "(in), and nothing carries it on to %MW0 of controller loadout | add { controller = "
              "\"kiln\", from = \"%MW0\", to = \"%MW100\", count = 2 } to copies: to takes it on "
              "from there"});
  const std::string copied =
      copies(R"({ controller = "kiln", from = "%MW0", to = "%MW100", count = 2 })");
  CHECK(of("T12", "loadout.%MW0", "3s", copied).empty());
  CHECK(of("T12", "loadout.%MW0", "3s", copied,
           replaced(to_peer, "every = \"100ms\"", "on = \"%MX1\", min_gap = \"1s\"")) ==
        Words{"warning path p: nothing bounds the age of the value: nothing says how often to runs "
              "| give to a period: every = \"...\", or on = \"change\" with min_gap"});
}

TEST_CASE("T13: park that does not park") {
  const auto of = [](const std::string& park) {
    return findings_of_rule("T13", replaced(plan_of({read8}), "format = \"8E1\"\n",
                                            "format = \"8E1\"\npark = " + park + "\n"));
  };
  CHECK(of(R"({ after = 3, retry = "900ms" })") ==
        Words{"warning line north: a parked slave is tried again after 900ms, and all tries to it "
              "take 1s: it then keeps the line busy all the same | write retry = \"1s\" or more, "
              "such as \"10s\""});
  CHECK(of(R"({ after = 3, retry = "1s" })").empty());
}

TEST_CASE("N03, N12, N13, S04: the same thing by two names, and things nobody uses") {
  const std::string behind = R"([gateway.roof]
host = "10.20.0.40"
[line.roof]
via = "roof"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.weather]
line = "roof"
unit = 1
[slave.direct]
host = "10.20.0.40"
unit = 1
)";
  const std::string base = test::with_rows({table_row(read8)}) + behind;
  CHECK(findings_of_rule("N03", base) ==
        Words{"error slave direct: 10.20.0.40:502 unit 1 is also that of slave weather | write the "
              "host of this box, or its own unit behind that host"});
  CHECK(findings_of_rule("N03",
                         replaced(base, "\"10.20.0.40\"\nunit = 1", "\"10.20.0.40\"\nunit = 2"))
            .empty());
  CHECK(
      findings_of_rule("N12", base) ==
      Words{"error slave direct: 10.20.0.40:502 is already gateway roof: one port of a box leads "
            "to one serial line | hang the slave on the line behind the gateway, or write its own "
            "host and port"});
  const std::string twice =
      test::with_rows({table_row(read8)}) +
      "[gateway.a]\nhost = \"10.20.0.40\"\n[gateway.b]\nhost = \"10.20.0.40\"\n";
  CHECK(findings_of_rule("N12", twice).size() == 1);
  CHECK(findings_of_rule("N12", twice + "port = 503\n").empty());

  CHECK(findings_of_rule("N13", test::with_rows({table_row(read8)})) ==
        Words{"note controller kiln: nothing uses any of %MX0..%MX255 | leave the area out of the "
              "plan, unless the program alone uses it",
              "note slave pump: nobody asks it: no transaction and no want names it | ask it, or "
              "leave it out of the plan until somebody does"});
  CHECK(findings_of_rule("N13", test::nothing_unused(test::with_rows({table_row(read8)}))).empty());
  CHECK(findings_of_rule("N13", test::nothing_unused(test::with_rows({table_row(read8)})) +
                                    "[line.spare]\nmaster = \"kiln\"\n") ==
        Words{"note line spare: no slave hangs on it | name it at its slaves, or leave it out of "
              "the plan"});
  // an unknown name that is near means it, one that is far means nothing
  const std::string spare = "[slave.spare]\nline = \"north\"\nunit = 77\n";
  const auto slave_notes = [&](const std::string& asked) {
    std::size_t notes = 0;
    const std::string plan = replaced(test::with_rows({table_row(read8)}), "\"gauge\"", asked);
    for (const std::string& f : findings_of_rule("N13", plan + spare)) {
      if (f.starts_with("note slave")) ++notes;
    }
    return notes;
  };
  CHECK(slave_notes("\"gauge\"") == 2);
  CHECK(slave_notes("\"guage\"") == 2);
  CHECK(slave_notes("\"boiler\"") == 3);
  CHECK(findings_of_rule("N13", test::nothing_unused(test::with_rows({table_row(read8)})) +
                                    "[line.spare]\nmaster = \"kiln\"\n[slave.far]\nline = "
                                    "\"spaer\"\nunit = 9\n")
            .size() == 1);  // of slave.far alone
  // a transaction that could not be read asks it all the same
  CHECK(findings_of_rule("N13", test::nothing_unused(test::with_rows(
                                    {R"({ name = "t", slave = "gauge", fc = 99, at = 0 })"})))
            .empty());

  const auto ports = [](const std::string& a, const std::string& b) {
    return findings_of_rule("S04", replaced(test::with_rows({table_row(read8)}), "mode = \"rtu\"\n",
                                            "mode = \"rtu\"\nport = \"" + a + "\"\n") +
                                       "[line.south]\nmaster = \"kiln\"\nport = \"" + b + "\"\n");
  };
  CHECK(ports("/dev/ttyS1", "/dev/ttyS1").at(0).find("is already that of line north |") !=
        std::string::npos);
  CHECK(ports("/dev/ttyS1", "ttyS1").at(0).find("line north, there written /dev/ttyS1") !=
        std::string::npos);
  CHECK(ports("COM1", "com1").size() == 1);
  CHECK(ports("COM1", "COM2").empty());
}
