#include "timing/simulation.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "queues.h"
#include "simulation/simulation_internal.h"
#include "slow_simulation.h"

using namespace greymet;
using namespace greymet::timing;
using model::Order;
using model::TriggerKind;
using test::cyclic;

namespace {

SimulationOptions longest_until(std::int64_t horizon) {
  SimulationOptions options;
  options.horizon = Duration(horizon);
  return options;
}

TimingModel random_queue() {
  std::vector<Job> jobs;
  const auto count = *rc::gen::inRange(1, 6);
  const bool with_continuous = *rc::gen::inRange(0, 3) == 0;
  for (int i = 0; i < count; ++i) {
    const auto period = *rc::gen::element<std::int64_t>(4, 5, 6, 8, 10, 12, 15, 20, 30);
    Job job = cyclic(period, *rc::gen::inRange<std::int64_t>(0, period + 3),
                     *rc::gen::inRange<std::int64_t>(1, 6));
    if (with_continuous && i % 2 == 1) job.kind = TriggerKind::continuous;
    jobs.push_back(job);
  }
  const Order order = *rc::gen::element(Order::due, Order::list);
  return test::one_queue(std::move(jobs), order, *rc::gen::element<std::int64_t>(0, 1, 2, 3));
}

}  // namespace

TEST_CASE("the simulation agrees with stepping through time") {
  rc::prop("same statistics", [] {
    const TimingModel timing = random_queue();
    // a prime horizon keeps the run from ending early because its state repeats; the last unit is a
    // boundary of every scan, so that nothing released before the end starts behind it
    constexpr std::int64_t end = 2 * 3 * 66 + 1;
    SimulationOptions options = longest_until(end);
    options.durations = Durations::longest;
    const auto fast = internal::simulate_queue(timing, 0, options, {options, 0, 1});
    const auto slow = test::simulate_slowly(timing.queues[0], end);
    for (std::size_t j = 0; j < slow.size(); ++j) {
      if (!fast.complete) RC_ASSERT(fast.jobs[j].completed == slow[j].completed);
      RC_ASSERT(fast.jobs[j].response_max.count() == slow[j].response_max);
    }
  });
}

TEST_CASE("the general simulator agrees with the fast one on a single queue") {
  rc::prop("same statistics", [] {
    const TimingModel timing = random_queue();
    const SimulationOptions options = longest_until(2000);
    const auto fast = internal::simulate_queue(timing, 0, options, {options, 0, 1});
    const auto general = internal::simulate_island(timing, {0}, options, {options, 0, 1});
    for (std::size_t j = 0; j < fast.jobs.size(); ++j) {
      RC_ASSERT(fast.jobs[j].response_max == general[0].jobs[j].response_max);
      RC_ASSERT((fast.jobs[j].missed > 0) == (general[0].jobs[j].missed > 0));
    }
  });
}

TEST_CASE("missed releases are counted, one at the instant of completion is not") {
  // duration 10, period 10: each release comes when the one before completes
  auto timing = test::one_queue({cyclic(10, 0, 10)});
  auto result = simulate(timing, longest_until(1000))[0];
  CHECK(result.jobs[0].missed == 0);
  CHECK(result.complete);
  // duration 11: released at 0, done at 11, the release at 10 is missed, next at 20
  timing = test::one_queue({cyclic(10, 0, 11)});
  result = simulate(timing, longest_until(1000))[0];
  CHECK(result.jobs[0].missed == result.jobs[0].completed);
  CHECK(result.jobs[0].longest_interval == Duration(20));
}

TEST_CASE("in list order a shorter duration can make another response longer") {
  // (period, phase) = (30,8), (15,5), (15,4): durations 2, 4, 4 give R_1 = 2, 2, 4, 2 give 4
  const auto response = [](std::int64_t third) {
    const auto timing =
        test::one_queue({cyclic(30, 8, 2), cyclic(15, 5, 4), cyclic(15, 4, third)}, Order::list);
    return simulate(timing, longest_until(10'000))[0].jobs[0].response_max;
  };
  CHECK(response(2) == Duration(4));
  CHECK(response(4) == Duration(2));
  const auto timing =
      test::one_queue({cyclic(30, 8, 2), cyclic(15, 5, 4), cyclic(15, 4, 4)}, Order::list);
  CHECK(test::simulate_slowly(timing.queues[0], 3000)[0].response_max ==
        simulate(timing, longest_until(10'000))[0].jobs[0].response_max.count());
}

TEST_CASE("scan boundaries hold back the start") {
  // released at 3, boundary at 10, takes 4
  const auto timing = test::one_queue({cyclic(100, 3, 4)}, Order::due, 10);
  const auto result = simulate(timing, longest_until(10'000))[0];
  CHECK(result.jobs[0].response_max == Duration(11));
  CHECK(result.complete);
}

TEST_CASE("triggered jobs come as often as their gap allows, start comes once") {
  Job triggered = cyclic(50, 0, 5);
  triggered.kind = TriggerKind::on_bit;
  Job start = cyclic(1, 0, 7);
  start.kind = TriggerKind::on_start;
  start.period = Duration(0);
  Job back = start;
  back.kind = TriggerKind::on_return;
  const auto timing = test::one_queue({triggered, start, back, cyclic(100, 0, 10)});
  const auto result = simulate(timing, longest_until(100'000))[0];
  CHECK(result.jobs[0].completed >= 4);
  CHECK(result.jobs[0].missed == 0);
  CHECK(result.jobs[1].completed == 1);
  CHECK(result.jobs[2].completed == 0);  // nobody comes back when nobody was away
}

TEST_CASE("continuous jobs share the idle time in turns") {
  Job sweep = cyclic(1, 0, 10);
  sweep.kind = TriggerKind::continuous;
  const auto timing = test::one_queue({sweep, sweep, sweep, cyclic(100, 0, 10)});
  const auto result = simulate(timing, longest_until(10'000))[0];
  CHECK(result.jobs[3].response_max <= Duration(20));
  const auto [least, most] =
      std::minmax({result.jobs[0].completed, result.jobs[1].completed, result.jobs[2].completed});
  CHECK(most - least <= 1);
}

TEST_CASE("what does not repeat within the horizon is said to be incomplete") {
  // lcm of 997 and 1009 is 1005973 > horizon
  const auto timing = test::one_queue({cyclic(997, 0, 10), cyclic(1009, 0, 10)});
  CHECK_FALSE(hyperperiod(timing, {0}, Duration(100'000)).has_value());
  CHECK(hyperperiod(timing, {0}, Duration(2'000'000)) == Duration(997 * 1009));
  const auto result = simulate(timing, longest_until(100'000))[0];
  CHECK_FALSE(result.complete);
  CHECK(result.simulated >= Duration(99'000));
}

TEST_CASE("an overloaded queue ends at the limit of transactions, not in a loop") {
  SimulationOptions options = longest_until(1'000'000'000);
  options.most_transactions = 5000;
  const auto timing = test::one_queue({cyclic(10, 0, 9), cyclic(11, 0, 9), cyclic(13, 0, 9)});
  const auto result = simulate(timing, options)[0];
  CHECK(result.jobs[0].completed + result.jobs[1].completed + result.jobs[2].completed <= 5000);
  CHECK(result.jobs[0].missed > 0);
}

TEST_CASE("the same seed gives the same run, percentiles are those of all responses") {
  Job random = test::job(TriggerKind::cyclic, 50, 0, 1, 10, 40);
  const auto timing = test::one_queue({random, random});
  SimulationOptions options = longest_until(100'000);
  options.durations = Durations::random;
  options.percentiles = true;
  options.seed = 7;
  const auto a = simulate(timing, options)[0];
  const auto b = simulate(timing, options)[0];
  CHECK(a.jobs[1].response_max == b.jobs[1].response_max);
  CHECK(a.jobs[1].response_mean_ns == b.jobs[1].response_mean_ns);
  REQUIRE(a.jobs[1].response_p99.has_value());
  CHECK(*a.jobs[1].response_p99 <= a.jobs[1].response_max);
  CHECK(*a.jobs[1].response_p99 >= a.jobs[1].response_min);
  options.seed = 8;
  CHECK(simulate(timing, options)[0].jobs[1].response_mean_ns != a.jobs[1].response_mean_ns);
}

TEST_CASE("the percentile is the smallest response that 99 of 100 do not exceed") {
  // listed first, a job of 5 makes every 100th, or every 99th, response of the other 6 instead of 1
  for (const auto& [period, expected] : {std::pair(1000, 1), std::pair(990, 6)}) {
    const auto timing = test::one_queue({cyclic(period, 0, 5), cyclic(10, 0, 1)}, Order::list);
    for (const bool general : {false, true}) {
      SimulationOptions options = longest_until(period * 20 - 1);
      options.percentiles = true;
      const auto run = general ? internal::simulate_island(timing, {0}, options, {options, 0, 1})[0]
                               : internal::simulate_queue(timing, 0, options, {options, 0, 1});
      CHECK(run.jobs[1].response_p99 == Duration(expected));
      CHECK(run.jobs[1].response_max == Duration(6));
    }
  }
}

TEST_CASE("in either simulator continuous jobs take turns, whatever their number") {
  for (std::size_t count : {1U, 2U, 3U, 5U, 7U}) {
    Job sweep = cyclic(1, 0, 10);
    sweep.kind = TriggerKind::continuous;
    const auto timing = test::one_queue(std::vector<Job>(count, sweep));
    SimulationOptions options = longest_until(10'000);
    for (const bool general : {false, true}) {
      const auto run = general ? internal::simulate_island(timing, {0}, options, {options, 0, 1})[0]
                               : internal::simulate_queue(timing, 0, options, {options, 0, 1});
      // each comes again after all the others, and never sooner
      for (const JobStatistics& job : run.jobs) {
        CHECK(job.longest_interval == Duration(10 * static_cast<std::int64_t>(count)));
        CHECK(job.completed > 0);
      }
    }
  }
}

TEST_CASE("two masters behind one gateway wait for each other") {
  TimingModel timing;
  test::add_gateway_queue(timing, 0, 1, {test::behind_gateway(100, 0, 4, 20, 20)});
  test::add_gateway_queue(timing, 1, 1, {test::behind_gateway(100, 0, 4, 30, 30)});
  const auto result = simulate(timing, longest_until(10'000));
  // both arrive at 2; the first takes the line until 22, the second until 52
  CHECK(result[0].jobs[0].response_max == Duration(24));
  CHECK(result[1].jobs[0].response_max == Duration(54));
  CHECK(result[0].complete);
}

TEST_CASE("a limit of requests under way makes connections wait") {
  auto timing = test::one_queue({cyclic(100, 0, 10)});
  timing.queues[0].kind = QueueKind::tcp;
  timing.queues[0].line.reset();
  timing.queues.push_back(timing.queues[0]);
  timing.queues.push_back(timing.queues[0]);
  CHECK(islands_of(timing).size() == 3);
  CHECK(simulate(timing, longest_until(10'000))[2].jobs[0].response_max == Duration(10));
  timing.in_flight_limit[0] = 1;
  CHECK(islands_of(timing).size() == 1);
  CHECK(simulate(timing, longest_until(10'000))[2].jobs[0].response_max == Duration(30));
  timing.in_flight_limit[0] = 2;
  CHECK(simulate(timing, longest_until(10'000))[2].jobs[0].response_max == Duration(20));
}

TEST_CASE("a simulation that is stopped gives back what it has, and says it is not complete") {
  std::stop_source stop;
  SimulationOptions options;
  options.durations = Durations::random;  // never ends by repeating
  options.stop = stop.get_token();
  // the sink is called every 65,536 transactions: the next look at the token ends it
  options.progress = [&stop](double) { stop.request_stop(); };
  const auto stopped = simulate(test::one_queue({cyclic(40, 0, 1), cyclic(50, 0, 2)}), options);
  CHECK_FALSE(stopped[0].complete);
  CHECK(stopped[0].jobs[0].completed + stopped[0].jobs[1].completed <= 3U * 65'536);
}
