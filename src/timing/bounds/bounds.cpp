#include "timing/bounds.h"

#include <algorithm>
#include <map>

#include "busy_periods.h"
#include "gateway_bounds.h"
#include "limited_bounds.h"
#include "places.h"

namespace greymet::timing {

using model::TriggerKind;

namespace {

// Sums over the jobs that wait for each other.
struct Pool {
  Duration released{};     // sum over released jobs
  Duration longest_any{};  // the longest of all
  Duration longest_continuous{};
  Duration continuous{};  // sum over continuous jobs
  struct Recurring {
    Duration service{};
    Duration period{};  // 0: counted once
  };
  std::vector<Recurring> recurring;  // what a continuous job may have to wait for

  void add(const Job& job, Duration service) {
    longest_any = std::max(longest_any, service);
    if (!is_released(job.kind)) {
      continuous += service;
      longest_continuous = std::max(longest_continuous, service);
      return;
    }
    released += service;
    if (job.kind == TriggerKind::on_start) return;
    recurring.push_back({service, job.period});
  }
};

// Longer rounds than this are as good as none.
constexpr Duration longest_round = std::chrono::hours(24);

// L of the timing model: least L with L = continuous + sum (1 + ceil(L / period)) service.
std::optional<Duration> continuous_round(const Pool& pool) {
  double use = 0;
  Duration once{};
  for (const auto& each : pool.recurring) {
    once += each.service;
    if (each.period > Duration{}) {
      use += static_cast<double>(each.service.count()) / static_cast<double>(each.period.count());
    }
  }
  if (use >= 1) return std::nullopt;
  constexpr int most_steps = 100'000;
  Duration length = pool.continuous + once;
  for (int step = 0; step < most_steps; ++step) {
    Duration next = pool.continuous + once;
    for (const auto& each : pool.recurring) {
      if (each.period <= Duration{}) continue;
      const std::int64_t times = (length.count() + each.period.count() - 1) / each.period.count();
      next += times * each.service;
    }
    if (next == length) return length;
    if (next > longest_round) return std::nullopt;
    length = next;
  }
  return std::nullopt;
}

}  // namespace

Duration foreign_share(const TimingModel& timing, const Queue& queue) {
  if (queue.kind != QueueKind::gateway || !queue.line) return Duration{};
  Duration sum{};
  for (const Queue& other : timing.queues) {
    if (&other == &queue || other.kind != QueueKind::gateway || other.line != queue.line) continue;
    Duration longest{};
    for (const Job& job : other.jobs) longest = std::max(longest, job.times.serial_longest());
    sum += other.in_flight * longest;
  }
  return sum;
}

Duration service_bound(const TimingModel& timing, const Queue& queue, Duration longest) {
  return longest + queue.scan + foreign_share(timing, queue);
}

bool serves_alone(const TimingModel& timing, const Queue& queue) {
  if (queue.kind == QueueKind::serial) return true;
  if (timing.in_flight_limit[queue.controller]) return false;
  if (queue.kind == QueueKind::tcp) return true;
  return queue.in_flight == 1 && foreign_share(timing, queue) == Duration{};
}

bool shares_gateway(const TimingModel& timing, const Queue& queue) {
  return queue.kind == QueueKind::gateway && queue.line &&
         !timing.in_flight_limit[queue.controller] && !serves_alone(timing, queue);
}

namespace {

using internal::held_place;

// Bounds of a queue that serves alone, as in the header.
class OwnBounds {
 public:
  explicit OwnBounds(const Queue& queue) : queue_(queue) {
    for (const Job& job : queue.jobs) {
      const Duration held = held_place(queue, job.times.longest);
      pool_.add(job, held);
      if (!is_released(job.kind)) begun_ = std::max(begun_, held);
    }
    if (queue.in_flight > 1) places_.emplace(queue);
  }

  [[nodiscard]] Duration response(std::size_t j) const {
    const Duration own = queue_.jobs[j].times.longest;
    if (places_) return queue_.scan + places_->wait_of(j).wait + own;
    const Duration others = pool_.released - held_place(queue_, own);
    // a place that is busy at the release needs no first wait for a boundary
    return std::max(queue_.scan, begun_) + others + own;
  }

  // Between successive completions of a continuous job, one request under way: X + C_i + s with the
  // least X of the header.
  [[nodiscard]] std::optional<Duration> interval(const Job& job) const {
    if (queue_.in_flight != 1) return std::nullopt;
    const Duration own = held_place(queue_, job.times.longest);
    const Duration others = pool_.continuous - own;
    constexpr int most_steps = 100'000;
    Duration between = others;
    for (int step = 0; step < most_steps; ++step) {
      Duration next = others;
      for (const auto& each : pool_.recurring) {
        const std::int64_t times =
            each.period > Duration{} ? std::int64_t{(own + between) / each.period + 1} : 1;
        next += times * each.service;
      }
      if (next == between) return between + job.times.longest + queue_.scan;
      if (next > longest_round) return std::nullopt;
      between = next;
    }
    return std::nullopt;
  }

 private:
  const Queue& queue_;
  Pool pool_;
  Duration begun_{};
  std::optional<internal::PlaceWaits> places_;  // where there are several
};

std::map<std::size_t, internal::GatewayLine> gateway_lines(const TimingModel& timing) {
  std::map<std::size_t, std::vector<std::size_t>> queues;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    const Queue& queue = timing.queues[q];
    if (queue.kind == QueueKind::gateway && queue.line) queues[*queue.line].push_back(q);
  }
  std::map<std::size_t, internal::GatewayLine> lines;
  for (auto& [line, of_line] : queues) {
    lines.try_emplace(line, timing, std::move(of_line));
  }
  return lines;
}

// Per controller that limits its requests under way.
std::map<std::size_t, internal::LimitedController> limited_controllers(const TimingModel& timing) {
  std::map<std::size_t, internal::LimitedController> out;
  for (const Queue& queue : timing.queues) {
    if (queue.kind == QueueKind::serial || !timing.in_flight_limit[queue.controller]) continue;
    out.try_emplace(queue.controller, timing, queue.controller);
  }
  return out;
}

std::optional<Duration> smaller(std::optional<Duration> a, std::optional<Duration> b) {
  if (!a || !b) return a ? a : b;
  return std::min(*a, *b);
}

}  // namespace

std::vector<std::vector<JobBounds>> bounds_of(const TimingModel& timing) {
  // Queues of one controller whose requests under way are limited share a pool.
  std::vector<Pool> pools(timing.queues.size());
  std::vector<std::size_t> pool_of(timing.queues.size());
  std::map<std::size_t, std::size_t> shared;
  for (std::size_t i = 0; i < timing.queues.size(); ++i) {
    const Queue& queue = timing.queues[i];
    pool_of[i] = i;
    if (queue.kind != QueueKind::serial && timing.in_flight_limit[queue.controller]) {
      pool_of[i] = shared.try_emplace(queue.controller, i).first->second;
    }
    const Duration beside = service_bound(timing, queue, Duration{});
    for (const Job& job : queue.jobs) pools[pool_of[i]].add(job, job.times.longest + beside);
  }
  const auto gateways = gateway_lines(timing);
  auto limited = limited_controllers(timing);
  std::vector<std::vector<JobBounds>> bounds(timing.queues.size());
  for (std::size_t i = 0; i < timing.queues.size(); ++i) {
    const Queue& queue = timing.queues[i];
    const Pool& pool = pools[pool_of[i]];
    const Duration begun =
        queue.in_flight > 1 ? queue.in_flight * pool.longest_any : pool.longest_continuous;
    const Duration response = pool.released + begun;
    const auto round = pool.continuous > Duration{} ? continuous_round(pool) : std::nullopt;
    const auto own = serves_alone(timing, queue) ? std::optional<OwnBounds>(queue) : std::nullopt;
    const internal::GatewayLine* line =
        shares_gateway(timing, queue) ? &gateways.at(*queue.line) : nullptr;
    for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
      const Job& job = queue.jobs[j];
      JobBounds bound;
      if (!is_released(job.kind)) {
        bound.interval = own ? smaller(round, own->interval(job)) : round;
      } else {
        bound.response = own ? own->response(j) : line ? line->shares(i, j).response() : response;
        bound.response_behind_failures =
            line != nullptr ? line->shares_behind_failures(i, j).response() : *bound.response;
        if (const auto at = limited.find(queue.controller);
            at != limited.end() && queue.kind != QueueKind::serial) {
          bound.response = smaller(bound.response, at->second.response(i, j));
        }
        if (job.kind == TriggerKind::cyclic) bound.interval = job.period + *bound.response;
      }
      bounds[i].push_back(bound);
    }
  }
  return bounds;
}

}  // namespace greymet::timing
