#include "timing/faults.h"

#include <map>

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/resolved_plan.h"
#include "network_plan.h"
#include "plans.h"
#include "queues.h"
#include "simulation/simulation_internal.h"
#include "timing/bounds.h"
#include "timing/report.h"
#include "timing/simulation.h"

using namespace greymet;
using namespace greymet::timing;
using test::cyclic;
using test::one_queue;
using test::replaced;

namespace {

// Gives a job the parts that failures need: a request and a gap on the line, a timeout, retries.
Job to_device(Job job, std::size_t device, std::int64_t timeout, std::int64_t retries) {
  job.device = device;
  SerialParts parts;
  parts.request = Duration(2);
  parts.gap = Duration(1);
  job.times.serial = parts;
  job.times.timeout = Duration(timeout);
  job.times.retries = retries;
  job.times.exception_longest = std::max(Duration(4), job.times.longest - Duration(2));
  return job;
}

TimingModel with_devices(TimingModel timing, std::size_t devices) {
  for (std::size_t d = 0; d < devices; ++d) timing.devices.push_back({false, d, 0});
  return timing;
}

SimulationOptions silent_from(std::size_t device, std::int64_t from, std::int64_t horizon) {
  SimulationOptions options;
  options.horizon = Duration(horizon);
  options.faults.devices = {{device, FaultKind::silent, Duration(from), Duration::max()}};
  return options;
}

// Device 0 and 1, each with some jobs; perhaps parked.
TimingModel random_line() {
  std::vector<Job> jobs;
  const auto count = *rc::gen::inRange(2, 6);
  for (int i = 0; i < count; ++i) {
    const auto period = *rc::gen::element<std::int64_t>(40, 60, 120);
    Job job = cyclic(period, *rc::gen::inRange<std::int64_t>(0, 40),
                     *rc::gen::inRange<std::int64_t>(5, 15));
    const auto kind = *rc::gen::inRange(0, 6);
    if (kind == 0) job.kind = model::TriggerKind::on_bit;
    if (kind == 1) job.kind = model::TriggerKind::continuous;
    jobs.push_back(to_device(job, static_cast<std::size_t>(*rc::gen::inRange(0, 2)),
                             *rc::gen::inRange<std::int64_t>(5, 40), *rc::gen::inRange(0, 3)));
  }
  const auto order = *rc::gen::element(model::Order::due, model::Order::list);
  TimingModel timing = with_devices(one_queue(std::move(jobs), order), 2);
  if (*rc::gen::inRange(0, 2) == 1) {
    timing.queues[0].park =
        model::Park{*rc::gen::inRange(1, 4), Duration(*rc::gen::inRange(100, 400))};
  }
  return timing;
}

}  // namespace

TEST_CASE("a silent slave takes all its tries, and the others wait for them") {
  // job 0: 2 tries x (2 + 20 + 1) = 46, released at 0, 100, ...; job 1 is released at 1, takes 10
  const auto timing = with_devices(
      one_queue({to_device(cyclic(100, 0, 8), 0, 20, 1), to_device(cyclic(50, 1, 10), 1, 20, 1)}),
      2);
  const auto result = simulate(timing, silent_from(0, 0, 100'000))[0];
  CHECK(result.complete);
  CHECK(result.jobs[0].completed == 0);
  CHECK(result.jobs[0].failed > 0);
  CHECK(result.jobs[1].response_max == Duration(45 + 10));
  CHECK(result.jobs[1].held_first == Duration(45));       // the first instant of it lay before
  CHECK(result.jobs[1].missed == result.jobs[0].failed);  // of 50 it needs 55 once in 100
}

TEST_CASE("a refusing slave answers with exceptions and is not parked") {
  auto timing = with_devices(one_queue({to_device(cyclic(100, 0, 20), 0, 50, 1)}), 1);
  timing.queues[0].park = model::Park{1, Duration(1000)};
  auto options = silent_from(0, 0, 10'000);
  options.faults.devices[0].kind = FaultKind::exception;
  options.trace_length = 2;
  const auto result = simulate(timing, options)[0];
  CHECK(result.jobs[0].completed == 0);
  CHECK(result.jobs[0].parked == 0);
  CHECK(result.complete);
  CHECK(result.jobs[0].failed == 1);  // at 100 all is as it was at 0
  CHECK(result.trace[0].end == Duration(18));
  CHECK_FALSE(result.trace[0].good);
}

TEST_CASE("park: after so many failures releases fail at once, one trial each retry") {
  auto timing = with_devices(
      one_queue({to_device(cyclic(100, 0, 8), 0, 20, 1), to_device(cyclic(100, 50, 8), 1, 20, 1)}),
      2);
  timing.queues[0].park = model::Park{2, Duration(450)};
  auto options = silent_from(0, 0, 1'150);
  options.watched = {{0, 0}};
  options.most_transactions = 1000;
  const auto result = simulate(timing, options)[0];
  std::vector<std::pair<std::int64_t, std::int64_t>> services;
  for (const Service& s : result.watched) services.emplace_back(s.start.count(), s.end.count());
  // two tries each until it is parked at 146: 46; then single trials of 23, the first release that
  // is 450 after the last failure. At 1100 everything is as it was at 600: it has all been seen
  CHECK(services ==
        std::vector<std::pair<std::int64_t, std::int64_t>>{{0, 46}, {100, 146}, {600, 623}});
  CHECK(result.complete);
  CHECK(result.jobs[0].parked == 4 + 4);  // 200 to 500, 700 to 1000
  CHECK(result.jobs[0].missed == 0);
}

TEST_CASE("a slave that answers again is no longer parked, and what waits for that runs once") {
  Job back = to_device(cyclic(1, 0, 5), 0, 20, 0);
  back.kind = model::TriggerKind::on_return;
  back.period = Duration(500);
  auto timing = with_devices(one_queue({to_device(cyclic(100, 0, 8), 0, 20, 0), back}), 1);
  timing.queues[0].park = model::Park{1, Duration(250)};
  auto options = silent_from(0, 50, 2'000);
  options.faults.devices[0].until = Duration(450);
  options.watched = {{0, 0}, {0, 1}};
  const auto result = simulate(timing, options)[0];
  std::vector<std::pair<std::size_t, std::int64_t>> services;
  for (const Service& s : result.watched) {
    if (s.start < Duration(700)) services.emplace_back(s.job, s.start.count());
  }
  // good at 0; lost at 100 (until 123), the trial at 400 (> 373) fails until 423, the next is due
  // at 673: good at 700
  CHECK(services == std::vector<std::pair<std::size_t, std::int64_t>>{{0, 0}, {0, 100}, {0, 400}});
  CHECK(result.jobs[1].completed == 1);
}

TEST_CASE("a fault ends when it says: the request that starts then is answered") {
  const auto timing = with_devices(one_queue({to_device(cyclic(100, 0, 8), 0, 20, 0)}), 1);
  auto options = silent_from(0, 100, 1'000);
  options.faults.devices[0].until = Duration(200);
  options.watched = {{0, 0}};
  const auto result = simulate(timing, options)[0];
  std::vector<bool> good;
  for (const Service& s : result.watched) {
    if (s.start <= Duration(300)) good.push_back(s.good);
  }
  CHECK(good == std::vector<bool>{true, false, true, true});
}

TEST_CASE("while one slave is parked the continuous transactions to others go on") {
  Job to_other = to_device(cyclic(1, 0, 5), 1, 20, 0);
  to_other.kind = model::TriggerKind::continuous;
  Job to_silent = to_device(cyclic(1, 0, 5), 0, 20, 0);
  to_silent.kind = model::TriggerKind::continuous;
  auto timing =
      with_devices(one_queue({to_device(cyclic(100, 0, 8), 0, 20, 0), to_silent, to_other}), 2);
  timing.queues[0].park = model::Park{1, Duration(1000)};
  const auto options = silent_from(0, 0, 10'000);
  for (const auto& result : {internal::simulate_queue(timing, 0, options, {options, 0, 1}),
                             internal::simulate_island(timing, {0}, options, {options, 0, 1})[0]}) {
    // one try a second at most goes to the silent one; the other has the line for the rest
    CHECK(result.jobs[0].failed + result.jobs[1].failed <= 11);
    CHECK(result.jobs[2].completed > (10'000 - 11 * 23) / 5 - 20);
  }
}

TEST_CASE("with faults too the fast and the general simulator agree") {
  rc::prop("same statistics", [] {
    const TimingModel timing = random_line();
    auto options = silent_from(static_cast<std::size_t>(*rc::gen::inRange(0, 2)),
                               *rc::gen::inRange<std::int64_t>(0, 200), 20'000);
    options.faults.devices[0].kind =
        *rc::gen::element(FaultKind::silent, FaultKind::silent, FaultKind::exception);
    if (*rc::gen::inRange(0, 2) == 1) options.faults.devices[0].until = Duration(3000);
    options.most_transactions = 1'000'000;
    const auto fast = internal::simulate_queue(timing, 0, options, {options, 0, 1});
    const auto general = internal::simulate_island(timing, {0}, options, {options, 0, 1});
    for (std::size_t j = 0; j < fast.jobs.size(); ++j) {
      RC_ASSERT(fast.jobs[j].response_max == general[0].jobs[j].response_max);
      RC_ASSERT(fast.jobs[j].held_first == general[0].jobs[j].held_first);
      RC_ASSERT(fast.jobs[j].held_parked == general[0].jobs[j].held_parked);
      RC_ASSERT((fast.jobs[j].missed > 0) == (general[0].jobs[j].missed > 0));
      RC_ASSERT((fast.jobs[j].failed > 0) == (general[0].jobs[j].failed > 0));
      RC_ASSERT((fast.jobs[j].parked > 0) == (general[0].jobs[j].parked > 0));
    }
  });
}

// The stalls of a line of random_line() with these jobs.
StallReport stalls_on(TimingModel& timing, model::ResolvedPlan& plan) {
  for (Queue& queue : timing.queues) {
    for (Job& job : queue.jobs) {
      job.transaction = plan.transactions.size();
      model::ResolvedTransaction t;
      t.target = model::Target{false, job.device, 0};
      plan.transactions.push_back(t);
    }
  }
  return stalls_of(plan, timing);
}

TEST_CASE("nobody waits longer for a silent slave than the stall says") {
  rc::prop("held <= stall", [] {
    TimingModel timing = random_line();
    timing.queues[0].scan = Duration(*rc::gen::element(0, 0, 7, 25));
    auto options = silent_from(0, *rc::gen::inRange<std::int64_t>(0, 300), 20'000);
    options.faults.park = false;
    const auto result = simulate(timing, options)[0];
    timing.queues[0].park.reset();
    model::ResolvedPlan plan;
    for (const Stall& stall : stalls_on(timing, plan).stalls) {
      if (stall.silent.index != 0) continue;
      for (std::size_t j = 0; j < timing.queues[0].jobs.size(); ++j) {
        if (timing.queues[0].jobs[j].device == 0) continue;
        RC_ASSERT(result.jobs[j].held_first <= stall.first);
        RC_ASSERT(result.jobs[j].held_parked <= stall.first);
      }
    }
  });
}

TEST_CASE("nor for one that is parked, while its retry is longer than any wait") {
  rc::prop("held <= stall with park", [] {
    TimingModel timing = random_line();
    Queue& queue = timing.queues[0];
    queue.park = model::Park{*rc::gen::inRange(1, 4), Duration(*rc::gen::inRange(3000, 6000))};
    queue.scan = Duration(*rc::gen::element(0, 0, 7, 25));
    const auto options = silent_from(0, *rc::gen::inRange<std::int64_t>(0, 300), 60'000);
    const auto result = simulate(timing, options)[0];
    model::ResolvedPlan plan;
    for (const Stall& stall : stalls_on(timing, plan).stalls) {
      if (stall.silent.index != 0) continue;
      for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
        if (queue.jobs[j].device == 0) continue;
        RC_ASSERT(result.jobs[j].held_first <= stall.first);
        RC_ASSERT(result.jobs[j].held_parked <= stall.steady);
      }
    }
  });
}

TEST_CASE("behind a gateway with several masters, each of which parks for itself, too") {
  rc::prop("held <= stall", [] {
    TimingModel timing;
    const auto masters = static_cast<std::size_t>(*rc::gen::inRange(2, 4));
    const bool parks = *rc::gen::arbitrary<bool>();
    for (std::size_t controller = 0; controller < masters; ++controller) {
      std::vector<Job> jobs;
      const auto count = *rc::gen::inRange(1, 5);
      for (int i = 0; i < count; ++i) {
        Job job = to_device(test::behind_gateway(*rc::gen::element<std::int64_t>(60, 90, 180),
                                                 *rc::gen::inRange<std::int64_t>(0, 60), 4, 3, 6),
                            static_cast<std::size_t>(*rc::gen::inRange(0, 2)), 0, 0);
        const auto kind = *rc::gen::inRange(0, 6);
        if (kind == 0) job.kind = model::TriggerKind::continuous;
        job.times.timeout = Duration(*rc::gen::inRange<std::int64_t>(5, 30));
        jobs.push_back(job);
      }
      test::add_gateway_queue(timing, controller, *rc::gen::inRange(1, 4), jobs);
      timing.queues.back().scan = Duration(*rc::gen::element(0, 0, 5));
      if (parks) timing.queues.back().park = model::Park{*rc::gen::inRange(1, 4), Duration(9000)};
    }
    timing.in_flight_limit.assign(masters, std::nullopt);
    timing.devices = {{false, 0, 0}, {false, 1, 0}};
    std::vector<std::size_t> all;
    for (std::size_t q = 0; q < masters; ++q) all.push_back(q);
    const auto from = *rc::gen::inRange<std::int64_t>(0, 200);
    const auto result = simulate_queues(timing, all, silent_from(0, from, 60'000));
    model::ResolvedPlan plan;
    for (const Stall& stall : stalls_on(timing, plan).stalls) {
      if (stall.silent.index != 0) continue;
      for (const StallOn& on : stall.queues) {
        for (const JobStatistics& job : result[on.queue].jobs) {
          RC_ASSERT(job.held_first <= on.first);
          RC_ASSERT(job.held_parked <= on.steady);
        }
      }
    }
  });
}

TEST_CASE("frame errors fail as many tries as their rate says") {
  // p = 1 - 0.9^2 = 0.19; one retry: a request fails in both tries with p^2 = 0.0361
  CHECK(try_failure_probability(0.1) == Approx(0.19));
  const auto timing = with_devices(one_queue({to_device(cyclic(100, 0, 8), 0, 20, 1)}), 1);
  SimulationOptions options;
  options.horizon = Duration(100 * 200'000LL);
  options.faults.frame_error_rate = 0.1;
  const auto result = simulate(timing, options)[0];
  const auto sent = static_cast<double>(result.jobs[0].completed + result.jobs[0].failed);
  CHECK(sent == Approx(200'000).epsilon(0.001));
  // five standard deviations of a share of 0.0361 among 200,000: 5 x sqrt(p q / n) = 0.0021
  CHECK(static_cast<double>(result.jobs[0].failed) / sent == Approx(0.0361).margin(0.0021));
  CHECK(result.jobs[0].response_max == Duration(23 + 8));  // one failed try, then the answer
  CHECK_FALSE(result.complete);
  const auto again = simulate(timing, options)[0];
  CHECK(again.jobs[0].failed == result.jobs[0].failed);  // the same seed, the same errors
}

TEST_CASE("on TCP a lost segment comes again, and only too many of them fail a try") {
  // 8 of 100 at best; lost once 10 later, twice 30 later; three times 70, which the timeout of 60
  // with its 52 of room does not wait for
  Job job = cyclic(200, 0, 8);
  job.times.timeout = Duration(60);
  job.times.retries = 1;
  job.times.retransmission = Duration(10);
  TimingModel timing = with_devices(one_queue({job}), 1);
  timing.queues[0].kind = QueueKind::tcp;
  SimulationOptions options;
  options.horizon = Duration(200 * 200'000LL);
  options.faults.frame_error_rate = 0.1;  // a try is lost with 0.19
  options.watched = {{0, 0}};
  for (const auto& result : {internal::simulate_queue(timing, 0, options, {options, 0, 1}),
                             internal::simulate_island(timing, {0}, options, {options, 0, 1})[0]}) {
    std::map<std::int64_t, double> share;
    for (const Service& s : result.watched) {
      share[(s.end - s.start).count()] += 1 / static_cast<double>(result.watched.size());
    }
    const double p = 0.19;
    const double fails = p * p * p;
    CHECK(share[8] == Approx(1 - p).margin(0.006));
    CHECK(share[18] == Approx(p * (1 - p)).margin(0.005));
    CHECK(share[38] == Approx(p * p * (1 - p)).margin(0.003));
    CHECK(share[60 + 8] == Approx(fails * (1 - p)).margin(0.002));
    CHECK(static_cast<double>(result.jobs[0].failed) / 200'000 ==
          Approx(fails * fails).margin(0.0003));
    CHECK(result.jobs[0].response_max <= Duration(60 + 38));
  }
}

TEST_CASE("one silent slave, and two, on a plan") {
  const auto row = [](const std::string& name, const std::string& slave, const char* phase) {
    return "{ name = \"" + name + "\", slave = \"" + slave +
           "\", fc = 3, at = 0, count = 2, into = \"%MW\", on_loss = \"hold\", every = \"1s\", "
           "phase = \"" +
           phase + "\" }";
  };
  const auto study = [&](const std::string& line, bool pairs) {
    auto text = test::with_rows({row("a", "gauge", "0ms"), row("b", "gauge", "100ms"),
                                 row("c", "pump", "200ms"), row("d", "third", "300ms")});
    text = replaced(text, "[exchange]", "[slave.third]\nline = \"north\"\nunit = 15\n[exchange]");
    text = replaced(text, "format = \"8E1\"\n", "format = \"8E1\"\n" + line);
    const auto loaded = test::load(text, test::base_files());
    AnalysisOptions options;
    options.silence.pairs = pairs;
    return analyse(loaded.plan, options);
  };
  constexpr double attempt_ms = (8 + 3.5) * 11 / 19.2 + 500;
  const auto ms = [](Duration d) { return static_cast<double>(d.count()) / 1e6; };
  const auto plain = study("", false);
  REQUIRE(plain.silence.cases.size() == 3);
  const SilentCase& gauge = plain.silence.cases[0];
  CHECK_FALSE(gauge.parks);
  // 4 x 506.6 = 2026 ms for its two transactions: all others miss releases of 1 s again and again
  CHECK(gauge.without_park <= plain.stalls.stalls[0].first);
  CHECK(ms(gauge.without_park) == Approx(4 * attempt_ms).margin(500));
  CHECK(gauge.missing == std::vector<JobRef>{{0, 2}, {0, 3}});
  CHECK(gauge.missing_steady == gauge.missing);
  // pump, once: 2 x 506.6 = 1013 ms from 200 on: the third slave's wait is 913 ms, within 1 s
  const SilentCase& pump = plain.silence.cases[1];
  CHECK(ms(pump.first) == Approx(2 * attempt_ms).margin(120));
  const auto parked = study("park = { after = 2, retry = \"20s\" }\n", true);
  REQUIRE(parked.silence.cases.size() == 3 + 3);
  CHECK(parked.silence.cases[0].parks);
  CHECK(parked.silence.cases[0].first <= parked.stalls.stalls[0].first);
  CHECK(parked.silence.cases[0].steady <= parked.stalls.stalls[0].steady);
  CHECK(parked.silence.cases[0].missing_steady.empty());
  CHECK(parked.silence.cases[3].devices.size() == 2);
  // two that are silent keep the line at least as long as one of them
  CHECK(parked.silence.cases[3].without_park >= parked.silence.cases[0].without_park);
}

TEST_CASE("a heartbeat that shares its controller's only request trips when another is silent") {
  auto text = replaced(
      test::network_plan(
          {R"({ name = "beat", controller = "kiln", slave = "loadout", fc = 16, at = "%MW1", count = 1, from = "%MW200", every = "100ms" })",
           R"({ name = "air-in", controller = "kiln", slave = "air", fc = 3, at = 0, count = 2, into = "%MW300", every = "1s", on_loss = "hold" })"},
          R"([supervision]
heartbeats = [ { name = "kiln-alive", from = "kiln", bit = "%MW200.0", toggle = "500ms", to = "loadout", watch = "1500ms", react = "3s", on_loss = "stop" } ]
)"),
      "scan = \"10ms\"\n", "scan = \"10ms\"\nin_flight = 1\n");
  text = replaced(text, "host = \"10.20.0.31\"\n", "host = \"10.20.0.31\"\ntimeout = \"1800ms\"\n");
  const auto loaded = test::load(text, test::base_files());
  const auto report = analyse(loaded.plan, {});
  REQUIRE(report.heartbeats.size() == 1);
  CHECK_FALSE(report.heartbeat_runs.at(0).with_errors.has_value());  // no rate was stated
  CHECK_FALSE(report.heartbeat_runs.at(0).runs_per_year.has_value());
  const auto find_case = [&](const std::string& name) -> const SilentCase* {
    for (const SilentCase& c : report.silence.cases) {
      if (loaded.plan.target_name(report.model.devices[c.devices[0]]) == name) return &c;
    }
    return nullptr;
  };
  const SilentCase* air = find_case("air");
  REQUIRE(air != nullptr);
  CHECK(air->tripped == std::vector<std::size_t>{0});
}
