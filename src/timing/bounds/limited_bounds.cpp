#include "limited_bounds.h"

#include <algorithm>

#include "busy_periods.h"
#include "timing/bounds.h"

namespace greymet::timing::internal {
namespace {

constexpr std::size_t most_work = 2'000'000;  // groups looked at for one controller

// How long a request keeps its place: to a gateway with what stands before it at the line, requests
// of its own connection included.
Duration service_of(const TimingModel& timing, const Queue& queue, const Job& job) {
  if (queue.kind != QueueKind::gateway) return job.times.longest;
  std::vector<Duration> on_line;
  for (const Job& other : queue.jobs) {
    if (&other != &job) on_line.push_back(other.times.serial_longest());
  }
  std::sort(on_line.begin(), on_line.end(), std::greater<>());
  Duration service = job.times.longest + foreign_share(timing, queue);
  for (std::size_t i = 0; i < on_line.size() && static_cast<std::int64_t>(i) < queue.in_flight - 1;
       ++i) {
    service += on_line[i];
  }
  return service;
}

void keep_longest(std::vector<Duration>& times, std::int64_t count) {
  std::sort(times.begin(), times.end(), std::greater<>());
  times.resize(std::min(times.size(), static_cast<std::size_t>(count)));
}

}  // namespace

HeldGroup::HeldGroup(std::int64_t places, std::vector<Duration> times)
    : places_(places), shortest_first_(std::move(times)) {
  std::sort(shortest_first_.begin(), shortest_first_.end());
  sums_.reserve(shortest_first_.size() + 1);
  sums_.emplace_back();
  for (const Duration time : shortest_first_) sums_.push_back(sums_.back() + time);
}

Duration HeldGroup::within(Duration stretch, Duration left_out) const {
  const auto at = std::upper_bound(shortest_first_.begin(), shortest_first_.end(), stretch);
  const auto shorter = at - shortest_first_.begin();
  const auto longer = static_cast<std::int64_t>(shortest_first_.size()) - shorter;
  const Duration sum =
      sums_[static_cast<std::size_t>(shorter)] + longer * stretch - std::min(left_out, stretch);
  return std::min(sum, places_ * stretch);
}

Duration longest_held(const std::vector<const HeldGroup*>& groups, std::int64_t places,
                      Duration left_out) {
  const auto can_be = [&](Duration stretch) {
    Duration given{};
    for (const HeldGroup* group : groups) {
      given += group->within(stretch, group == groups.front() ? left_out : Duration{});
    }
    return places * stretch <= given;
  };
  Duration longest{};
  Duration beyond{1};
  for (const HeldGroup* group : groups) beyond += group->sum();
  // what is given is concave in the stretch: halve the interval
  while (beyond - longest > Duration{1}) {
    const Duration middle = longest + (beyond - longest) / 2;
    (can_be(middle) ? longest : beyond) = middle;
  }
  return longest;
}

LimitedController::LimitedController(const TimingModel& timing, model::ControllerIndex controller)
    : timing_(timing), limit_(*timing.in_flight_limit[controller]) {
  std::size_t jobs = 0;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    const Queue& queue = timing.queues[q];
    if (queue.kind == QueueKind::serial || queue.controller != controller) continue;
    applies_ = applies_ && queue.order == model::Order::due;
    jobs += queue.jobs.size();
    Connection connection;
    connection.queue = q;
    connection.places = queue.in_flight;
    for (const Job& job : queue.jobs) {
      const Duration held = held_place(queue, service_of(timing, queue, job));
      if (is_released(job.kind)) {
        connection.released.push_back(held);
      } else if (held > queue.scan) {
        connection.begun.push_back(held - queue.scan);
      }
    }
    keep_longest(connection.begun, queue.in_flight);
    std::vector<Duration> all = connection.released;
    all.insert(all.end(), connection.begun.begin(), connection.begun.end());
    connection.group.emplace_back(connection.places, std::move(all));
    connections_.push_back(std::move(connection));
  }
  applies_ = applies_ && jobs * connections_.size() < most_work / 64;
}

std::optional<Duration> LimitedController::response(std::size_t queue, std::size_t job) {
  if (!applies_) return std::nullopt;
  std::size_t index = 0;
  while (connections_[index].queue != queue) ++index;
  const Queue& own = timing_.queues[queue];
  const Duration service = service_of(timing_, own, own.jobs[job]);
  const Duration held = held_place(own, service);
  const auto [at, is_new] = waits_.try_emplace({index, held});
  if (is_new) at->second = wait_of(index, held);
  Duration wait = at->second;
  if (own.scan > Duration{}) wait = wait / own.scan * own.scan;
  return own.scan + wait + service;
}

Duration LimitedController::service(std::size_t queue, std::size_t job) const {
  const Queue& own = timing_.queues[queue];
  return service_of(timing_, own, own.jobs[job]);
}

Duration LimitedController::wait_of(std::size_t index, Duration held) const {
  const Connection& own = connections_[index];
  std::vector<const HeldGroup*> groups{&own.group.front()};
  for (const Connection& other : connections_) {
    if (&other != &own) groups.push_back(&other.group.front());
  }
  // whatever starts while it waits was released before it
  if (limit_ <= own.places) return longest_held(groups, limit_, held);

  // its connection is full
  const Duration full = longest_held({&own.group.front()}, own.places, held);

  // it has a free place, and the controller has none: one of those released before runs on
  const Duration others_of_own = own.group.front().sum() - held;
  Duration chain{};
  Duration begun{};
  Duration longest{};
  for (const Connection& other : connections_) {
    if (&other == &own) continue;
    for (const Duration time : other.released) {
      chain += time;
      longest = std::max(longest, time);
    }
    for (const Duration time : other.begun) {
      begun = std::max(begun, time);
      longest = std::max(longest, time + timing_.queues[other.queue].scan);
    }
  }
  chain += begun;
  if (own.places > 1) chain += others_of_own;

  // or all of them hold the places, with what began while the connection was full: at the end of
  // each own service at most the places that the own connection leaves
  const auto left = static_cast<std::size_t>(limit_ - own.places);
  const std::size_t ends = own.released.size() - 1 + own.begun.size();
  std::vector<Duration> rest = own.released;
  rest.erase(std::find(rest.begin(), rest.end(), held));
  rest.insert(rest.end(), own.begun.begin(), own.begun.end());
  const HeldGroup again(own.places - 1, own.places > 1 ? rest : std::vector<Duration>{});
  const HeldGroup handed_down(
      limit_ - own.places,
      std::vector<Duration>(std::min<std::size_t>(ends * left, 10'000), longest));
  groups.front() = &again;
  groups.push_back(&handed_down);
  const bool all_counted = ends * left <= 10'000;
  const Duration together = all_counted ? longest_held(groups, limit_, {}) : chain;
  return full + std::min(chain, together);
}

}  // namespace greymet::timing::internal
