// A rehearsal against the virtual world: what it finds, and peers on a serial line.
#include "engine/rehearsal.h"

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "engine/world.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::engine;
using std::chrono::seconds;

namespace {

RehearsalResult rehearsed(const model::ResolvedPlan& plan, timing::Durations durations,
                          const std::function<void(World&)>& prepare = {}) {
  const timing::TimingReport report = timing::analyse_longest(plan);
  WorldOptions options;
  options.durations = durations;
  options.master.triggers_always = options.master.ignore_gates = true;
  World world(plan, report.model, options);
  if (prepare) prepare(world);
  RehearsalOptions how;
  how.durations = durations;
  how.quiet = seconds(10);
  return rehearse(plan, report, world, how, {});
}

// A controller that answers on a serial line, and a slave beside it.
constexpr const char* line_plan = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[controller.loadout]
scan = "8ms"
answers = [ { line = "link", unit = 9 } ]
[controller.loadout.memory]
"%MW" = { kind = "word", first = 0, count = 100, serves = "hr:0" }
[line.link]
master = "kiln"
mode = "rtu"
baud = 38400
format = "8E1"
timeout = "100ms"
[slave.gauge]
line = "link"
unit = 1
reply = { typical = "3ms", max = "9ms" }
[exchange]
transactions = [
  { name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW1", count = 4, from = "%MW10", every = "200ms" },
  { name = "back", controller = "kiln", slave = "loadout", fc = 3, at = "%MW11", count = 4, into = "%MW20", every = "200ms", phase = "60ms" },
  { name = "in", controller = "kiln", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW30", every = "200ms", phase = "120ms" },
]
[supervision]
heartbeats = [
  { name = "alive", from = "kiln", bit = "%MW10.0", toggle = "500ms", to = "loadout", watch = "2s", react = "4s" },
]
)";

}  // namespace

TEST_CASE("a rehearsal passes with typical, longest and random delays alike") {
  const auto loaded = test::load(line_plan);
  for (const auto durations :
       {timing::Durations::typical, timing::Durations::longest, timing::Durations::random}) {
    const RehearsalResult result = rehearsed(loaded.plan, durations);
    CHECK(result.passed);
    for (const MeasuredTransaction& t : result.transactions) {
      INFO(t.name);
      CHECK(t.verdict == MeasuredVerdict::good);
      CHECK(t.expected.has_value() == (durations != timing::Durations::random));
    }
  }
}

TEST_CASE("a controller that answers on a line is a peer like any other") {
  const auto loaded = test::load(line_plan);
  const RehearsalResult result = rehearsed(loaded.plan, timing::Durations::typical);
  REQUIRE(result.blocks.size() == 3);
  for (const RehearsedBlock& block : result.blocks) {
    CHECK(block.first == BlockVerdict::arrived);
    CHECK(block.last == BlockVerdict::arrived);
  }
  REQUIRE(result.heartbeats.size() == 1);
  CHECK(result.heartbeats[0].good);
  CHECK(result.heartbeats[0].changes_seen > 15);  // twice a second for 10 s
}

TEST_CASE("a slave that is parked for long is waited for, the last one of a script too") {
  const std::string parked =
      test::replaced(line_plan, "timeout = \"100ms\"\n",
                     "timeout = \"100ms\"\npark = { after = 2, retry = \"90s\" }\n");
  const auto loaded = test::load(parked);
  for (const bool own : {false, true}) {
    const auto report = timing::analyse_longest(loaded.plan);
    WorldOptions options;
    World world(loaded.plan, report.model, options);
    RehearsalOptions how;
    how.quiet = seconds(10);
    how.blocks = how.heartbeats = false;
    if (own) {
      Fault silent;
      silent.kind = FaultKind::silent;
      silent.until = seconds(5);
      how.script = std::vector<Fault>{silent};
    }
    const RehearsalResult result = rehearse(loaded.plan, report, world, how, {});
    REQUIRE(result.faults.size() == 1);
    CHECK(result.faults[0].recovered.has_value());
    CHECK(result.lasted < length_of(loaded.plan, report, how) + seconds(30));
    REQUIRE(result.acts.size() == 2);
    CHECK(result.acts[0].name == "quiet");
    CHECK(result.acts[1].to == result.lasted);
  }
}

TEST_CASE("a slave that is slower than the plan says is off, or late") {
  const auto loaded = test::load(line_plan);
  const auto slower = [](Duration by) {
    return [by](World& world) {
      Fault slow;
      slow.kind = FaultKind::slow;
      slow.time = by;
      world.set_faults(FaultScript({slow}));
    };
  };
  const RehearsalResult a_little =
      rehearsed(loaded.plan, timing::Durations::typical, slower(std::chrono::milliseconds(2)));
  CHECK_FALSE(a_little.passed);
  CHECK(a_little.transactions[2].verdict == MeasuredVerdict::off);
  const RehearsalResult much =
      rehearsed(loaded.plan, timing::Durations::typical, slower(std::chrono::milliseconds(90)));
  CHECK(much.transactions[2].verdict == MeasuredVerdict::late);
  const RehearsalResult too_much =
      rehearsed(loaded.plan, timing::Durations::typical, slower(std::chrono::milliseconds(300)));
  CHECK(too_much.transactions[2].verdict == MeasuredVerdict::failing);
}

TEST_CASE("all heartbeats of a producer stop with it, and of many producers several at a time") {
  // sixty controllers in a ring; each tells the next one that it is alive, twice
  constexpr int count = 60;
  std::string text;
  std::string rows;
  std::string beats;
  for (int i = 0; i < count; ++i) {
    const int next = (i + 1) % count;
    text += fmt::format(
        "[controller.c{0}]\nscan = \"10ms\"\naddress = \"10.0.0.{1}/24\"\nanswers = [ {{ port = "
        "502 "
        "}} ]\n[controller.c{0}.memory]\n\"%MW\" = {{ kind = \"word\", first = 0, count = 40, "
        "serves "
        "= \"hr:0\" }}\n",
        i, i + 1);
    rows += fmt::format(
        "{{ name = \"t{0}\", controller = \"c{0}\", slave = \"c{1}\", fc = 16, at = \"%MW20\", "
        "count "
        "= 2, from = \"%MW10\", every = \"200ms\" }},\n",
        i, next);
    for (const int word : {0, 1}) {
      beats += fmt::format(
          "{{ name = \"h{0}-{1}\", from = \"c{0}\", bit = \"%MW1{1}.0\", toggle = \"500ms\", to = "
          "\"c{2}\", watch = \"2s\", react = \"4s\" }},\n",
          i, word, next);
    }
  }
  const auto loaded = test::load(text + "[exchange]\ntransactions = [\n" + rows +
                                 "]\n[supervision]\nheartbeats = [\n" + beats + "]\n");
  const timing::TimingReport report = timing::analyse_longest(loaded.plan);
  World world(loaded.plan, report.model, {});
  RehearsalOptions how;
  how.quiet = seconds(5);
  how.blocks = how.faults = false;
  const RehearsalResult result = rehearse(loaded.plan, report, world, how, {});
  REQUIRE(result.heartbeats.size() == 2 * count);
  Duration latest{};
  for (const RehearsedHeartbeat& beat : result.heartbeats) {
    INFO(beat.heartbeat);
    CHECK(beat.good);
    REQUIRE(beat.alarm);
    CHECK(*beat.alarm > seconds(1));
    latest = std::max(latest, *beat.latest_alarm);
  }
  // in thirty turns, each at most as long as the latest alarm and what it takes to come back
  CHECK(world.now() < seconds(5) + 30 * (latest + seconds(1)));
  CHECK(world.now() > seconds(5) + 30 * seconds(1));
  CHECK(length_of(loaded.plan, report, how) == seconds(5) + 30 * latest);
}

TEST_CASE("what has arrived is looked at again when all others have run, at both ends of a block") {
  // the second takes the last word of the first, once that has long arrived
  std::string plan = line_plan;
  plan.replace(
      plan.find("  { name = \"to\""),
      plan.find("]\n[supervision]") - plan.find("  { name = \"to\""),
      R"(  { name = "one", controller = "kiln", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW30", every = "200ms" },
  { name = "two", controller = "kiln", slave = "gauge", fc = 3, at = 100, count = 2, into = "%MW33", every = "3s", phase = "60ms" },
  { name = "lone", controller = "kiln", slave = "gauge", fc = 3, at = 200, count = 2, into = "%MW60", every = "200ms", phase = "120ms" },
)");
  const auto loaded = test::load(plan, {});
  const RehearsalResult result = rehearsed(loaded.plan, timing::Durations::typical);
  std::map<std::string, std::pair<BlockVerdict, BlockVerdict>> seen;
  for (const RehearsedBlock& block : result.blocks) {
    seen[loaded.plan.transaction_name(block.transaction)] = {block.first, block.last};
  }
  CHECK(seen.at("one").first == BlockVerdict::arrived);
  CHECK(seen.at("one").second != BlockVerdict::arrived);
  CHECK(seen.at("two").second == BlockVerdict::arrived);
  CHECK(seen.at("lone") == std::pair(BlockVerdict::arrived, BlockVerdict::arrived));
}

TEST_CASE("the virtual world ends although somebody waits longer than it lets them") {
  std::string plan = line_plan;
  plan.replace(plan.find("timeout = \"100ms\""), 17, "timeout = \"60s\"");
  const auto loaded = test::load(plan, {});
  const timing::TimingReport report = timing::analyse_longest(loaded.plan);
  WorldOptions options;
  Fault silent;
  silent.kind = FaultKind::silent;
  silent.index = 0;
  silent.until = Duration::max();
  options.faults = FaultScript({silent});
  World world(loaded.plan, report.model, options);
  std::vector<Outcome> outcomes;
  const auto finished = [&](const RequestRecord& record) { outcomes.push_back(record.outcome); };
  world.run_until(seconds(1), finished);
  world.finish(finished);
  CHECK(std::count(outcomes.begin(), outcomes.end(), Outcome::unfinished) == 1);
}

TEST_CASE("a write of one word is followed like any other, and judged once") {
  const auto loaded = test::load(test::replaced(
      test::with_rows(
          {R"({ name = "w", slave = "pump", fc = 6, at = 0, from = "%MW100", every = "1s" })",
           R"({ name = "c", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })"}),
      "format = \"8E1\"\n", "format = \"8E1\"\ntimeout = \"100ms\"\n"));
  const RehearsalResult result = rehearsed(loaded.plan, timing::Durations::typical);
  REQUIRE(result.blocks.size() == 2);
  for (const RehearsedBlock& block : result.blocks) {
    CHECK(block.first == BlockVerdict::arrived);
    CHECK(block.last == BlockVerdict::arrived);
  }
  CHECK(result.passed);
  CHECK(result.because.empty());
}

TEST_CASE("a slave whose silence keeps all others of its line from their periods is no pass") {
  const std::vector<std::string> rows{
      R"({ name = "g", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "200ms", on_loss = "hold" })",
      R"({ name = "p", slave = "pump", fc = 3, at = 0, count = 1, into = "%MW10", every = "5s", on_loss = "hold" })"};
  const auto with_timeout = [&](const std::string& timeout) {
    return test::load(
        test::replaced(test::with_rows(rows), "format = \"8E1\"\n",
                       "format = \"8E1\"\ntimeout = \"" + timeout + "\"\nretries = 2\n"));
  };
  const auto slow = with_timeout("500ms");
  const RehearsalResult stalled = rehearsed(slow.plan, timing::Durations::typical);
  CHECK_FALSE(stalled.passed);
  REQUIRE(stalled.because.size() == 1);
  CHECK(stalled.because[0] == "pump: silent, it keeps everybody on its line from their periods");
  const auto quick = with_timeout("60ms");
  CHECK(rehearsed(quick.plan, timing::Durations::typical).passed);
}
