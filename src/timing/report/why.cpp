#include "timing/why.h"

#include <algorithm>

#include "bounds/busy_periods.h"
#include "bounds/gateway_bounds.h"
#include "bounds/limited_bounds.h"
#include "bounds/places.h"
#include "timing/bounds.h"

namespace greymet::timing {
namespace {

using Kind = BoundShare::Kind;

// Longest first, where they are alike in kind.
void sort_shares(std::vector<BoundShare>& shares) {
  std::stable_sort(shares.begin(), shares.end(), [](const BoundShare& a, const BoundShare& b) {
    if (a.kind != b.kind) return a.kind < b.kind;
    return a.times * a.each > b.times * b.each;
  });
}

// The continuous jobs that may have begun, the longest first.
std::vector<BoundShare> begun_shares(const Queue& queue, std::size_t q, std::int64_t places) {
  std::vector<BoundShare> begun;
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    if (is_released(queue.jobs[j].kind)) continue;
    begun.push_back({Kind::begun, JobRef{q, j}, std::nullopt, 1,
                     internal::held_place(queue, queue.jobs[j].times.longest)});
  }
  sort_shares(begun);
  begun.resize(std::min(begun.size(), static_cast<std::size_t>(places)));
  return begun;
}

// A queue that its own jobs alone hold up (timing/bounds.h, the first two formulas).
void fill_places(const Queue& queue, Why& out) {
  const internal::PlaceWait wait = internal::PlaceWaits(queue).wait_of(out.job.job, true);
  out.places = wait.shared;
  Duration sum{};
  for (const std::size_t j : wait.by) {
    const bool released = is_released(queue.jobs[j].kind);
    const Duration held = internal::held_place(queue, queue.jobs[j].times.longest);
    out.any_phase_shares.push_back({released ? Kind::other : Kind::begun, JobRef{out.job.queue, j},
                                    std::nullopt, 1, released ? held : held - queue.scan});
    sum += out.any_phase_shares.back().each;
  }
  // what is beyond whole scans is part of the first one
  const Duration first = queue.scan - (sum / wait.shared - wait.wait);
  if (first > Duration{}) {
    out.any_phase_shares.push_back({Kind::first_wait, std::nullopt, std::nullopt, 1, first});
  }
  out.any_phase_shares.push_back(
      {Kind::own, out.job, std::nullopt, 1, queue.jobs[out.job.job].times.longest});
}

void fill_alone(const Queue& queue, Why& out) {
  if (queue.in_flight > 1) return fill_places(queue, out);
  std::vector<BoundShare> begun = begun_shares(queue, out.job.queue, 1);
  const bool covers = !begun.empty() && begun.front().each >= queue.scan;
  if (queue.scan > Duration{} && !covers) {
    out.any_phase_shares.push_back({Kind::first_wait, std::nullopt, std::nullopt, 1, queue.scan});
    begun.clear();
  }
  out.any_phase_shares.insert(out.any_phase_shares.end(), begun.begin(), begun.end());
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    if (!is_released(queue.jobs[j].kind)) continue;
    const bool own = j == out.job.job;
    const Duration longest = queue.jobs[j].times.longest;
    out.any_phase_shares.push_back({own ? Kind::own : Kind::other, JobRef{out.job.queue, j},
                                    std::nullopt, 1,
                                    own ? longest : internal::held_place(queue, longest)});
  }
}

// The line behind a gateway, with other masters or several requests under way.
void fill_gateway(const TimingModel& timing, Why& out) {
  const Queue& queue = timing.queues[out.job.queue];
  std::vector<std::size_t> masters;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    const Queue& other = timing.queues[q];
    if (other.kind == QueueKind::gateway && other.line == queue.line) masters.push_back(q);
  }
  const internal::GatewayShares shares =
      internal::GatewayLine(timing, masters).shares(out.job.queue, out.job.job);
  const auto add = [&](BoundShare share) {
    if (share.each > Duration{}) out.any_phase_shares.push_back(share);
  };
  add({Kind::first_wait, std::nullopt, std::nullopt, 1, shares.first_wait});
  std::vector<BoundShare> begun;
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    const Job& job = queue.jobs[j];
    const JobRef ref{out.job.queue, j};
    if (!is_released(job.kind)) {
      begun.push_back({Kind::begun, ref, std::nullopt, 1, job.times.serial_longest()});
    } else if (ref != out.job) {
      add({Kind::other, ref, std::nullopt, 1, job.times.serial_longest()});
    }
  }
  sort_shares(begun);
  begun.resize(std::min(begun.size(), static_cast<std::size_t>(queue.in_flight)));
  for (const BoundShare& share : begun) add(share);
  add({Kind::own, out.job, std::nullopt, 1, shares.own});
  add({Kind::ways, std::nullopt, std::nullopt, 1, shares.ways});
  for (const auto& foreign : shares.foreign) {
    add({Kind::foreign, std::nullopt, foreign.queue, 1, foreign.time});
  }
}

// Where that is less than the sum of all (timing/bounds.h): as long as its own places, or all of
// the controller, can be held.
bool fill_limited(const TimingModel& timing, Why& out) {
  const Queue& queue = timing.queues[out.job.queue];
  if (queue.kind == QueueKind::serial || !timing.in_flight_limit[queue.controller]) return false;
  internal::LimitedController controller(timing, queue.controller);
  if (controller.response(out.job.queue, out.job.job) != out.any_phase) return false;
  const Duration own = controller.service(out.job.queue, out.job.job);
  const auto add = [&](Kind kind, std::optional<JobRef> job, Duration each) {
    if (each > Duration{}) out.any_phase_shares.push_back({kind, job, std::nullopt, 1, each});
  };
  add(Kind::first_wait, std::nullopt, queue.scan);
  add(Kind::own, out.job, own);
  add(Kind::held, std::nullopt, out.any_phase - queue.scan - own);
  return true;
}

// Queues whose controller limits its requests under way.
void fill_shared(const TimingModel& timing, Why& out) {
  const Queue& queue = timing.queues[out.job.queue];
  const auto& limit = timing.in_flight_limit[queue.controller];
  std::optional<BoundShare> longest_continuous;
  std::optional<BoundShare> longest_any;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    const Queue& other = timing.queues[q];
    const bool pooled =
        limit && other.kind != QueueKind::serial && other.controller == queue.controller;
    if (q != out.job.queue && !pooled) continue;
    const Duration beside = service_bound(timing, other, Duration{});
    for (std::size_t j = 0; j < other.jobs.size(); ++j) {
      BoundShare share{Kind::other, JobRef{q, j}, std::nullopt, 1,
                       other.jobs[j].times.longest + beside};
      if (share.job == out.job) share.kind = Kind::own;
      if (!longest_any || share.each > longest_any->each) longest_any = share;
      if (is_released(other.jobs[j].kind)) {
        out.any_phase_shares.push_back(share);
      } else if (!longest_continuous || share.each > longest_continuous->each) {
        longest_continuous = share;
      }
    }
  }
  const auto& begun = queue.in_flight > 1 ? longest_any : longest_continuous;
  if (!begun) return;
  out.any_phase_shares.push_back({Kind::begun, begun->job, std::nullopt,
                                  std::max<std::int64_t>(1, queue.in_flight), begun->each});
}

void fill_in_phase(const Queue& queue, Why& out) {
  const auto worst = internal::worst_busy_period(queue, out.job.job);
  if (!worst || worst->bound != out.bound) return;
  out.proof = BoundProof::busy_period;
  const auto begun = begun_shares(queue, out.job.queue, 1);
  if (!begun.empty() && begun.front().each >= queue.scan) {
    out.in_phase_shares.push_back(begun.front());
  } else if (worst->begun > Duration{}) {
    out.in_phase_shares.push_back({Kind::first_wait, std::nullopt, std::nullopt, 1, worst->begun});
  }
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    if (worst->times[j] == 0) continue;
    out.in_phase_shares.push_back({j == out.job.job ? Kind::own : Kind::other,
                                   JobRef{out.job.queue, j}, std::nullopt, worst->times[j],
                                   internal::held_place(queue, queue.jobs[j].times.longest)});
  }
  const Duration passed = worst->before + worst->surplus;
  if (passed > Duration{}) {
    out.in_phase_shares.push_back({Kind::elapsed, std::nullopt, std::nullopt, 1, -passed});
  }
  sort_shares(out.in_phase_shares);
}

// The island simulated again, all services kept: the longest response, and what it waited for.
void fill_schedule(const TimingModel& timing, Why& out) {
  const auto islands = islands_of(timing);
  const auto island = std::find_if(islands.begin(), islands.end(), [&](const auto& queues) {
    return std::find(queues.begin(), queues.end(), out.job.queue) != queues.end();
  });
  SimulationOptions options;
  options.most_transactions = 900'000;  // as many as are kept
  for (const std::size_t q : *island) {
    for (std::size_t j = 0; j < timing.queues[q].jobs.size(); ++j) {
      options.watched.push_back({q, j});
    }
  }
  const auto results = simulate_queues(timing, *island, options);
  for (std::size_t k = 0; k < island->size(); ++k) {
    if ((*island)[k] != out.job.queue) continue;
    for (const Service& service : results[k].watched) {
      if (service.job != out.job.job) continue;
      const bool longer =
          !out.closest || service.end - service.release > out.closest->end - out.closest->release;
      if (longer) out.closest = service;
    }
  }
  if (!out.closest) return;
  for (std::size_t k = 0; k < island->size(); ++k) {
    for (const Service& service : results[k].watched) {
      if (service.end <= out.closest->release || service.start >= out.closest->end) continue;
      out.schedule.emplace_back(JobRef{(*island)[k], service.job}, service);
    }
  }
  std::sort(out.schedule.begin(), out.schedule.end(), [](const auto& a, const auto& b) {
    return std::pair(a.second.start, a.first) < std::pair(b.second.start, b.first);
  });
}

}  // namespace

std::optional<Why> why(const TimingReport& report, JobRef job) {
  const TimingModel& timing = report.model;
  const Queue& queue = timing.queues[job.queue];
  const std::size_t transaction = queue.jobs[job.job].transaction;
  const TransactionReport* row = nullptr;
  for (const LineReport& line : report.lines) {
    for (const TransactionReport& each : line.transactions) {
      if (each.transaction == transaction) row = &each;
    }
  }
  if (row == nullptr || !row->response_bound || !row->response_bound_any_phase) return {};
  Why out;
  out.job = job;
  out.any_phase = *row->response_bound_any_phase;
  out.bound = *row->response_bound;
  if (serves_alone(timing, queue)) {
    fill_alone(queue, out);
  } else if (shares_gateway(timing, queue)) {
    fill_gateway(timing, out);
  } else if (!fill_limited(timing, out)) {
    fill_shared(timing, out);
  }
  sort_shares(out.any_phase_shares);
  if (out.bound < out.any_phase) {
    out.proof = row->response_simulated && out.bound == *row->response_simulated + queue.scan
                    ? BoundProof::simulation
                    : BoundProof::sums;
    fill_in_phase(queue, out);
  }
  fill_schedule(timing, out);
  return out;
}

}  // namespace greymet::timing
