#include "timing/phased_bounds.h"

#include <algorithm>

#include "bounds/busy_periods.h"
#include "timing/simulation.h"

namespace greymet::timing {

using model::TriggerKind;

namespace {

constexpr int most_steps = 10'000;
constexpr Duration longest_busy_period = std::chrono::hours(24);

std::int64_t times_within(Duration length, const Job& job) {
  if (!recurs(job)) return 1;
  return std::max<std::int64_t>(1, (length.count() + job.period.count() - 1) / job.period.count());
}

// B of the header, if the busy period ends.
std::optional<Duration> busy_period(const Queue& queue, Duration begun) {
  Duration length = begun;
  for (const Job& job : queue.jobs) {
    if (is_released(job.kind)) length += job.times.longest;
  }
  for (int step = 0; step < most_steps; ++step) {
    Duration next = begun;
    for (const Job& job : queue.jobs) {
      if (is_released(job.kind)) next += times_within(length, job) * job.times.longest;
    }
    if (next == length) return length;
    if (next > longest_busy_period) return std::nullopt;
    length = next;
  }
  return std::nullopt;
}

// The longest response of each cyclic job when nothing else is on the line, in list order.
std::optional<std::vector<Duration>> cyclic_alone(const TimingModel& timing, const Queue& queue) {
  TimingModel alone;
  alone.in_flight_limit.assign(timing.in_flight_limit.size(), std::nullopt);
  alone.queues.push_back(queue);
  std::erase_if(alone.queues[0].jobs, [](const Job& j) { return j.kind != TriggerKind::cyclic; });
  std::vector<Duration> responses;
  if (alone.queues[0].jobs.empty()) return responses;
  const auto result = simulate(alone, {});
  if (!result[0].complete) return std::nullopt;
  for (const JobStatistics& job : result[0].jobs) {
    if (job.missed > 0) return std::nullopt;
    responses.push_back(job.response_max);
  }
  return responses;
}

// C_cont + R_i(cyclic alone) + all that is triggered within B.
std::optional<std::vector<Duration>> bounds_of_sums(const TimingModel& timing, const Queue& queue) {
  if (queue.order != model::Order::due || queue.scan > Duration{}) {
    return std::nullopt;
  }
  const Duration begun = longest_continuous(queue);
  const auto busy = busy_period(queue, begun);
  if (!busy) return std::nullopt;
  const auto alone = cyclic_alone(timing, queue);
  if (!alone) return std::nullopt;
  Duration triggered{};
  Duration largest{};
  for (const Job& job : queue.jobs) {
    if (is_released(job.kind) && job.kind != TriggerKind::cyclic) {
      triggered += times_within(*busy, job) * job.times.longest;
    }
  }
  for (const Duration response : *alone) largest = std::max(largest, response);
  std::vector<Duration> bounds;
  std::size_t cyclic = 0;
  for (const Job& job : queue.jobs) {
    if (!is_released(job.kind)) {
      bounds.push_back({});
    } else {
      const Duration own = job.kind == TriggerKind::cyclic ? (*alone)[cyclic++] : largest;
      bounds.push_back(begun + own + triggered);
    }
  }
  return bounds;
}

}  // namespace

std::optional<std::vector<Duration>> phased_bounds(const TimingModel& timing, std::size_t index) {
  const Queue& queue = timing.queues[index];
  if (queue.in_flight != 1) return std::nullopt;
  // by busy periods it is never larger than by sums, but does not always end
  const auto exact = internal::busy_period_bounds(queue);
  return exact ? exact : bounds_of_sums(timing, queue);
}

}  // namespace greymet::timing
