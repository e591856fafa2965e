#include "timing/stalls.h"
#include "model/duration_text.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "plans.h"
#include "queues.h"
#include "timing/phases.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::timing;
using test::attempt_ms;
using test::cyclic;
using test::one_queue;
using test::replaced;
using test::with_rows;

namespace {

std::string read_row(const std::string& name, const std::string& slave, const std::string& when) {
  return "{ name = \"" + name + "\", slave = \"" + slave +
         "\", fc = 3, at = 0, count = 2, into = "
         "\"%MW\", on_loss = \"hold\", " +
         when + " }";
}

StallReport stalls(const std::string& plan) {
  const auto loaded = test::load(plan, test::base_files());
  return stalls_of(loaded.plan, build_timing_model(loaded.plan));
}

}  // namespace

TEST_CASE("each transaction to the silent slave costs all its tries once") {
  const std::string plan = with_rows(
      {read_row("a", "gauge", "every = \"1s\""), read_row("b", "gauge", "every = \"2s\""),
       read_row("c", "pump", "every = \"1s\""), read_row("d", "gauge", "every = \"continuous\""),
       read_row("e", "gauge", "every = \"continuous\""), read_row("f", "gauge", "on = \"start\"")});
  const auto found = stalls(plan);
  REQUIRE(found.stalls.size() == 2);
  // a, b and one of the continuous ones; what runs once at the start is over
  CHECK(found.stalls[0].counted == 3);
  CHECK(model::to_ms(found.stalls[0].first) == Approx(3 * 2 * attempt_ms));
  CHECK(found.stalls[0].steady == found.stalls[0].first);
  CHECK(found.cyclic.at(found.stalls[0].pool).size() == 3);
  CHECK(model::to_ms(found.stalls[1].first) == Approx(2 * attempt_ms));
  CHECK(found.stalls[1].pool == found.stalls[0].pool);
  const auto parked = stalls(replaced(plan, "format = \"8E1\"\n",
                                      "format = \"8E1\"\npark = { after = 2, retry = \"9s\" }\n"));
  CHECK(model::to_ms(parked.stalls[0].first) == Approx(2 * 2 * attempt_ms));
  CHECK(model::to_ms(parked.stalls[0].steady) == Approx(attempt_ms));
}

TEST_CASE("several requests under way leave room for others") {
  const auto lengths = [](std::size_t silent, std::int64_t places,
                          std::optional<std::int64_t> after) {
    std::vector<Job> jobs(silent, cyclic(100, 0, 8));
    jobs.push_back(cyclic(100, 0, 8));
    TimingModel timing = one_queue(jobs);
    timing.queues[0].kind = QueueKind::tcp;
    timing.queues[0].line = std::nullopt;
    timing.queues[0].in_flight = places;
    std::vector<FailingJob> failing;
    for (std::size_t j = 0; j < silent; ++j) {
      failing.push_back({{0, j}, Duration(1), Duration(2), Duration(10), 2});
    }
    const auto on = stall_lengths(timing, {0}, failing, after);
    return on.empty() ? Duration{} : on[0].first;
  };
  const FailingJob one{{0, 0}, Duration(1), Duration(2), Duration(10), 2};
  CHECK(one.silent() == Duration(1 + 2 * 12));
  CHECK(one.one_try() == Duration(13));
  CHECK(lengths(3, 1, std::nullopt) == Duration(75));
  CHECK(lengths(3, 1, 2) == Duration(50));
  CHECK(lengths(3, 4, std::nullopt) == Duration(0));  // one place is always left
  CHECK(lengths(3, 3, std::nullopt) == Duration(25));
}

TEST_CASE("coincidence of releases, against a search over the hyperperiod") {
  rc::prop("releases_coincide", [] {
    const auto period = [] { return *rc::gen::element<std::int64_t>(2, 3, 4, 6, 12); };
    const auto jobs = *rc::gen::inRange(2, 5);
    std::vector<Job> list;
    for (int i = 0; i < jobs; ++i) {
      const std::int64_t p = period();
      list.push_back(cyclic(p, *rc::gen::inRange<std::int64_t>(0, 12), 1));
    }
    const TimingModel timing = one_queue(list);
    bool meet = false;
    for (std::size_t a = 0; a < list.size(); ++a) {
      for (std::size_t b = a + 1; b < list.size(); ++b) {
        for (std::int64_t t = 12; t < 36; ++t) {
          meet = meet || ((t - list[a].phase.count()) % list[a].period.count() == 0 &&
                          (t - list[b].phase.count()) % list[b].period.count() == 0);
        }
      }
    }
    RC_ASSERT(releases_coincide(timing.queues[0]) == meet);
  });
}

TEST_CASE("proposed phases keep to their grid and to what they promise") {
  rc::prop("propose_phases", [] {
    std::vector<Job> list;
    const auto jobs = *rc::gen::inRange(2, 7);
    for (int i = 0; i < jobs; ++i) {
      list.push_back(cyclic(*rc::gen::element<std::int64_t>(20, 40, 60, 120),
                            *rc::gen::inRange<std::int64_t>(0, 20),
                            *rc::gen::inRange<std::int64_t>(1, 5)));
    }
    TimingModel timing = one_queue(list);
    const auto proposal = propose_phases(timing, 0, Duration(2));
    RC_ASSERT(proposal.has_value());
    const auto wait = [&] {
      const auto result = simulate(timing, {});
      Duration longest{};
      for (std::size_t j = 0; j < list.size(); ++j) {
        if (result[0].jobs[j].completed == 0) continue;
        longest = std::max(longest, result[0].jobs[j].response_max - list[j].times.longest);
      }
      return longest;
    };
    RC_ASSERT(proposal->longest_wait_before == wait());
    for (std::size_t j = 0; j < list.size(); ++j) {
      RC_ASSERT(proposal->phases[j].count() % 2 == 0);
      RC_ASSERT(proposal->phases[j] < list[j].period);
      timing.queues[0].jobs[j].phase = proposal->phases[j];
    }
    RC_ASSERT(proposal->longest_wait_after == wait());
  });
  // room for all: nobody waits any more
  const auto easy = propose_phases(
      one_queue({cyclic(100, 0, 10), cyclic(100, 0, 20), cyclic(200, 0, 30)}), 0, Duration(5));
  CHECK(easy->longest_wait_after == Duration(0));
  CHECK_FALSE(propose_phases(one_queue({cyclic(100, 0, 10)}), 0, Duration(5)).has_value());
  CHECK_FALSE(
      propose_phases(one_queue({cyclic(100, 0, 10), cyclic(100, 0, 10)}, model::Order::list), 0,
                     Duration(5))
          .has_value());
}

TEST_CASE(
    "phases: the least of equal ones, whole combinations up to their number, the model's grid") {
  // nothing meets: everybody keeps the first phase that is free
  const auto timing = one_queue({cyclic(20, 0, 1), cyclic(20, 0, 1)});
  const auto proposal = propose_phases(timing, 0, Duration(5));
  REQUIRE(proposal.has_value());
  CHECK(proposal->phases == std::vector<Duration>{Duration(0), Duration(5)});
  // 20 x 30 combinations are tried all, 20 x 31 are not
  const auto of = [](std::int64_t second) {
    return one_queue({cyclic(20, 0, 8), cyclic(second, 0, 9)});
  };
  const Placement all = place_jobs(of(30), 0, {0, 1}, Duration(1));
  CHECK(all.exact);
  CHECK_FALSE(place_jobs(of(31), 0, {0, 1}, Duration(1)).exact);
  // the first of the best: at phase 0 of the first, whatever that of the second
  CHECK(place_jobs(one_queue({cyclic(20, 0, 8)}), 0, {0}, Duration(1)).phases ==
        std::vector<Duration>{Duration(0)});
  // two that always meet: all phases wait as long, the first stay
  CHECK(place_jobs(one_queue({cyclic(4, 0, 3), cyclic(4, 0, 3)}), 0, {0, 1}, Duration(2)).phases ==
        std::vector<Duration>{Duration(0), Duration(0)});
  model::Controller controller;
  CHECK(phase_step(controller) == std::chrono::milliseconds(10));
  model::ControllerModel coarse;
  coarse.period_step = model::Located<Duration>{std::chrono::milliseconds(25), {}};
  controller.model = coarse;
  CHECK(phase_step(controller) == std::chrono::milliseconds(25));
  controller.model->period_step->value = std::chrono::milliseconds(1);
  CHECK(phase_step(controller) == std::chrono::milliseconds(10));
}

TEST_CASE("sums of stated times stop at the longest, and never turn negative") {
  // 1001 tries of a month each, four times: 300 years do not fit into 64 bits
  std::vector<FailingJob> failing;
  for (std::size_t j = 0; j < 4; ++j) {
    failing.push_back({{0, j}, {}, {}, std::chrono::hours(744), 1001});
  }
  CHECK(failing[0].silent() == Duration(std::chrono::hours(744)) * 1001);
  for (const std::int64_t scan : {0, 10}) {
    const auto timing = one_queue(std::vector<Job>(4, cyclic(100, 0, 8)), model::Order::due, scan);
    const auto lengths = stall_lengths(timing, {0}, failing, std::nullopt);
    REQUIRE(lengths.size() == 1);
    CHECK(lengths[0].first == Duration::max());
    CHECK(lengths[0].steady == Duration::max());
  }
}
