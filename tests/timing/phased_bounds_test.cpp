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
  // a trigger just before, another 20 earlier that has long been served
  const auto often =
      phased_bounds(one_queue({cyclic(100, 0, 10), cyclic(100, 50, 20), triggered(20, 4)}), 0);
  CHECK((*often)[0] == Duration(10 + 4));
  // 15 of each 20 are taken: b and t at 0; a trigger at -20 is over by then
  const auto busy =
      phased_bounds(one_queue({cyclic(100, 0, 10), cyclic(100, 10, 3), triggered(20, 15)}), 0);
  CHECK((*busy)[0] == Duration(10 + 15));
  // triggers at -10 and at 10: the first keeps the other cyclic one until 15, the second comes
  // first
  CHECK((*busy)[1] == Duration(15 + 10 + 15 + 3 - 20));
  // it comes at 20 after b = 0: 10 + 3 + 2 x 15 - 20; at 10: 10 + 3 + 15 - 10; at 0: 10 + 15
  CHECK((*busy)[2] == Duration(25));
}

TEST_CASE("order list: who is released in a busy period has been served at its end") {
  // b = 100: 6 + 10 + 20 = 36, so the one at 130 is inside: until 166, and the one at 150: until
  // 171
  const auto bounds =
      phased_bounds(one_queue({cyclic(100, 0, 10), cyclic(100, 0, 20), cyclic(100, 30, 30),
                               cyclic(200, 150, 5), continuous(6)},
                              model::Order::list),
                    0);
  REQUIRE(bounds.has_value());
  CHECK((*bounds)[0] == Duration(71));
  CHECK((*bounds)[1] == Duration(71));
  CHECK((*bounds)[2] == Duration(41));
  CHECK((*bounds)[3] == Duration(21));
}

TEST_CASE("order list: what is triggered comes with the release that begins the busy period") {
  // b = 0: 10 + 20 + 15 = 45, in which the trigger of 20 comes three times, and the one at 50: at
  // 45
  // + 2 x 15 = 75, then four times and 5 more: 95, five times: 110, six times: 125, seven: 140, as
  // 140 / 20 = 7
  const std::vector<Job> jobs{cyclic(200, 0, 10), cyclic(200, 0, 20), cyclic(200, 50, 5),
                              triggered(20, 15)};
  const auto bounds = phased_bounds(one_queue(jobs, model::Order::list), 0);
  REQUIRE(bounds.has_value());
  CHECK((*bounds)[0] == Duration(140));
  CHECK((*bounds)[2] == Duration(140 - 50));
  CHECK((*bounds)[3] == Duration(140));
  // nothing cyclic: both at once, until nothing waits
  const auto alone =
      phased_bounds(one_queue({triggered(20, 5), triggered(100, 16)}, model::Order::list), 0);
  CHECK((*alone)[0] == Duration(5 + 16 + 5));
}

TEST_CASE("scans: all but the last service hold their place until a boundary") {
  // whole scans of 5: 15, 20; a trigger of 10; the sweep of 7 holds 10 when it has just begun
  const auto bounds = phased_bounds(
      one_queue({cyclic(100, 0, 11), cyclic(100, 0, 20), triggered(500, 6), continuous(7)},
                model::Order::due, 5),
      0);
  REQUIRE(bounds.has_value());
  CHECK((*bounds)[0] == Duration(10 + 10 + 11));
  CHECK((*bounds)[1] == Duration(10 + 10 + 15 + 20));
  CHECK((*bounds)[2] == Duration(10 + 15 + 20 + 6));
  // nothing continuous: one scan until the first boundary
  const auto first =
      phased_bounds(one_queue({cyclic(100, 0, 11), triggered(500, 6)}, model::Order::due, 5), 0);
  CHECK((*first)[0] == Duration(5 + 10 + 11));
}

TEST_CASE("no claim where the proof does not hold") {
  const std::vector<Job> jobs{cyclic(100, 0, 10), triggered(500, 5)};
  CHECK(phased_bounds(one_queue(jobs), 0).has_value());
  TimingModel several = one_queue(jobs);
  several.queues[0].in_flight = 2;
  CHECK_FALSE(phased_bounds(several, 0).has_value());
  // a full line
  CHECK_FALSE(phased_bounds(one_queue({cyclic(100, 0, 96), triggered(100, 5)}), 0).has_value());
  // periods that come together after a day: by sums, where there are triggers
  const auto never = [](TriggerKind kind) {
    Job other = triggered(1'000'000'000, 5);
    other.kind = kind;
    return phased_bounds(one_queue({cyclic(999'999'937, 0, 10), cyclic(1'000'000'007, 0, 20),
                                    cyclic(1'000'000'009, 0, 30), other}),
                         0);
  };
  CHECK_FALSE(never(TriggerKind::on_bit).has_value());  // nor does their simulation repeat
  // nothing cyclic at all: only the others of their kind
  CHECK((*phased_bounds(one_queue({triggered(100, 5), triggered(100, 6)}), 0))[0] == Duration(11));
  // at 0 both, at 20 the quick one again: 15 + 6, then 2 x 15 + 6 - 20
  CHECK((*phased_bounds(one_queue({triggered(20, 15), triggered(100, 6)}), 0))[1] == Duration(21));
}

TEST_CASE("no run exceeds the bound for the plan's phases") {
  int proved = 0;
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
    const bool list = *rc::gen::inRange(0, 2) == 0;
    const TimingModel timing = one_queue(jobs, list ? model::Order::list : model::Order::due,
                                         *rc::gen::element<std::int64_t>(0, 0, 4, 7));
    const auto bounds = phased_bounds(timing, 0);
    RC_PRE(bounds.has_value());
    ++proved;
    for (int run = 0; run < 4; ++run) {
      // triggers keep their gap, but come when they like and seldom as often as they may
      TimingModel seen = timing;
      // nobody knows how the boundaries lie
      const auto later = Duration(*rc::gen::inRange<std::int64_t>(0, 8));
      for (Job& job : seen.queues[0].jobs) job.phase += later;
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
      }
    }
  });
  CHECK(proved > 20);
  // it is worth having: what is released half a period away is no part of it
  const TimingModel apart = one_queue({cyclic(100, 0, 10), cyclic(100, 50, 20), triggered(500, 5)});
  CHECK((*phased_bounds(apart, 0))[0] == Duration(10 + 5));
  CHECK(bounds_of(apart)[0][0].response == Duration(10 + 20 + 5));
}
