// Silent slaves as they are simulated: at which moments, and who is told.
#include "timing/silence.h"

#include "timing/heartbeat_simulation.h"

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "model/duration_text.h"
#include "plans.h"
#include "queues.h"
#include "timing/report.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::timing;
using test::attempt_ms;
using test::replaced;

namespace {

std::string row(const std::string& name, const std::string& slave, const std::string& every,
                int phase_ms) {
  return fmt::format(
      "{{ name = \"{}\", slave = \"{}\", fc = 3, at = 0, count = 2, into = \"%MW\", on_loss = "
      "\"hold\", every = \"{}\", phase = \"{}ms\" }}",
      name, slave, every, phase_ms);
}

TimingReport study(const std::vector<std::string>& rows) {
  const auto text = replaced(test::with_rows(rows), "format = \"8E1\"\n",
                             "format = \"8E1\"\npark = { after = 1, retry = \"60s\" }\n");
  return analyse(test::load(text, test::base_files()).plan, {});
}

}  // namespace

TEST_CASE("the worst of all moments at which a slave can fall silent is found") {
  // parked after one failure, so what matters is which request fails first: `late` at 3 s just
  // before the pump asks, or `early`, after which the pump has time
  const auto report = study({row("early", "gauge", "8s", 0), row("late", "gauge", "8s", 3000),
                             row("pump-in", "pump", "8s", 3001)});
  REQUIRE(report.silence.cases.size() == 2);
  const SilentCase& gauge = report.silence.cases[0];
  CHECK(gauge.parks);
  CHECK(model::to_ms(gauge.first) == Approx(2 * attempt_ms - 1).margin(0.01));
  CHECK(gauge.first <= report.stalls.stalls[*gauge.stall].first);
}

TEST_CASE("of many moments sixteen are tried, spread over all") {
  std::vector<std::string> rows;
  for (int i = 0; i < 40; ++i) rows.push_back(row(fmt::format("g{}", i), "gauge", "60s", 1000 * i));
  // all have begun at 39 s (39), then come 60 s (0), 61 s (1) ...: of these every third, so 95 s
  // (35)
  rows.push_back(row("pump-in", "pump", "60s", 35'001));
  const auto report = study(rows);
  const SilentCase& gauge = report.silence.cases.at(0);
  CHECK(model::to_ms(gauge.first) == Approx(2 * attempt_ms - 1).margin(0.01));
}

TEST_CASE(
    "no more slaves are studied than each can be with all of its line once; the rest is counted") {
  const auto loaded =
      test::load(test::with_rows({row("a", "gauge", "8s", 0), row("b", "gauge", "8s", 3000),
                                  row("c", "pump", "8s", 3001)}),
                 test::base_files());
  const auto report = analyse(loaded.plan, {});
  REQUIRE(report.silence.cases.size() == 2);
  // the line has three jobs, and two slaves
  for (const auto& [most, studied] : {std::pair{5U, 1U}, std::pair{6U, 2U}, std::pair{2U, 0U}}) {
    SilenceOptions options;
    options.most_transactions = most;
    const SilenceReport silence = simulate_silence(loaded.plan, report.model, report.stalls,
                                                   report.longest, report.heartbeats, options);
    CHECK(silence.cases.size() == studied);
    CHECK(silence.left_out == 2 - studied);
  }
}

TEST_CASE("without frame errors nothing is said of them, and a watch of 0 is none") {
  HeartbeatTimes times;
  times.toggle = Duration(100);
  times.watch = Duration(0);
  std::vector<Transfer> transfers;
  for (int i = 0; i < 50; ++i) transfers.push_back({Duration(90 * i), Duration(90 * i + 5)});
  CHECK(watch_living_producer(times, transfers).alarms == 0U);
  CHECK(watch_living_producer(times, transfers).longest_unchanged > Duration(0));
  times.watch = Duration(1);
  CHECK(watch_living_producer(times, transfers).alarms > 0U);
  times.toggle = Duration(0);
  CHECK(watch_living_producer(times, transfers).longest_unchanged == Duration(0));
}
