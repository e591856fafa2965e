#include "timing/heartbeat_simulation.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <cmath>

#include "queues.h"
#include "timing/faults.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::timing;

namespace {

// Transfers every `period`, each taking `length`.
std::vector<Transfer> regular(std::int64_t period, std::int64_t length, int count) {
  std::vector<Transfer> transfers;
  for (int k = 0; k < count; ++k) {
    transfers.push_back({Duration(k * period), Duration(k * period + length)});
  }
  return transfers;
}

HeartbeatTimes times(std::int64_t toggle, std::int64_t watch, std::int64_t producer_scan,
                     std::int64_t consumer_scan) {
  return {Duration(toggle),        Duration(watch),         Duration(10 * watch),
          Duration(producer_scan), Duration(consumer_scan), 0};
}

Carrier cyclic_carrier(std::int64_t period, std::int64_t response) {
  Carrier carrier;
  carrier.period = Duration(period);
  carrier.response = Duration(response);
  carrier.delay = delay_of_cyclic(carrier.period, *carrier.response);
  carrier.failed_attempt = Duration(2 * period);
  return carrier;
}

}  // namespace

TEST_CASE("a stop is noticed between W less a toggle and W after the last change came through") {
  // toggles every 1000, carried every 100 in 10, no scans: the change is seen 10 to 110 after it,
  // the stop comes 0 to 1000 after it, the alarm 3000 after it was seen
  const auto found = simulate_detection(times(1000, 3000, 0, 0), regular(100, 10, 1000));
  REQUIRE(found);
  CHECK(found->least >= Duration(3000 + 10 - 1000));
  CHECK(found->least <= Duration(3000 + 10 - 1000 + 100));
  CHECK(found->latest <= Duration(3000 + 110));
  CHECK(found->latest >= Duration(3000 + 60));
  // on average 60 after the toggle, and half a toggle time before the stop
  CHECK(found->mean_ms * 1e6 == Approx(3000 + 60 - 500).margin(15));
  CHECK_FALSE(simulate_detection(times(1000, 3000, 0, 0), regular(100, 10, 5)));
  // stops are looked at from one toggle and one scan of the producer on: here 1007 after the start
  CHECK_FALSE(simulate_detection(times(1007, 3000, 0, 0), {regular(1007, 10, 2)}));
  CHECK(simulate_detection(times(1006, 3000, 0, 0), {regular(1007, 10, 2)}).has_value() ==
        simulate_detection(times(999, 3000, 7, 0), {regular(1007, 10, 2)}).has_value());
  CHECK_FALSE(simulate_detection(times(1000, 3000, 7, 0), {regular(1007, 10, 2)}));
  CHECK_FALSE(simulate_detection(times(1000, 0, 0, 0), regular(100, 10, 1000)));
}

TEST_CASE("no simulated alarm comes later than the formula says, none is false where W is safe") {
  rc::prop("latest <= W + G + 2 s_c", [] {
    const auto period = *rc::gen::inRange<std::int64_t>(20, 200);
    const auto duration = *rc::gen::inRange<std::int64_t>(1, 20);
    const Carrier carrier = cyclic_carrier(period, duration);
    HeartbeatTimes t =
        times(*rc::gen::inRange<std::int64_t>(50, 2000), 0, *rc::gen::inRange<std::int64_t>(1, 20),
              *rc::gen::inRange<std::int64_t>(1, 20));
    t.watch = Duration(1);
    t.react = std::chrono::seconds(1);
    const auto formula = judge_heartbeat(t, carrier);
    RC_PRE(formula.verdict != HeartbeatVerdict::toggles_lost);
    t.watch = *formula.watch_min;
    const auto transfers = regular(period, duration, 2000);
    const auto detection = simulate_detection(t, transfers);
    RC_ASSERT(detection.has_value());
    RC_ASSERT(detection->latest <= *judge_heartbeat(t, carrier).latest_alarm);
    const auto living = watch_living_producer(t, transfers);
    RC_ASSERT(living.alarms == 0U);
    RC_ASSERT(living.longest_unchanged <= t.watch);
  });
}

TEST_CASE("a watch below the longest time without a change gives false alarms") {
  // toggles every 500, carried every 100: seen 400, 500 or 600 apart
  auto t = times(500, 450, 0, 0);
  const auto transfers = regular(100, 10, 10'000);
  const auto record = watch_living_producer(t, transfers);
  CHECK(record.longest_unchanged >= Duration(500));
  CHECK(record.longest_unchanged <= Duration(600));
  CHECK(record.alarms > 1000);
  CHECK(record.observed == Duration(100 * 9999));
  const double year_ns = 365.25 * 24 * 3600 * 1e9;
  CHECK(record.alarms_per_year == Approx(year_ns / 500).epsilon(0.01));
  t.watch = Duration(700);
  CHECK(watch_living_producer(t, transfers).alarms == 0);
}

TEST_CASE("how many failed tries in a row a watch stands, and how often they come") {
  // D = 100 + 10 = 110, A = 200, toggle 1000, no scans, no retries: a request that fails takes 10 +
  // 200 and the releases in it, so that the next one comes 300 later: G_k = 110 + 300 k
  const Carrier carrier = cyclic_carrier(100, 10);
  // W_min(k) = 1000 + G_k: 1110, 1410, 1710; G_3 = 1010 may hold two toggles: 3000 + G_0; with a
  // fourth one 3000 + G_1
  CHECK(tries_to_false_alarm(times(1000, 1109, 0, 0), carrier) == 0);
  CHECK(tries_to_false_alarm(times(1000, 1110, 0, 0), carrier) == 1);
  CHECK(tries_to_false_alarm(times(1000, 1709, 0, 0), carrier) == 2);
  CHECK(tries_to_false_alarm(times(1000, 1710, 0, 0), carrier) == 3);
  CHECK(tries_to_false_alarm(times(1000, 3109, 0, 0), carrier) == 3);
  CHECK(tries_to_false_alarm(times(1000, 3110, 0, 0), carrier) == 4);
  CHECK_FALSE(tries_to_false_alarm(times(100, 1000, 0, 0), carrier));  // toggles are lost
  // a year of 100 ms periods, p = 1 - (1 - 1e-3)^2 = 0.001999: x p^2
  const double year_s = 365.25 * 24 * 3600;
  CHECK(runs_per_year(std::chrono::milliseconds(100), 1e-3, 2) ==
        Approx(year_s * 10 * 0.001999 * 0.001999));
  CHECK(runs_per_year(std::chrono::milliseconds(100), 1e-3, 0) == Approx(year_s * 10));
}

TEST_CASE("false alarms with many frame errors are no more than the runs that can cause them") {
  // carried every 100 in 10, one failed try takes 3 + 60; toggles every 400; no retries
  Job job = test::cyclic(100, 0, 10);
  SerialParts parts;
  parts.request = Duration(2);
  parts.reply = Duration(3);
  parts.gap = Duration(1);
  job.times.serial = parts;
  job.times.timeout = Duration(60);
  TimingModel timing = test::one_queue({job});
  timing.devices.push_back({true, 0, 0});
  Carrier carrier = cyclic_carrier(100, 63);
  carrier.failed_attempt = Duration(63);
  const auto t = times(400, 850, 0, 0);
  const auto tries = tries_to_false_alarm(t, carrier);
  REQUIRE(tries);
  CHECK(*tries >= 1);
  SimulationOptions options;
  options.horizon = Duration(100 * 150'000);
  options.watched = {{0, 0}};
  options.faults.frame_error_rate = 0.2;
  const auto run = simulate(timing, options)[0];
  const auto record = watch_living_producer(t, transfers_of(job, 0, false, run.watched));
  const double runs = runs_per_year(Duration(100), 0.2, *tries);
  CHECK(record.alarms > 0);
  CHECK(record.alarms_per_year <= runs);
}

TEST_CASE("the trace of a heartbeat shows each change the consumer sees") {
  const auto trace = trace_heartbeat(times(300, 1000, 0, 0), regular(100, 10, 100), Duration(1000));
  CHECK(trace.toggles == std::vector<Duration>{Duration(300), Duration(600), Duration(900)});
  CHECK(trace.seen == std::vector<Duration>{Duration(310), Duration(610), Duration(910)});
}
