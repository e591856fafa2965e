#include "packing/tune.h"

#include <algorithm>
#include <regex>
#include <set>

#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using namespace greymet::packing;
using test::replaced;

namespace {

std::string row(const std::string& name, const std::string& slave, int count,
                const std::string& rest) {
  return "{ name = \"" + name + "\", slave = \"" + slave +
         "\", fc = 3, at = 0, count = " + std::to_string(count) +
         ", into = \"%MW\", on_loss = \"hold\", " + rest + " }";
}

std::vector<TuneAdvice> advice(const std::string& plan) {
  const auto loaded = test::load(plan, test::base_files());
  return tune(loaded.plan, {});
}

const TuneChange* change_of(const TuneAdvice& advice, TuneKind kind) {
  for (const TuneChange& change : advice.changes) {
    if (change.kind == kind) return &change;
  }
  return nullptr;
}

}  // namespace

TEST_CASE("a plan that fits needs no tuning") {
  CHECK(advice(test::with_rows({row("a", "gauge", 2, "every = \"1s\"")})).empty());
}

TEST_CASE("an overloaded line: the least baud rate, the least periods, or a second line") {
  // 125 registers at 19200 8E1: (8 + 255 + 3.5) x 11 / 19.2 + 20 = 172.7 ms each, 345 ms in 250
  const auto found = advice(test::with_rows(
      {row("a", "gauge", 125, "every = \"250ms\""), row("b", "pump", 125, "every = \"250ms\"")}));
  REQUIRE(found.size() == 1);
  CHECK(found[0].line == "north");
  CHECK(found[0].goal == TuneGoal::fit);
  CHECK(found[0].before.utilisation_percent == Approx(2 * 172.68 / 2.5).epsilon(0.001));
  CHECK(found[0].before.missed > 0);
  // 38400: (263 x 11 / 38.4 + 1.75 + 20) x 2 = 194.2 ms of 250
  const TuneChange* baud = change_of(found[0], TuneKind::baud);
  REQUIRE(baud != nullptr);
  CHECK(baud->text == "line north: baud = 38400");
  CHECK(baud->cost == "2 slaves to be set to it, if they all can; shorter cable");
  CHECK(baud->after.utilisation_percent == Approx(2 * (263 * 11 / 38.4 + 21.75) / 2.5));
  // x 1.25: 312.5 -> 320 ms are not enough for 345 ms, x 1.5 are; one of them at 500 ms frees 104 %
  const TuneChange* period = change_of(found[0], TuneKind::period);
  REQUIRE(period != nullptr);
  CHECK(period->after.missed == 0);
  CHECK(period->after.utilisation_percent <= 100);
  const TuneChange* split = change_of(found[0], TuneKind::split);
  REQUIRE(split != nullptr);
  CHECK(split->after.utilisation_percent == Approx(172.68 / 2.5).epsilon(0.001));
  for (const TuneChange& change : found[0].changes) {
    CHECK(change.after.missed == 0);
    CHECK(change.kind != TuneKind::timeout);  // no timeout makes room in health
  }
  for (std::size_t i = 1; i < found[0].changes.size(); ++i) {
    CHECK(found[0].changes[i - 1].kind <= found[0].changes[i].kind);
  }
}

TEST_CASE("a silent slave: the least timeout, retries or park that spares the others") {
  const auto found =
      advice(test::with_rows({row("a", "gauge", 2, "every = \"1s\""),
                              row("b", "pump", 2, "every = \"1s\", phase = \"100ms\""),
                              row("c", "pump", 2, "every = \"1s\", phase = \"200ms\"")}));
  // two transactions of pump: 2 x 2 x 506.6 ms keep gauge from its second; and the one of gauge may
  // keep those of pump for 2 x 506.6 ms, which their phases hide and the bound of T04 does not
  REQUIRE(found.size() == 1);
  CHECK(found[0].goal == TuneGoal::endure);
  CHECK(found[0].before.hurtful == 2);
  CHECK(found[0].before.worst == "pump");
  const TuneChange* timeout = change_of(found[0], TuneKind::timeout);
  REQUIRE(timeout != nullptr);
  CHECK(timeout->after.hurtful == 0);
  CHECK(timeout->text.starts_with("line north: timeout = \""));
  const TuneChange* park = change_of(found[0], TuneKind::park);
  REQUIRE(park != nullptr);
  CHECK(park->text == "line north: park = { after = 3, retry = \"10s\" }");
  // at first it still keeps them waiting
  CHECK(park->after.hurtful == 0);
  // what is proposed, written into the plan, needs no such advice any more
  const auto cured = advice(
      replaced(test::with_rows({row("a", "gauge", 2, "every = \"1s\""),
                                row("b", "pump", 2, "every = \"1s\", phase = \"100ms\""),
                                row("c", "pump", 2, "every = \"1s\", phase = \"200ms\"")}),
               "format = \"8E1\"\n",
               "format = \"8E1\"\n" + timeout->text.substr(timeout->text.find("timeout")) + "\n"));
  for (const TuneAdvice& each : cured) CHECK(each.goal != TuneGoal::endure);
}

TEST_CASE("bounds beyond the period are tuned too, and what no change cures is said") {
  // a fits in its phases, but a request of the program may come before it: 2 x 172.7 > 300
  const auto found =
      advice(test::with_rows({row("a", "gauge", 125, "every = \"300ms\""),
                              row("b", "pump", 125, "on = \"%MX1\", min_gap = \"2s\"")}));
  REQUIRE_FALSE(found.empty());
  CHECK(found[0].goal != TuneGoal::endure);
  REQUIRE_FALSE(found[0].changes.empty());
  for (const TuneChange& change : found[0].changes) CHECK(change.after.late == 0);
}

TEST_CASE("what else a plan holds changes no advice for a line") {
  const std::string own = test::with_rows(
      {row("a", "gauge", 125, "every = \"250ms\""), row("b", "pump", 125, "every = \"250ms\"")});
  const std::string others =
      "[controller.far]\nscan = \"5ms\"\naddress = \"10.9.0.1/24\"\nanswers = [ { port = 502 } "
      "]\n[controller.far.memory]\n\"%MW\" = { kind = \"word\", first = 0, count = 100, serves = "
      "\"hr:0\" }\n[line.elsewhere]\nmaster = \"far\"\nmode = \"rtu\"\nbaud = 9600\nformat = "
      "\"8E1\"\n[slave.lone]\nline = \"elsewhere\"\nunit = 3\nmap = \"pump.csv\"\nreply = { "
      "typical = "
      "\"5ms\", max = \"20ms\" }\n";
  const std::string both = replaced(
      own, "transactions = [\n",
      "transactions = [\n  { name = \"x\", slave = \"lone\", fc = 3, at = 0, count = 2, into = "
      "\"%MW0\", every = \"1s\", on_loss = \"hold\" },\n");
  const std::string with_others = replaced(both, "[exchange]\n", others + "[exchange]\n");
  const auto alone = advice(own);
  const auto among = advice(with_others);
  REQUIRE(alone.size() == 1);
  REQUIRE(among.size() == 1);
  REQUIRE(alone[0].changes.size() == among[0].changes.size());
  CHECK(alone[0].tried == among[0].tried);
  for (std::size_t i = 0; i < alone[0].changes.size(); ++i) {
    CHECK(alone[0].changes[i].text == among[0].changes[i].text);
    CHECK(alone[0].changes[i].cost == among[0].changes[i].cost);
    CHECK(alone[0].changes[i].after.utilisation_percent ==
          among[0].changes[i].after.utilisation_percent);
  }
}

TEST_CASE("on TCP there is neither park nor baud nor a second line to propose") {
  auto text = test::with_rows({row("a", "gauge", 2, "every = \"1s\"")});
  text = replaced(
      text, "[exchange]",
      "[slave.air]\nhost = \"10.20.0.31\"\nunit = 1\nmap = \"pump.csv\"\nreply = { typical "
      "= \"5ms\", max = \"20ms\" }\ntimeout = \"400ms\"\n[slave.steam]\nhost = "
      "\"10.20.0.31\"\nunit = 2\nmap = \"pump.csv\"\nreply = { typical = \"5ms\", max = "
      "\"20ms\" }\ntimeout = \"400ms\"\n[exchange]");
  text = replaced(text, "]\n", "]\n");
  const auto with_air = replaced(text, "transactions = [\n",
                                 "transactions = [\n  " + row("x", "air", 2, "every = \"300ms\"") +
                                     ",\n  " + row("y", "steam", 2, "every = \"300ms\"") + ",\n");
  const auto found = advice(with_air);
  REQUIRE(found.size() == 1);
  CHECK(found[0].goal == TuneGoal::endure);
  CHECK_FALSE(found[0].changes.empty());
  for (const TuneChange& change : found[0].changes) {
    CHECK((change.kind == TuneKind::timeout || change.kind == TuneKind::period));
  }
}

TEST_CASE("park is proposed in fewer failures than today's, with today's retry") {
  const auto found = advice(
      replaced(test::with_rows({row("a", "gauge", 2, "every = \"1s\""),
                                row("b", "pump", 2, "every = \"5s\", phase = \"100ms\""),
                                row("c", "pump", 2, "every = \"5s\", phase = \"200ms\"")}),
               "format = \"8E1\"\n", "format = \"8E1\"\npark = { after = 2, retry = \"30s\" }\n"));
  // two failures at once keep gauge from its second, one does not quite
  for (const TuneAdvice& each : found) {
    for (const TuneChange& change : each.changes) {
      if (change.kind != TuneKind::park) continue;
      CHECK(change.text == "line north: park = { after = 1, retry = \"30s\" }");
    }
  }
  REQUIRE_FALSE(found.empty());
  CHECK(found[0].goal == TuneGoal::endure_all);
}

TEST_CASE("of several slaves that hurt, the one named does so every time") {
  // with park gauge hurts at first only; without, always; pump has nobody to hurt
  const auto found = advice(test::with_rows({row("a", "gauge", 2, "every = \"900ms\""),
                                             row("b", "gauge", 2, "every = \"900ms\""),
                                             row("c", "pump", 2, "every = \"4s\"")}));
  REQUIRE_FALSE(found.empty());
  CHECK(found[0].before.worst ==
        "pump");  // its 1013 ms are longer than 900, theirs shorter than 4 s
  CHECK(found[0].before.hurtful == 1);
}

TEST_CASE("no slave is moved away from a broadcast, and periods keep to the controller's grid") {
  auto files = test::base_files();
  files["m.toml"] = "period_step = \"50ms\"\n";
  auto text = test::with_rows(
      {row("a", "gauge", 125, "every = \"250ms\""), row("b", "pump", 125, "every = \"250ms\"")});
  text = replaced(text, "scan = \"10ms\"\n", "scan = \"10ms\"\nmodel = \"m.toml\"\n");
  text = replaced(text, "format = \"8E1\"\n", "format = \"8E1\"\nturnaround = \"0ms\"\n");
  const auto kinds = [&](const std::string& plan) {
    std::set<TuneKind> seen;
    TuneOptions options;
    options.most_changes = 20;
    for (const TuneAdvice& each : tune(test::load(plan, files).plan, options)) {
      for (const TuneChange& change : each.changes) {
        seen.insert(change.kind);
        // 345.4 ms are needed, so 346 would do; the grid has 350
        const std::regex value(R"re(every = "(\d+)ms")re");
        for (std::sregex_iterator at(change.text.begin(), change.text.end(), value), none;
             at != none; ++at) {
          CHECK(std::stoi((*at)[1]) % 50 == 0);
        }
      }
    }
    return seen;
  };
  CHECK(kinds(text).contains(TuneKind::split));
  CHECK(kinds(text).contains(TuneKind::period));
  const auto with_broadcast = replaced(
      replaced(text, "[exchange]", "[slave.all]\nline = \"north\"\nunit = 0\n[exchange]"),
      "transactions = [\n",
      "transactions = [\n  { name = \"t\", slave = \"all\", fc = 16, at = 0, count = 1, from = "
      "\"%MW900\", every = \"100s\" },\n");
  CHECK_FALSE(kinds(with_broadcast).contains(TuneKind::split));
  CHECK_FALSE(kinds(with_broadcast).empty());
}

TEST_CASE("what is proposed names what it changes, and no more") {
  // one transaction: its own period, not every period of the line; a peer is moved to no other line
  const auto lone = advice(test::with_rows({row("a", "gauge", 125, "every = \"100ms\"")}));
  REQUIRE_FALSE(lone.empty());
  for (const TuneChange& change : lone[0].changes) {
    CHECK(change.text.find("every period") == std::string::npos);
  }
  auto with_peer = test::with_rows({row("a", "gauge", 125, "every = \"250ms\"")});
  with_peer =
      replaced(with_peer, "[line.north]",
               "[controller.other]\nscan = \"5ms\"\nanswers = [ { line = \"north\", unit = 9 "
               "} ]\n[controller.other.memory]\n\"%MW\" = { kind = \"word\", first = 0, count "
               "= 200, serves = \"hr:0\" }\n[line.north]");
  with_peer = replaced(
      with_peer, "transactions = [\n",
      "transactions = [\n  { name = \"p\", controller = \"kiln\", slave = \"other\", fc = 3, "
      "at = \"%MW0\", count = 120, into = \"%MW\", on_loss = \"hold\", every = "
      "\"250ms\" },\n");
  const auto peers = advice(with_peer);
  REQUIRE_FALSE(peers.empty());
  CHECK_FALSE(peers[0].changes.empty());
  for (const TuneChange& change : peers[0].changes) CHECK(change.kind != TuneKind::split);
  // fourteen: twelve are named
  std::vector<std::string> many;
  for (int i = 0; i < 14; ++i) {
    many.push_back(row("t" + std::to_string(i), "gauge", 20, "every = \"500ms\""));
  }
  const auto found = advice(test::with_rows(many));
  REQUIRE_FALSE(found.empty());
  bool named = false;
  for (const TuneChange& change : found[0].changes) {
    if (!change.text.starts_with("every period of north")) continue;
    named = true;
    CHECK(std::count(change.text.begin(), change.text.end(), '=') == 12);
    CHECK(change.text.ends_with(" and 2 more, rounded up to 10ms"));
  }
  CHECK(named);
}

TEST_CASE("behind a translating gateway the line's own timeout is the one to change") {
  const auto plan = [](const std::string& framing) {
    auto text = test::with_rows({row("a", "far", 2, "every = \"1s\""),
                                 row("b", "near", 2, "every = \"900ms\", phase = \"100ms\"")});
    return replaced(
        text, "[exchange]",
        "[gateway.box]\nhost = \"10.20.0.40\"\ntimeout = \"4s\"\n" + framing +
            "[line.roof]\nvia = \"box\"\nmode = \"rtu\"\nbaud = 19200\nformat = "
            "\"8E1\"\n[slave.far]\nline = \"roof\"\nunit = 1\nmap = \"pump.csv\"\nreply = { "
            "typical = \"5ms\", max = \"20ms\" }\n[slave.near]\nline = \"roof\"\nunit = "
            "2\nmap = \"pump.csv\"\nreply = { typical = \"5ms\", max = \"20ms\" }\n[exchange]");
  };
  const auto timeout = [](const std::string& text) {
    const auto found = advice(text);
    REQUIRE_FALSE(found.empty());
    const TuneChange* change = change_of(found[0], TuneKind::timeout);
    REQUIRE(change != nullptr);
    return change->text.substr(0, change->text.find(':'));
  };
  CHECK(timeout(plan("on_silence = \"exception\"\n")) == "line roof");
  // of a box that says nothing the master waits for its own timeout
  const std::string brief = "[line.roof]\ntimeout = \"200ms\"\nretries = 0\n";
  CHECK(timeout(replaced(plan(""), "[line.roof]\n", brief)) == "gateway box");
  CHECK(timeout(plan("framing = \"rtu\"\n")) == "gateway box");
}

TEST_CASE("of two that hurt every time the first is named") {
  const auto found =
      advice(test::with_rows({row("a", "gauge", 2, "every = \"600ms\""),
                              row("b", "pump", 2, "every = \"600ms\", phase = \"300ms\"")}));
  REQUIRE_FALSE(found.empty());
  CHECK(found[0].before.hurtful == 2);
  CHECK(found[0].before.worst == "gauge");
}

TEST_CASE("a shorter timeout says whether the reply it leaves room for is stated or assumed") {
  const std::string stated = test::with_rows(
      {row("a", "gauge", 2, "every = \"500ms\""), row("b", "pump", 2, "every = \"500ms\"")});
  const auto cost_of = [](const std::string& plan) {
    for (const TuneAdvice& each : advice(plan)) {
      if (const TuneChange* change = change_of(each, TuneKind::timeout)) return change->cost;
    }
    return std::string();
  };
  const std::string slow =
      replaced(stated, "format = \"8E1\"\n", "format = \"8E1\"\ntimeout = \"2s\"\n");
  CHECK(cost_of(slow).find("as its `reply` is stated") != std::string::npos);
  const std::string open =
      replaced(slow, "map = \"pump.csv\"\nreply = { typical = \"5ms\", max = \"20ms\" }\n",
               "map = \"pump.csv\"\n");
  CHECK(cost_of(open).find("which is assumed: state `reply` first") != std::string::npos);
  // what rests on a guess is never the first of several
  std::size_t several = 0;
  for (const TuneAdvice& each : advice(open)) {
    if (each.changes.size() < 2) continue;
    ++several;
    CHECK_FALSE(each.changes.front().rests_on_defaults);
    CHECK(std::is_partitioned(each.changes.begin(), each.changes.end(),
                              [](const TuneChange& c) { return !c.rests_on_defaults; }));
    CHECK(std::any_of(each.changes.begin(), each.changes.end(),
                      [](const TuneChange& c) { return c.rests_on_defaults; }));
  }
  CHECK(several > 0);
}

TEST_CASE("two settings of the line come before longer periods and a second line") {
  // of slaves that take up to 350 ms no timeout is short
  const auto plan_of = [](const std::string& period, const std::string& keys) {
    std::string plan =
        replaced(test::with_rows({row("a", "gauge", 2, "every = \"" + period + "\""),
                                  row("b", "pump", 2, "every = \"3s\", phase = \"100ms\""),
                                  row("c", "pump", 2, "every = \"3s\", phase = \"200ms\"")}),
                 "format = \"8E1\"\n", "format = \"8E1\"\n" + keys);
    return replaced(plan, "map = \"pump.csv\"\nreply = { typical = \"5ms\", max = \"20ms\" }",
                    "map = \"pump.csv\"\nreply = { typical = \"100ms\", max = \"350ms\" }");
  };
  const auto is_cheap = [](const TuneChange& change) { return change.kind <= TuneKind::park; };
  std::size_t pairs = 0;
  for (const char* period : {"1100ms", "1300ms", "1500ms", "1800ms", "2s"}) {
    for (const char* timeout : {"400ms", "450ms", "600ms", "900ms"}) {
      const std::string stated =
          std::string("timeout = \"") + timeout + "\"\npark = { after = 3, retry = \"10s\" }\n";
      for (const TuneAdvice& each : advice(plan_of(period, stated))) {
        if (each.goal != TuneGoal::endure && each.goal != TuneGoal::endure_all) continue;
        INFO(period << " " << timeout);
        const bool cheap = std::any_of(each.changes.begin(), each.changes.end(), is_cheap);
        for (const TuneChange& change : each.changes) {
          if (change.text.find(", and ") != std::string::npos && is_cheap(change)) ++pairs;
        }
        if (cheap) continue;
        // then the strongest of both is not enough either
        const auto after = advice(
            plan_of(period, stated + "retries = 0\npark = { after = 1, retry = \"10s\" }\n"));
        CHECK(std::any_of(after.begin(), after.end(),
                          [&](const TuneAdvice& a) { return a.goal == each.goal; }));
      }
    }
  }
  CHECK(pairs > 0);
}
