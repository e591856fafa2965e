#include "timing/timing_model.h"

#include <algorithm>
#include <map>
#include <numeric>

namespace greymet::timing {

using model::ResolvedPlan;
using model::ResolvedTransaction;
using model::TriggerKind;
using model::value_or;
namespace defaults = model::defaults;

namespace {

Duration scan_if_aligned(const model::Controller& controller) {
  const bool aligned = value_or(controller.sends, model::Sends::anytime) == model::Sends::scan;
  return aligned ? value_or(controller.scan, Duration{}) : Duration{};
}

std::vector<Queue> make_queues(const ResolvedPlan& resolved,
                               std::vector<std::size_t>& queue_of_line,
                               std::vector<std::size_t>& queue_of_connection) {
  const model::Plan& plan = resolved.plan;
  std::vector<Queue> queues;
  queue_of_line.assign(plan.lines.size(), 0);
  for (std::size_t i = 0; i < plan.lines.size(); ++i) {
    if (!resolved.line_master[i]) continue;
    queue_of_line[i] = queues.size();
    Queue queue;
    queue.name = plan.lines[i].name;
    queue.controller = *resolved.line_master[i];
    queue.line = i;
    queue.order = value_or(plan.lines[i].order, model::Order::due);
    queues.push_back(std::move(queue));
  }
  std::vector<std::size_t> by_place(resolved.connections.size());
  std::iota(by_place.begin(), by_place.end(), std::size_t{0});
  std::stable_sort(by_place.begin(), by_place.end(), [&](std::size_t a, std::size_t b) {
    return resolved.connections[a].place < resolved.connections[b].place;
  });
  queue_of_connection.assign(resolved.connections.size(), 0);
  for (std::size_t i : by_place) {
    const model::Connection& connection = resolved.connections[i];
    queue_of_connection[i] = queues.size();
    Queue queue;
    queue.name = connection.name;
    queue.kind = connection.gateway ? QueueKind::gateway : QueueKind::tcp;
    queue.controller = connection.controller;
    queue.connection = i;
    queues.push_back(std::move(queue));
  }
  for (Queue& queue : queues) queue.scan = scan_if_aligned(plan.controllers[queue.controller]);
  return queues;
}

Job make_job(const ResolvedPlan& resolved, std::size_t index, const TransactionTimes& times) {
  const ResolvedTransaction& t = resolved.transactions[index];
  Job job;
  job.transaction = index;
  job.kind = t.trigger->kind;
  job.period = t.trigger->period;
  job.phase = t.trigger->phase;
  job.times = times;
  if (job.kind == TriggerKind::on_return && t.channel->line) {
    const auto& park = resolved.plan.lines[*t.channel->line].park;
    if (park) job.period = park->value.retry;
  }
  return job;
}

// Requests that may be under way on a connection: the largest its slaves or gateway take.
std::int64_t in_flight_of(const ResolvedPlan& resolved, const ResolvedTransaction& t) {
  if (t.channel->gateway) {
    return value_or(resolved.plan.gateways[*t.channel->gateway].in_flight, std::int64_t{1});
  }
  if (t.target->is_peer) return 1;
  return value_or(resolved.plan.slaves[t.target->index].in_flight, std::int64_t{1});
}

void limit_in_flight(const ResolvedPlan& resolved, TimingModel& timing) {
  timing.in_flight_limit.assign(resolved.plan.controllers.size(), std::nullopt);
  std::vector<std::int64_t> wanted(resolved.plan.controllers.size(), 0);
  std::vector<std::int64_t> connections(resolved.plan.controllers.size(), 0);
  for (const Queue& queue : timing.queues) {
    if (queue.kind == QueueKind::serial) continue;
    wanted[queue.controller] += queue.in_flight;
    ++connections[queue.controller];
  }
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    const auto& limit = resolved.plan.controllers[i].in_flight;
    if (limit && limit->value < std::max(wanted[i], connections[i])) {
      timing.in_flight_limit[i] = limit->value;
    }
  }
}

std::size_t root_of(std::vector<std::size_t>& parent, std::size_t i) {
  while (parent[i] != i) {
    parent[i] = parent[parent[i]];
    i = parent[i];
  }
  return i;
}

}  // namespace

Duration longest_continuous(const Queue& queue) {
  Duration longest{};
  for (const Job& job : queue.jobs) {
    if (!is_released(job.kind)) longest = std::max(longest, job.times.longest + queue.scan);
  }
  return longest;
}

TimingModel build_timing_model(const ResolvedPlan& resolved) {
  TimingModel timing;
  std::vector<std::size_t> queue_of_line;
  std::vector<std::size_t> queue_of_connection;
  timing.queues = make_queues(resolved, queue_of_line, queue_of_connection);
  std::map<model::Target, std::size_t> devices;
  for (std::size_t i = 0; i < resolved.transactions.size(); ++i) {
    const ResolvedTransaction& t = resolved.transactions[i];
    if (!t.trigger) continue;
    const bool cyclic = t.trigger->kind == TriggerKind::cyclic;
    if (cyclic && t.trigger->period <= Duration{}) continue;
    auto times = transaction_times(resolved, t);
    if (!times) continue;
    const bool on_connection = t.channel->connection.has_value();
    if (!on_connection && resolved.line_master[*t.channel->line] != t.controller) continue;
    Queue& queue = timing.queues[on_connection ? queue_of_connection[*t.channel->connection]
                                               : queue_of_line[*t.channel->line]];
    if (on_connection) {
      queue.line = t.channel->line;
      queue.in_flight = std::max(queue.in_flight, in_flight_of(resolved, t));
    }
    const auto device = devices.try_emplace(*t.target, timing.devices.size());
    if (device.second) timing.devices.push_back(*t.target);
    queue.jobs.push_back(make_job(resolved, i, *times));
    queue.jobs.back().device = device.first->second;
    if (t.channel->line) {
      const auto& park = resolved.plan.lines[*t.channel->line].park;
      if (park) queue.park = park->value;
    }
  }
  limit_in_flight(resolved, timing);
  return timing;
}

std::vector<std::vector<std::size_t>> islands_of(const TimingModel& timing) {
  std::vector<std::size_t> parent(timing.queues.size());
  std::iota(parent.begin(), parent.end(), std::size_t{0});
  std::map<std::size_t, std::size_t> first_on_line;
  std::map<std::size_t, std::size_t> first_of_limited;
  for (std::size_t i = 0; i < timing.queues.size(); ++i) {
    const Queue& queue = timing.queues[i];
    const auto join = [&](std::map<std::size_t, std::size_t>& first, std::size_t key) {
      const auto [at, is_new] = first.try_emplace(key, i);
      if (!is_new) parent[root_of(parent, i)] = root_of(parent, at->second);
    };
    if (queue.line) join(first_on_line, *queue.line);
    if (queue.kind != QueueKind::serial && timing.in_flight_limit[queue.controller]) {
      join(first_of_limited, queue.controller);
    }
  }
  std::map<std::size_t, std::vector<std::size_t>> by_root;
  for (std::size_t i = 0; i < parent.size(); ++i) by_root[root_of(parent, i)].push_back(i);
  std::vector<std::vector<std::size_t>> islands;
  islands.reserve(by_root.size());
  for (auto& [root, members] : by_root) islands.push_back(std::move(members));
  std::sort(islands.begin(), islands.end());
  return islands;
}

}  // namespace greymet::timing
