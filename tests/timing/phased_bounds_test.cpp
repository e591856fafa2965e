// Bounds for a plan's own phases with triggers and continuous jobs: by hand, and against runs with
// random durations, triggers that come whenever they may, and continuous jobs in between.
#include "timing/phased_bounds.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "queues.h"
#include "timing/bounds.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::timing;
using model::TriggerKind;
using test::cyclic;
using test::one_queue;

namespace {

Job triggered(std::int64_t gap, std::int64_t duration) {
  Job job = cyclic(gap, 0, duration);
  job.kind = TriggerKind::on_bit;
  return job;
}

Job continuous(std::int64_t duration) {
  Job job = cyclic(1, 0, duration);
  job.kind = TriggerKind::continuous;
  return job;
}

}  // namespace

TEST_CASE("phases count although something is triggered") {
  // a and b never meet: 10 and 20 alone; the trigger adds 5, the sweep that has just begun 7
  const auto bounds = phased_bounds(
      one_queue({cyclic(100, 0, 10), cyclic(100, 50, 20), triggered(500, 5), continuous(7)}), 0);
  REQUIRE(bounds.has_value());
  CHECK((*bounds)[0] == Duration(7 + 10 + 5));
  CHECK((*bounds)[1] == Duration(7 + 20 + 5));
  CHECK((*bounds)[2] == Duration(7 + 20 + 5));  // it may come when b has just been released
  CHECK((*bounds)[3] == Duration(0));
  // the busy period 10 + 20 + 4 = 34, then with 2 triggers 38 within 40: a gap of 20 allows two
  const auto often =
      phased_bounds(one_queue({cyclic(100, 0, 10), cyclic(100, 50, 20), triggered(20, 4)}), 0);
  CHECK((*often)[0] == Duration(10 + 2 * 4));
}

TEST_CASE("no claim where the proof does not hold") {
  const std::vector<Job> jobs{cyclic(100, 0, 10), triggered(500, 5)};
  CHECK(phased_bounds(one_queue(jobs), 0).has_value());
  CHECK_FALSE(phased_bounds(one_queue(jobs, model::Order::list), 0).has_value());
  CHECK_FALSE(phased_bounds(one_queue(jobs, model::Order::due, 10), 0).has_value());
  TimingModel several = one_queue(jobs);
  several.queues[0].in_flight = 2;
  CHECK_FALSE(phased_bounds(several, 0).has_value());
  // a full line, and cyclic jobs that miss
  CHECK_FALSE(phased_bounds(one_queue({cyclic(100, 0, 96), triggered(100, 5)}), 0).has_value());
  CHECK_FALSE(
      phased_bounds(one_queue({cyclic(20, 0, 10), cyclic(1000, 0, 40), triggered(500, 5)}), 0)
          .has_value());
  // nothing cyclic at all: only the others of their kind
  CHECK((*phased_bounds(one_queue({triggered(100, 5), triggered(100, 6)}), 0))[0] == Duration(11));
}

TEST_CASE("no run exceeds the bound for the plan's phases") {
  int proved = 0;
  int tighter = 0;
  rc::prop("random durations and triggers", [&] {
    std::vector<Job> jobs;
    const auto count = *rc::gen::inRange(1, 6);
    for (int i = 0; i < count; ++i) {
      const auto shortest = *rc::gen::inRange<std::int64_t>(1, 6);
      const auto longest = shortest + *rc::gen::inRange<std::int64_t>(0, 8);
      const auto period = *rc::gen::element<std::int64_t>(60, 80, 100, 120, 150, 200);
      Job job =
          test::job(TriggerKind::cyclic, period, *rc::gen::inRange<std::int64_t>(0, 2 * period),
                    shortest, longest, longest);
      switch (*rc::gen::inRange(0, 6)) {
        case 0: job.kind = TriggerKind::continuous; break;
        case 1:
        case 2: job.kind = TriggerKind::on_change; break;
        case 3:
          job.kind = TriggerKind::on_start;
          job.period = Duration(0);
          break;
        default: break;
      }
      jobs.push_back(job);
    }
    const TimingModel timing = one_queue(jobs);
    const auto bounds = phased_bounds(timing, 0);
    RC_PRE(bounds.has_value());
    const auto any_phase = bounds_of(timing);
    ++proved;
    for (int run = 0; run < 4; ++run) {
      // triggers keep their gap, but come when they like and seldom as often as they may
      TimingModel seen = timing;
      for (Job& job : seen.queues[0].jobs) {
        if (job.kind == TriggerKind::cyclic || job.kind == TriggerKind::continuous) continue;
        job.phase = Duration(*rc::gen::inRange<std::int64_t>(0, 400));
        if (job.period > Duration{}) job.period += Duration(*rc::gen::inRange<std::int64_t>(0, 60));
      }
      SimulationOptions options;
      options.horizon = Duration(6000);
      options.durations = run == 0 ? Durations::longest : Durations::random;
      options.seed = *rc::gen::arbitrary<std::uint64_t>();
      const auto result = simulate(seen, options);
      for (std::size_t j = 0; j < jobs.size(); ++j) {
        if (!is_released(jobs[j].kind) || result[0].jobs[j].completed == 0) continue;
        RC_ASSERT(result[0].jobs[j].response_max <= (*bounds)[j]);
        if ((*bounds)[j] < *any_phase[0][j].response) ++tighter;
      }
    }
  });
  CHECK(proved > 20);
  CHECK(tighter > 0);  // it is worth having
}
