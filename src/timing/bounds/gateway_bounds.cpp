#include "gateway_bounds.h"

#include <algorithm>

namespace greymet::timing::internal {
namespace {

Duration ways_of(const Queue& queue, const Job& job) {
  const NetworkParts& net = *job.times.network;
  return net.out_longest + net.back_longest + queue.scan;
}

// Released requests, and the n longest continuous ones, on the network.
PlaceWaits ways_held(const Queue& queue) {
  std::vector<HeldPlace> held;
  std::vector<HeldPlace> continuous;
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    auto& list = is_released(queue.jobs[j].kind) ? held : continuous;
    list.push_back({j, ways_of(queue, queue.jobs[j])});
  }
  std::stable_sort(continuous.begin(), continuous.end(),
                   [](const HeldPlace& a, const HeldPlace& b) { return a.time > b.time; });
  const auto most = static_cast<std::size_t>(queue.in_flight);
  if (continuous.size() > most) continuous.resize(most);
  held.insert(held.end(), continuous.begin(), continuous.end());
  return {std::move(held), queue.in_flight, Duration{}};
}

Duration sum_of_longest(std::vector<Duration> times, std::int64_t count) {
  std::sort(times.begin(), times.end(), std::greater<>());
  Duration sum{};
  for (std::size_t i = 0; i < times.size() && static_cast<std::int64_t>(i) < count; ++i) {
    sum += times[i];
  }
  return sum;
}

}  // namespace

Duration GatewayShares::response() const {
  Duration sum = first_wait + ways + others + own;
  for (const Foreign& each : foreign) sum += each.time;
  return sum;
}

std::int64_t GatewayLine::requests_before(const Queue& queue) {
  const auto continuous = std::count_if(queue.jobs.begin(), queue.jobs.end(),
                                        [](const Job& job) { return !is_released(job.kind); });
  return static_cast<std::int64_t>(queue.jobs.size()) - continuous +
         std::min<std::int64_t>(continuous, queue.in_flight);
}

GatewayLine::GatewayLine(const TimingModel& timing, std::vector<std::size_t> queues)
    : timing_(timing), queues_(std::move(queues)) {
  for (const std::size_t q : queues_) {
    const Queue& queue = timing.queues[q];
    std::vector<Duration> all;
    std::vector<Duration> continuous;
    Sums sums;
    sums.ways = ways_held(queue);
    for (const Job& job : queue.jobs) {
      const Duration on_line = job.times.serial_longest();
      all.push_back(on_line);
      if (is_released(job.kind)) {
        sums.released_on_line += on_line;
      } else {
        continuous.push_back(on_line);
      }
    }
    sums.begun_on_line = sum_of_longest(continuous, queue.in_flight);
    sums.requests = requests_before(queue);
    sums.at_once_on_line = sum_of_longest(std::move(all), queue.in_flight);
    sums.continuous_at_once = sums.begun_on_line;
    sums_.push_back(std::move(sums));
  }
  // whoever comes to the line finds at most so many requests of another master there
  for (std::size_t i = 0; i < queues_.size(); ++i) {
    for (std::size_t m = 0; m < queues_.size(); ++m) {
      if (m == i || timing.queues[queues_[m]].jobs.empty()) continue;
      sums_[i].foreign.push_back({queues_[m], sums_[i].requests * sums_[m].at_once_on_line});
    }
    sums_[i].most_foreign = sums_[i].foreign;
  }
  // and its periods limit how many can come at all: a second look, with the responses of the first
  std::vector<Duration> first_responses;
  for (std::size_t i = 0; i < queues_.size(); ++i) first_responses.push_back(largest_response(i));
  std::vector<std::vector<GatewayShares::Foreign>> limited;
  for (std::size_t i = 0; i < queues_.size(); ++i) {
    auto foreign = sums_[i].most_foreign;
    const auto& most = sums_[i].most_foreign;
    Duration alone = first_responses[i];
    for (const auto& each : most) alone -= each.time;
    Duration time = alone;
    constexpr int most_steps = 1'000;
    bool settled = false;
    for (int step = 0; step < most_steps && !settled; ++step) {
      Duration next = alone;
      for (std::size_t f = 0; f < foreign.size(); ++f) {
        const std::size_t m = index_of(foreign[f].queue);
        foreign[f].time =
            std::min(most[f].time, within(m, time, first_responses[m], sums_[i].requests));
        next += foreign[f].time;
      }
      settled = next == time;
      time = next;
    }
    limited.push_back(settled ? foreign : most);
  }
  for (std::size_t i = 0; i < queues_.size(); ++i) sums_[i].foreign = std::move(limited[i]);
}

std::size_t GatewayLine::index_of(std::size_t queue) const {
  return static_cast<std::size_t>(std::find(queues_.begin(), queues_.end(), queue) -
                                  queues_.begin());
}

Duration GatewayLine::largest_response(std::size_t index) const {
  const Queue& queue = timing_.queues[queues_[index]];
  Duration largest{};
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    if (!is_released(queue.jobs[j].kind)) continue;
    largest = std::max(largest, shares(queues_[index], j).response());
  }
  return largest;
}

Duration GatewayLine::within(std::size_t m, Duration time, Duration response,
                             std::int64_t requests) const {
  const Queue& master = timing_.queues[queues_[m]];
  Duration sum = requests * sums_[m].continuous_at_once;
  for (const Job& job : master.jobs) {
    if (!is_released(job.kind)) continue;
    // served within the time, so released within it or at most a response before
    const std::int64_t times = recurs(job) ? std::int64_t{(time + response) / job.period + 1}
                               : job.kind == model::TriggerKind::on_return ? requests
                                                                           : 1;
    sum += times * job.times.serial_longest();
  }
  return sum;
}

GatewayShares GatewayLine::shares(std::size_t q, std::size_t j) const {
  const Queue& queue = timing_.queues[q];
  const Job& job = queue.jobs[j];
  const Sums& sums = sums_[index_of(q)];
  GatewayShares out;
  out.first_wait = queue.scan;
  out.others = sums.released_on_line - job.times.serial_longest() + sums.begun_on_line;
  out.ways = sums.ways.wait_of(j).wait;
  out.own =
      job.times.network->out_longest + job.times.serial_longest() + job.times.network->back_longest;
  out.foreign = sums.foreign;
  return out;
}

GatewayShares GatewayLine::shares_behind_failures(std::size_t q, std::size_t j) const {
  GatewayShares out = shares(q, j);
  out.foreign = sums_[index_of(q)].most_foreign;
  return out;
}

}  // namespace greymet::timing::internal
