// The bounds: worked examples by hand, and that no simulation ever exceeds them.
#include "timing/bounds.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/duration_text.h"
#include "plans.h"
#include "queues.h"
#include "timing/report.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::timing;
using model::Order;
using model::TriggerKind;
using test::cyclic;

namespace {

Job random_job(bool gateway) {
  const auto period = *rc::gen::element<std::int64_t>(40, 50, 60, 80, 100, 120, 150);
  const auto phase = *rc::gen::inRange<std::int64_t>(0, 2 * period);
  const auto shortest = *rc::gen::inRange<std::int64_t>(1, 8);
  const auto longest = shortest + *rc::gen::inRange<std::int64_t>(0, 12);
  Job job = gateway ? test::behind_gateway(period, phase, *rc::gen::inRange<std::int64_t>(0, 6),
                                           shortest, longest)
                    : test::job(TriggerKind::cyclic, period, phase, shortest, longest, longest);
  switch (*rc::gen::inRange(0, 8)) {
    case 0: job.kind = TriggerKind::continuous; break;
    case 1: job.kind = TriggerKind::on_bit; break;
    case 2:
      job.kind = TriggerKind::on_start;
      job.period = Duration(0);
      break;
    default: break;
  }
  return job;
}

std::vector<Job> random_jobs(bool gateway) {
  std::vector<Job> jobs;
  const auto count = *rc::gen::inRange(1, 6);
  for (int i = 0; i < count; ++i) jobs.push_back(random_job(gateway));
  return jobs;
}

bool runs_once_at_start(const TimingModel& timing) {
  for (const Queue& queue : timing.queues) {
    for (const Job& job : queue.jobs) {
      if (job.kind == TriggerKind::on_start) return true;
    }
  }
  return false;
}

void never_exceeded(const TimingModel& timing) {
  const auto bounds = bounds_of(timing);
  SimulationOptions options;
  options.horizon = Duration(4000);
  for (const Durations durations :
       {Durations::longest, Durations::typical, Durations::random, Durations::random}) {
    options.durations = durations;
    options.seed = *rc::gen::arbitrary<std::uint64_t>();
    const auto result = simulate(timing, options);
    for (std::size_t q = 0; q < timing.queues.size(); ++q) {
      for (std::size_t j = 0; j < timing.queues[q].jobs.size(); ++j) {
        const JobStatistics& s = result[q].jobs[j];
        if (s.completed == 0) continue;
        if (bounds[q][j].response) RC_ASSERT(s.response_max <= *bounds[q][j].response);
        // what runs once at start is left out of the intervals of continuous jobs
        const bool continuous = timing.queues[q].jobs[j].kind == TriggerKind::continuous;
        if (continuous && runs_once_at_start(timing)) continue;
        if (bounds[q][j].interval) RC_ASSERT(s.longest_interval <= *bounds[q][j].interval);
      }
    }
  }
}

}  // namespace

TEST_CASE("one queue: the sum of all, and the continuous one that has just begun") {
  Job sweep = cyclic(1, 0, 9);
  sweep.kind = TriggerKind::continuous;
  const auto bounds =
      bounds_of(test::one_queue({cyclic(100, 0, 10), cyclic(200, 0, 20), sweep}, Order::due, 5));
  // 9 in whole scans is 10, which has begun, then the other and itself
  CHECK(bounds[0][0].response == Duration(10 + 20 + 10));
  CHECK(bounds[0][1].response == Duration(10 + 10 + 20));
  CHECK(bounds[0][0].interval == Duration(140));
  CHECK_FALSE(bounds[0][2].response.has_value());
  // X = (1 + floor((10 + X)/100)) 10 + (1 + floor((10 + X)/200)) 20 = 30; itself, and one scan
  CHECK(bounds[0][2].interval == Duration(30 + 9 + 5));
  // whole scans of the others, its own 11 as they are; without a continuous one a first wait
  const auto scans =
      bounds_of(test::one_queue({cyclic(100, 0, 11), cyclic(200, 0, 21)}, Order::due, 5));
  CHECK(scans[0][0].response == Duration(5 + 25 + 11));
  CHECK(scans[0][1].response == Duration(5 + 15 + 21));
}

TEST_CASE("a continuous job on a full line has no bound") {
  Job sweep = cyclic(1, 0, 9);
  sweep.kind = TriggerKind::continuous;
  const auto bounds = bounds_of(test::one_queue({cyclic(10, 0, 10), sweep}));
  CHECK_FALSE(bounds[0][1].interval.has_value());
}

TEST_CASE("what runs once at start is in the responses, and not in the intervals of what recurs") {
  Job sweep = cyclic(1, 0, 9);
  sweep.kind = TriggerKind::continuous;
  Job start = cyclic(1, 0, 40);
  start.kind = TriggerKind::on_start;
  start.period = Duration(0);
  const auto bounds = bounds_of(test::one_queue({cyclic(100, 0, 10), start, sweep}));
  CHECK(bounds[0][0].response == Duration(10 + 40 + 9));
  CHECK(bounds[0][2].interval == Duration(10 + 9));
  CHECK_FALSE(bounds[0][1].interval.has_value());
}

TEST_CASE("one service at its longest: the job, the next scan boundary, foreign requests") {
  auto serial = test::one_queue({cyclic(100, 0, 10)}, Order::due, 7);
  CHECK(service_bound(serial, serial.queues[0], Duration(10)) == Duration(17));
  TimingModel gateway;
  test::add_gateway_queue(gateway, 0, 1, {test::behind_gateway(1000, 0, 4, 20, 20)});
  test::add_gateway_queue(
      gateway, 1, 3,
      {test::behind_gateway(1000, 0, 6, 10, 11), test::behind_gateway(1000, 0, 0, 30, 31)});
  // the other master's longest on the line, as often as it may have requests under way
  CHECK(foreign_share(gateway, gateway.queues[0]) == Duration(3 * 31));
  CHECK(foreign_share(gateway, gateway.queues[1]) == Duration(20));
  CHECK(foreign_share(serial, serial.queues[0]) == Duration(0));
  CHECK(service_bound(gateway, gateway.queues[0], Duration(24)) == Duration(24 + 3 * 31));
}

TEST_CASE("behind a gateway a foreign request may go before each of ours") {
  // A has 10 x 20 ms, B 1 x 20 ms: 400 ms, where the plain sum says 220
  TimingModel timing;
  test::add_gateway_queue(timing, 0, 1,
                          std::vector<Job>(10, test::behind_gateway(1000, 0, 0, 20, 20)));
  test::add_gateway_queue(timing, 1, 1, {test::behind_gateway(1000, 0, 0, 20, 20)});
  // every 1000 B comes once at most in that time, its own response of 40 before it included
  CHECK(bounds_of(timing)[0][9].response == Duration(220));
  CHECK(bounds_of(timing)[1][0].response == Duration(40));
  // every 60: within 200 and its own response of 40 five times, 300; within 340 six, 320; within
  // 360 seven, 340; within 380 seven
  timing.queues[1].jobs[0].period = Duration(60);
  CHECK(bounds_of(timing)[0][9].response == Duration(340));
  // failures may make the time longer, and then it comes more often
  CHECK(bounds_of(timing)[0][9].response_behind_failures == Duration(400));
  // B asking without pause makes A wait before each request: far above the plain sum
  timing.queues[1].jobs[0].kind = TriggerKind::continuous;
  const auto bounds = bounds_of(timing);
  CHECK(bounds[0][9].response == Duration(400));
  SimulationOptions options;
  options.horizon = Duration(50'000);
  const auto seen = simulate(timing, options)[0].jobs[9].response_max;
  CHECK(seen > Duration(220));
  CHECK(seen <= Duration(400));
}

TEST_CASE("with several requests under way, that many may be ahead") {
  TimingModel timing;
  test::add_gateway_queue(timing, 0, 3,
                          std::vector<Job>(4, test::behind_gateway(1000, 0, 4, 20, 20)));
  // three others and itself on the line, 4 x 20; its own ways, 4; those of the others, 3 x 4 / 3
  CHECK(bounds_of(timing)[0][0].response == Duration(88));
  // with a continuous one as well, which holds one of the places, also under a scan of 5
  timing.queues[0].jobs.push_back(test::behind_gateway(1, 0, 6, 30, 30));
  timing.queues[0].jobs.back().kind = TriggerKind::continuous;
  CHECK(bounds_of(timing)[0][0].response == Duration(80 + 30 + 4 + (3 * 4 + 6) / 3));
  timing.queues[0].scan = Duration(5);
  CHECK(bounds_of(timing)[0][0].response == Duration(5 + 80 + 30 + 4 + (3 * 9 + 11) / 3));
}

TEST_CASE("no run exceeds the bound: one queue, any order, any kind of job") {
  rc::prop("response and interval", [] {
    never_exceeded(test::one_queue(random_jobs(false), *rc::gen::element(Order::due, Order::list),
                                   *rc::gen::element<std::int64_t>(0, 3, 7)));
  });
}

TEST_CASE("no run exceeds the bound: a connection with several requests under way") {
  rc::prop("response and interval", [] {
    TimingModel timing =
        test::one_queue(random_jobs(false), Order::due, *rc::gen::element<std::int64_t>(0, 3, 7));
    timing.queues[0].kind = QueueKind::tcp;
    timing.queues[0].line.reset();
    timing.queues[0].in_flight = *rc::gen::inRange<std::int64_t>(1, 4);
    never_exceeded(timing);
  });
}

TEST_CASE("on TCP with n under way the others, and n continuous ones, count a n-th") {
  TimingModel timing = test::one_queue({cyclic(100, 0, 10), cyclic(200, 0, 21)}, Order::due, 5);
  for (const std::int64_t length : {9, 14, 23}) {
    Job sweep = cyclic(1, 0, length);
    sweep.kind = TriggerKind::continuous;
    timing.queues[0].jobs.push_back(sweep);
  }
  timing.queues[0].kind = QueueKind::tcp;
  timing.queues[0].in_flight = 2;
  const auto bounds = bounds_of(timing);
  // in whole scans: 10, 25; 10, 15, 25, of which two have begun a scan ago at least: 20 and 10
  CHECK(bounds[0][0].response == Duration(5 + (25 + 20 + 10) / 2 / 5 * 5 + 10));
  CHECK(bounds[0][1].response == Duration(5 + (10 + 20 + 10) / 2 / 5 * 5 + 21));
}

TEST_CASE("on TCP a long one beside short ones holds one place, not half of both") {
  TimingModel timing = test::one_queue(
      {cyclic(100, 0, 2), cyclic(100, 0, 8), cyclic(100, 0, 2), cyclic(100, 0, 1)}, Order::due, 0);
  timing.queues[0].kind = QueueKind::tcp;
  timing.queues[0].line.reset();
  for (const auto& [places, waits] : std::vector<std::pair<std::int64_t, std::int64_t>>{
           {1, 8 + 2 + 1}, {2, 2 + 1}, {3, 1}, {4, 0}, {9, 0}}) {
    timing.queues[0].in_flight = places;
    INFO(places);
    // of 8, 2 and 1 before it: the 8 on a place of its own, then the 2 on another
    CHECK(bounds_of(timing)[0][0].response == Duration(waits + 2));
  }
}

TEST_CASE("the wait for a place against the largest T with n T <= sum of min(C, T)") {
  rc::prop("tried one by one", [] {
    const auto places = *rc::gen::inRange<std::int64_t>(2, 6);
    const auto scan = *rc::gen::element<std::int64_t>(0, 4);
    std::vector<Job> jobs;
    const auto count = *rc::gen::inRange(1, 7);
    for (int j = 0; j < count; ++j) jobs.push_back(cyclic(1000, 0, *rc::gen::inRange(1, 30)));
    TimingModel timing = test::one_queue(jobs, Order::due, scan);
    timing.queues[0].kind = QueueKind::tcp;
    timing.queues[0].line.reset();
    timing.queues[0].in_flight = places;
    const auto held = [&](const Job& job) {
      const std::int64_t c = model::in_ns(job.times.longest);
      return scan > 0 ? (c + scan - 1) / scan * scan : c;
    };
    std::int64_t most = 0;
    for (std::int64_t t = 0; t < 300; ++t) {
      std::int64_t sum = 0;
      for (std::size_t j = 1; j < jobs.size(); ++j) sum += std::min(held(jobs[j]), t);
      if (places * t <= sum) most = t;
    }
    if (scan > 0) most = most / scan * scan;
    RC_ASSERT(bounds_of(timing)[0][0].response == Duration(scan + most) + jobs[0].times.longest);
  });
}

TEST_CASE("no run exceeds the bound: several masters behind a gateway") {
  rc::prop("response and interval", [] {
    TimingModel timing;
    const auto masters = *rc::gen::inRange(1, 3);
    for (int m = 0; m <= masters; ++m) {
      test::add_gateway_queue(timing, static_cast<std::size_t>(m),
                              *rc::gen::inRange<std::int64_t>(1, 3), random_jobs(true));
    }
    timing.in_flight_limit.assign(static_cast<std::size_t>(masters) + 1, std::nullopt);
    never_exceeded(timing);
  });
}

TEST_CASE("no run exceeds the bound: connections under a common limit") {
  rc::prop("response", [] {
    TimingModel timing;
    for (int q = 0; q < 3; ++q) {
      TimingModel one = test::one_queue(random_jobs(false));
      one.queues[0].kind = QueueKind::tcp;
      one.queues[0].line.reset();
      timing.queues.push_back(one.queues[0]);
    }
    timing.in_flight_limit.assign(1, *rc::gen::inRange<std::int64_t>(1, 3));
    never_exceeded(timing);
  });
}

TEST_CASE("the exact bound for the plan's own phases holds for every shorter duration") {
  rc::prop("random durations", [] {
    std::vector<Job> jobs;
    const auto count = *rc::gen::inRange(1, 6);
    for (int i = 0; i < count; ++i) {
      Job job = random_job(false);
      job.kind = TriggerKind::cyclic;
      job.period = std::max(job.period, Duration(40));
      jobs.push_back(job);
    }
    const TimingModel timing =
        test::one_queue(std::move(jobs), Order::due, *rc::gen::element<std::int64_t>(0, 5));
    SimulationOptions options;
    options.horizon = Duration(20'000);
    const auto exact = simulate(timing, options)[0];
    RC_PRE(exact.complete);
    for (const JobStatistics& s : exact.jobs) RC_PRE(s.missed == 0U);
    options.durations = Durations::random;
    options.seed = *rc::gen::arbitrary<std::uint64_t>();
    const auto random = simulate(timing, options)[0];
    for (std::size_t j = 0; j < exact.jobs.size(); ++j) {
      RC_ASSERT(random.jobs[j].response_max <= exact.jobs[j].response_max);
      RC_ASSERT(random.jobs[j].missed == 0U);
    }
  });
}

TEST_CASE("scans: the bound for the plan's phases holds wherever the boundaries lie") {
  const auto row = [](const char* name, const char* every, std::int64_t phase) {
    return fmt::format(
        "{{ name = \"{}\", slave = \"gauge\", fc = 3, at = 0, count = 4, into = \"%MW\", every = "
        "\"{}\", phase = \"{}ms\" }}",
        name, every, phase);
  };
  rc::prop("response", [&] {
    auto text = test::with_rows({row("a", "200ms", *rc::gen::inRange(0, 200)),
                                 row("b", "400ms", *rc::gen::inRange(0, 400)),
                                 row("c", "800ms", *rc::gen::inRange(0, 800))});
    const auto scan = *rc::gen::element(10, 20, 50);
    text = test::replaced(text, "[exchange]", "[exchange]\n");
    const auto at = text.find("[controller.");
    const auto end_of_header = text.find('\n', at) + 1;
    const auto old_scan = text.find("scan = ", end_of_header);
    RC_ASSERT(old_scan != std::string::npos);
    text.replace(old_scan, text.find('\n', old_scan) - old_scan,
                 fmt::format("scan = \"{}ms\"\nsends = \"scan\"", scan));
    const auto loaded = test::load(text, test::base_files());
    const auto report = analyse(loaded.plan, {});
    const auto& line = report.lines.at(0);
    RC_ASSERT(report.model.queues[0].scan == std::chrono::milliseconds(scan));
    TimingModel moved = report.model;
    const auto by = Duration(*rc::gen::inRange<std::int64_t>(0, scan * 1'000'000));
    for (Job& job : moved.queues[0].jobs) job.phase += by;
    const auto seen = simulate(moved, {})[0];
    for (std::size_t j = 0; j < seen.jobs.size(); ++j) {
      RC_ASSERT(seen.jobs[j].response_max <= *line.transactions[j].response_bound);
      RC_ASSERT(*line.transactions[j].response_bound <=
                *line.transactions[j].response_bound_any_phase);
    }
  });
}

TEST_CASE("the report leaves out what there is not: failures of broadcasts, periods of events") {
  const auto text = test::with_rows(
      {R"({ name = "a", slave = "all", fc = 16, at = 0, count = 2, from = "%MW900", every = "1s" })",
       R"({ name = "b", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW10", on = "start" })",
       R"({ name = "c", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW10", every = "1s" })"});
  const auto loaded = test::load(
      test::replaced(text, "[exchange]", "[slave.all]\nline = \"north\"\nunit = 0\n[exchange]"),
      test::base_files());
  const auto report = analyse(loaded.plan, {});
  const auto& rows = report.lines.at(0).transactions;
  REQUIRE(rows.size() == 3);
  CHECK_FALSE(rows[0].failed_attempt.has_value());
  CHECK_FALSE(rows[1].period.has_value());
  CHECK(rows[2].failed_attempt.has_value());
  CHECK(rows[2].period == Duration(std::chrono::seconds(1)));
}

TEST_CASE("the report is exact where it may be, and shows both bounds") {
  const auto loaded = test::load(
      test::with_rows(
          {R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 4, into = "%MW0", every = "1s" })",
           R"({ name = "b", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW10", every = "1s", phase = "500ms" })"}),
      test::base_files());
  const auto report = analyse(loaded.plan, {});
  REQUIRE(report.lines.size() == 1);
  const auto& line = report.lines[0];
  CHECK(line.simulation_complete);
  const auto& a = line.transactions[0];
  const auto& b = line.transactions[1];
  CHECK(a.response_bound == a.longest);  // never meets b
  CHECK(a.response_bound_any_phase == a.longest + b.longest);
  CHECK(a.interval_bound == Duration(std::chrono::seconds(1)) + a.longest);
  CHECK(line.round == a.longest + b.longest);
  CHECK(line.utilisation_percent == Approx(model::to_ms(a.longest + b.longest) / 10));
}

TEST_CASE("a bound of thousands of stated months is long, and never negative") {
  for (const int polls : {1'000, 2'000, 4'000}) {
    std::vector<std::string> rows;
    for (int i = 0; i < polls; ++i) {
      rows.push_back("{ name = \"t" + std::to_string(i) +
                     "\", slave = \"gauge\", fc = 3, at = 0, count = 2, into = \"%MW0\", every = "
                     "\"700h\" }");
    }
    const auto loaded =
        test::load(test::replaced(test::with_rows(rows), "max = \"20ms\"", "max = \"744h\""),
                   test::base_files());
    const timing::TimingReport report = timing::analyse_longest(loaded.plan);
    const auto& line = report.lines.at(0);
    // 1,000 x 31 days are 85 years and fit; 2,000 do not
    const model::Duration month = std::chrono::hours(744);
    CHECK(line.round >= (polls == 1'000 ? 1'000 * month : Duration::max()));
    for (const auto& t : line.transactions) {
      REQUIRE(t.response_bound_any_phase);
      CHECK(*t.response_bound_any_phase >= (polls == 1'000 ? polls * month : Duration::max()));
      REQUIRE(t.interval_bound);
      CHECK(*t.interval_bound >= *t.response_bound_any_phase);
    }
  }
}
