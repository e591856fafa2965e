// Stalls beyond one master with one request under way, against the adversary.
#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/resolved_plan.h"
#include "queues.h"
#include "simulation/simulation_internal.h"
#include "slow_silence.h"
#include "timing/simulation.h"
#include "timing/stalls.h"

using namespace greymet;
using namespace greymet::timing;
using test::SlowJob;
using test::SlowKind;
using test::SlowNetwork;
using test::SlowQueue;

namespace {

constexpr std::int64_t request_time = 2;
constexpr std::int64_t gap_time = 1;

// One network twice: for the adversary, and as the program's model. Device 0 falls silent.
struct Network {
  std::vector<SlowQueue> slow;
  std::vector<std::optional<std::int64_t>> limits;
  TimingModel timing;
  model::ResolvedPlan plan;

  void add_queue(std::size_t controller, bool gateway, std::int64_t places, std::int64_t scan) {
    slow.push_back({controller, gateway, places, scan, {}});
    Queue queue;
    queue.kind = gateway ? QueueKind::gateway : QueueKind::tcp;
    queue.controller = model::ControllerIndex(controller);
    queue.connection = model::ConnectionIndex(timing.queues.size());
    if (gateway) queue.line = model::LineIndex(0);
    queue.in_flight = places;
    queue.scan = Duration(scan);
    timing.queues.push_back(std::move(queue));
  }

  // `tries` with `timeout` each when nobody answers; `off` when its host is.
  void add_job(std::size_t q, SlowJob job, std::size_t device, std::int64_t timeout,
               std::int64_t tries, std::int64_t off = 0) {
    const bool gateway = slow[q].gateway;
    job.silent = device == 0;
    job.in_vain = std::max(off, tries * (timeout + (gateway ? request_time + gap_time : 0)));
    slow[q].jobs.push_back(job);
    Job ours = gateway ? test::behind_gateway(job.period, job.phase, job.out + job.back,
                                              job.service, job.service)
                       : test::cyclic(job.period, job.phase, job.service);
    if (job.kind == SlowKind::triggered) ours.kind = model::TriggerKind::on_bit;
    if (job.kind == SlowKind::continuous) ours.kind = model::TriggerKind::continuous;
    if (gateway) {
      ours.times.serial->request = Duration(request_time);
      ours.times.serial->gap = Duration(gap_time);
      ours.times.serial->turnaround_longest = Duration(job.service - request_time - gap_time);
    }
    ours.times.timeout = Duration(timeout);
    ours.times.retries = tries - 1;
    ours.times.host_off = Duration(off);
    ours.device = device;
    ours.transaction = plan.transactions.size();
    model::ResolvedTransaction t;
    t.target = model::Target{false, device, 0};
    plan.transactions.push_back(t);
    timing.queues[q].jobs.push_back(ours);
  }

  void limit(std::vector<std::optional<std::int64_t>> most) {
    limits = most;
    timing.in_flight_limit = std::move(most);
    timing.devices = {{false, 0, 0}, {false, 1, 0}};
  }
};

std::int64_t any(std::int64_t from, std::int64_t to) {
  return *rc::gen::inRange<std::int64_t>(from, to + 1);
}

Network random_network() {
  Network network;
  const bool gateway = any(0, 1) == 1;
  const auto queues = any(1, 3);
  const std::int64_t scan = any(0, 2) == 0 ? any(2, 9) : 0;
  for (std::int64_t q = 0; q < queues; ++q) {
    // masters of one line, or connections of one controller; sometimes a mixture
    const bool here = gateway && any(0, 3) != 0;
    const auto controller = static_cast<std::size_t>(gateway ? any(0, 1) : 0);
    network.add_queue(controller, here, any(0, 1) == 0 ? 1 : any(2, 3), scan);
    const auto jobs = any(1, 4);
    for (std::int64_t j = 0; j < jobs; ++j) {
      SlowJob job;
      const auto kind = any(0, 5);
      if (kind == 0) job.kind = SlowKind::triggered;
      if (kind == 1) job.kind = SlowKind::continuous;
      job.period = *rc::gen::element<std::int64_t>(30, 40, 60, 120);
      job.phase = any(0, 40);
      job.service = any(4, 12);
      if (here) job.out = 2;
      if (here) job.back = 2;
      // a slave on TCP is reached by one connection
      const bool silent = here ? any(0, 1) == 0 : !gateway && q == 0 && any(0, 2) > 0;
      network.add_job(static_cast<std::size_t>(q), job, silent ? 0 : 1, any(5, 40), any(1, 3),
                      !here && any(0, 3) == 0 ? any(5, 200) : 0);
    }
  }
  const auto limit = [&](std::size_t controller) -> std::optional<std::int64_t> {
    std::int64_t wanted = 0;
    for (const SlowQueue& q : network.slow) {
      if (q.controller == controller) wanted += q.places;
    }
    if (wanted < 2 || any(0, 1) == 0) return std::nullopt;
    return any(1, wanted - 1);
  };
  network.limit({limit(0), limit(1)});
  return network;
}

std::vector<std::size_t> all_queues(const Network& network) {
  std::vector<std::size_t> all(network.slow.size());
  for (std::size_t q = 0; q < all.size(); ++q) all[q] = q;
  return all;
}

// For the reader of a counterexample.
std::string text_of(const Network& network) {
  std::string text;
  for (const SlowQueue& q : network.slow) {
    const auto& limit = network.limits[q.controller];
    text += fmt::format("controller {} limit {} {} places {} scan {}\n", q.controller,
                        limit ? std::to_string(*limit) : "none", q.gateway ? "gateway" : "tcp",
                        q.places, q.scan);
    for (const SlowJob& j : q.jobs) {
      text += fmt::format("  kind {} period {} phase {} {} {} + {} + {}, in vain {}\n",
                          static_cast<int>(j.kind), j.period, j.phase, j.silent ? "SILENT" : "",
                          j.out, j.service, j.back, j.in_vain);
    }
  }
  return text;
}

Duration bound_of(const Network& network, std::size_t q) {
  Duration longest{};
  for (const Stall& stall : stalls_of(network.plan, network.timing).stalls) {
    if (stall.silent.index != 0) continue;
    for (const StallOn& on : stall.queues) {
      if (on.queue == q) longest = std::max(longest, on.first);
    }
  }
  return longest;
}

}  // namespace

TEST_CASE("no request is stalled longer than the bound of its queue says, whoever counts") {
  rc::prop("adversary <= bound, simulation = adversary", [] {
    const Network network = random_network();
    const std::int64_t from = any(0, 200);
    constexpr std::int64_t end = 6'000;
    const auto seen = SlowNetwork(network.slow, network.limits).run(from, end);
    SimulationOptions options;
    options.horizon = Duration(end);
    options.faults.devices = {{0, FaultKind::silent, Duration(from), Duration::max()}};
    const auto queues = all_queues(network);
    const auto ours = internal::simulate_island(network.timing, queues, options, {options, 0, 1});
    // whoever asks for all of it gets the same
    const auto whole = simulate(network.timing, options);
    for (const std::size_t q : queues) {
      for (std::size_t j = 0; j < ours[q].jobs.size(); ++j) {
        RC_ASSERT(whole[q].jobs[j].held_first == ours[q].jobs[j].held_first);
        RC_ASSERT(whole[q].jobs[j].response_max == ours[q].jobs[j].response_max);
      }
    }
    RC_LOG() << text_of(network) << "silent from " << from << "\n";
    for (const std::size_t q : queues) {
      Duration held{};
      for (const JobStatistics& job : ours[q].jobs) held = std::max(held, job.held_first);
      RC_ASSERT(held == Duration(seen[q]));
      RC_ASSERT(Duration(seen[q]) <= bound_of(network, q));
    }
  });
}

namespace {

struct Expected {
  std::size_t queue;
  std::int64_t first;
  std::int64_t steady;
};

SlowJob slow_job(SlowKind kind, bool gateway) {
  SlowJob job;
  job.kind = kind;
  job.period = 100;
  job.service = 6;
  job.out = job.back = gateway ? 2 : 0;
  return job;
}

void check_stalls(Network& network, std::optional<std::int64_t> after,
                  const std::vector<Expected>& expected) {
  if (network.limits.empty()) network.limit({std::nullopt, std::nullopt, std::nullopt});
  std::vector<FailingJob> failing;
  for (std::size_t q = 0; q < network.timing.queues.size(); ++q) {
    for (std::size_t j = 0; j < network.timing.queues[q].jobs.size(); ++j) {
      const Job& job = network.timing.queues[q].jobs[j];
      if (job.device != 0) continue;
      const bool gateway = network.slow[q].gateway;
      failing.push_back({{q, j},
                         Duration(gateway ? 4 : 0),
                         Duration(gateway ? 3 : 0),
                         job.times.timeout,
                         1 + job.times.retries});
    }
  }
  const auto lengths = stall_lengths(network.timing, all_queues(network), failing, after);
  std::vector<std::tuple<std::size_t, std::int64_t, std::int64_t>> found;
  for (const StallOn& on : lengths) {
    found.emplace_back(on.queue, on.first.count(), on.steady.count());
  }
  std::vector<std::tuple<std::size_t, std::int64_t, std::int64_t>> wanted;
  for (const Expected& e : expected) wanted.emplace_back(e.queue, e.first, e.steady);
  CHECK(found == wanted);
}

}  // namespace

TEST_CASE("what a silent slave puts before others, term by term") {
  SECTION("one connection: as many continuous ones as it has places, whole scans, and one more") {
    Network network;
    network.add_queue(0, false, 2, 10);
    for (const std::int64_t timeout : {11, 22, 33}) {
      network.add_job(0, slow_job(SlowKind::continuous, false), 0, timeout, 1);
    }
    network.add_job(0, slow_job(SlowKind::cyclic, false), 0, 14, 3);
    network.add_job(0, slow_job(SlowKind::cyclic, false), 1, 14, 3);
    // (50 for 42, 40 for 33, 30 for 22) / 2, and the scan until the next boundary
    check_stalls(network, std::nullopt, {{0, 120 / 2 + 10, 120 / 2 + 10}});
  }
  SECTION("own gateway: scans are not whole, those under way when it is parked fail too") {
    Network network;
    network.add_queue(0, true, 2, 10);
    for (const std::int64_t timeout : {10, 20, 30, 40}) {
      network.add_job(0, slow_job(SlowKind::cyclic, true), 0, timeout, 2);
    }
    network.add_job(0, slow_job(SlowKind::cyclic, true), 1, 50, 2);
    // 4 + 2 x (3 + timeout) + 10: 100, 80, 60, 40
    check_stalls(network, std::nullopt, {{0, 100 + 80 + 60 + 40 + 10, 100 + 80 + 60 + 40 + 10}});
    // one that is parked: 4 + 3 + 40 + 10
    check_stalls(network, 2, {{0, 100 + 80 + 60 + 10, 57 + 10}});
  }
  SECTION("another master's failing ones, before each own request") {
    Network network;
    network.add_queue(0, true, 2, 0);
    for (const std::int64_t timeout : {7, 17, 27}) {
      network.add_job(0, slow_job(SlowKind::cyclic, true), 0, timeout, 1);
    }
    network.add_queue(1, true, 1, 0);
    for (int i = 0; i < 3; ++i) {
      network.add_job(1, slow_job(i < 1 ? SlowKind::cyclic : SlowKind::continuous, true), 1, 9, 1);
    }
    // the queue of the failing ones: 14 + 24 + 34; the other: 30 and 20 on the line, before the
    // cyclic one and before the continuous one that has begun
    check_stalls(network, std::nullopt, {{0, 72, 72}, {1, 2 * 50, 2 * 50}});
    // parked after one: two under way fail, each 30 at most, once; then single tries
    check_stalls(network, 1, {{0, 34 + 24, 34}, {1, 2 * 30, 30}});
  }
  SECTION("a controller whose places are all held") {
    Network network;
    network.add_queue(0, false, 3, 0);
    for (int i = 0; i < 3; ++i) {
      network.add_job(0, slow_job(SlowKind::cyclic, false), 0, 100 + 20 * i, 2);
    }
    network.add_queue(0, false, 1, 0);
    network.add_job(1, slow_job(SlowKind::cyclic, false), 1, 50, 2);
    network.limit({2, std::nullopt, std::nullopt});
    check_stalls(network, std::nullopt, {{0, 720 / 2, 720 / 2}, {1, 720 / 2, 720 / 2}});
    network.limit({4, std::nullopt, std::nullopt});  // one is left for the others
    check_stalls(network, std::nullopt, {{0, 720 / 3, 720 / 3}});
  }
  SECTION("a controller whose only place stands at a line behind another master's failing one") {
    Network network;
    network.add_queue(0, true, 1, 0);
    network.add_job(0, slow_job(SlowKind::cyclic, true), 1, 50, 1);
    network.add_queue(0, false, 1, 0);
    network.add_job(1, slow_job(SlowKind::cyclic, false), 2, 50, 1);
    network.add_queue(1, true, 1, 0);
    network.add_job(2, slow_job(SlowKind::cyclic, true), 0, 97, 2);
    network.limit({1, std::nullopt, std::nullopt});
    check_stalls(network, std::nullopt, {{0, 200, 200}, {1, 200, 200}, {2, 204, 204}});
  }
}

TEST_CASE("a slave is not blamed for what waits after it has given up its place") {
  // silent from 0 to 5, its place is free at 10; the other is released at 501 and waits for 510
  Network network;
  network.add_queue(0, false, 1, 10);
  network.add_job(0, {SlowKind::cyclic, 1000, 0, false, 0, 4, 0, 0}, 0, 5, 1);
  network.add_job(0, {SlowKind::cyclic, 1000, 501, false, 0, 4, 0, 0}, 1, 5, 1);
  network.limit({std::nullopt});
  SimulationOptions options;
  options.horizon = Duration(5'000);
  options.faults.devices = {{0, FaultKind::silent, Duration(0), Duration::max()}};
  const auto seen = internal::simulate_island(network.timing, {0}, options, {options, 0, 1});
  CHECK(seen[0].jobs[1].held_first == Duration(0));
  CHECK(SlowNetwork(network.slow, network.limits).run(0, 5'000) == std::vector<std::int64_t>{0});
}

TEST_CASE("who is hurt is asked queue by queue") {
  // the silent one has one place of its connection, and the controller has one more
  Network network;
  network.add_queue(0, false, 1, 0);
  network.add_job(0, {SlowKind::cyclic, 1000, 0, false, 0, 4, 0, 0}, 0, 300, 1);
  network.add_job(0, {SlowKind::cyclic, 200, 0, false, 0, 4, 0, 0}, 1, 300, 1);
  network.add_queue(0, false, 1, 0);
  network.add_job(1, {SlowKind::cyclic, 100, 0, false, 0, 4, 0, 0}, 2, 300, 1);
  network.add_queue(0, false, 1, 0);
  network.add_job(2, {SlowKind::cyclic, 100, 0, false, 0, 4, 0, 0}, 3, 300, 1);
  network.limit({2});
  const auto report = stalls_of(network.plan, network.timing);
  const Stall& stall = report.stalls.at(0);
  CHECK(stall.silent.index == 0);
  CHECK(jobs_hurt(network.plan, network.timing, report, stall, StallKind::first, 10) ==
        std::vector<JobRef>{{0, 1}});
  CHECK(jobs_hurt(network.plan, network.timing, report, stall, StallKind::first, 0).empty());
  CHECK(has_neighbours(network.plan, network.timing, report, stall));
}
