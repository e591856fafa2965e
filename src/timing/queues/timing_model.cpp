#include "timing/timing_model.h"

#include <algorithm>
#include <map>
#include <numeric>

#include "model/resolved_plan.h"

namespace greymet::timing {

using model::Exchange;
using model::ExchangeTransaction;
using model::ResolvedPlan;
using model::TriggerKind;

namespace {

std::vector<Queue> make_queues(const Exchange& exchange, std::vector<std::size_t>& queue_of_line,
                               std::vector<std::size_t>& queue_of_connection) {
  std::vector<Queue> queues;
  queue_of_line.assign(exchange.lines.size(), 0);
  for (std::size_t i = 0; i < exchange.lines.size(); ++i) {
    const model::ExchangeLine& line = exchange.lines[i];
    if (!line.master) continue;
    queue_of_line[i] = queues.size();
    Queue queue;
    queue.name = line.name;
    queue.controller = *line.master;
    queue.line = model::LineIndex(i);
    queue.order = line.order;
    queues.push_back(std::move(queue));
  }
  std::vector<std::size_t> by_place(exchange.connections.size());
  std::iota(by_place.begin(), by_place.end(), std::size_t{0});
  std::stable_sort(by_place.begin(), by_place.end(), [&](std::size_t a, std::size_t b) {
    return exchange.connections[a].place < exchange.connections[b].place;
  });
  queue_of_connection.assign(exchange.connections.size(), 0);
  for (std::size_t i : by_place) {
    const model::Connection& connection = exchange.connections[i];
    queue_of_connection[i] = queues.size();
    Queue queue;
    queue.name = connection.name;
    queue.kind = connection.gateway ? QueueKind::gateway : QueueKind::tcp;
    queue.controller = connection.controller;
    queue.connection = model::ConnectionIndex(i);
    queues.push_back(std::move(queue));
  }
  for (Queue& queue : queues) {
    queue.scan = exchange.controllers[queue.controller].request_grid();
  }
  return queues;
}

Job make_job(const ExchangeTransaction& t, const TransactionTimes& times) {
  Job job;
  job.transaction = t.transaction;
  job.kind = t.trigger.kind;
  job.period = t.trigger.period;
  job.phase = t.trigger.phase;
  job.times = times;
  if (job.kind == TriggerKind::on_return && t.endpoint.park) job.period = t.endpoint.park->retry;
  return job;
}

void limit_in_flight(const Exchange& exchange, TimingModel& timing) {
  timing.in_flight_limit.assign(exchange.controllers.size(), std::nullopt);
  std::vector<std::int64_t> wanted(exchange.controllers.size(), 0);
  std::vector<std::int64_t> connections(exchange.controllers.size(), 0);
  for (const Queue& queue : timing.queues) {
    if (queue.kind == QueueKind::serial) continue;
    wanted[queue.controller] += queue.in_flight;
    ++connections[queue.controller];
  }
  for (std::size_t i = 0; i < wanted.size(); ++i) {
    const auto& limit = exchange.controllers[i].in_flight;
    if (limit && *limit < std::max(wanted[i], connections[i])) timing.in_flight_limit[i] = *limit;
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
  const Exchange& exchange = resolved.exchange;
  TimingModel timing;
  std::vector<std::size_t> queue_of_line;
  std::vector<std::size_t> queue_of_connection;
  timing.queues = make_queues(exchange, queue_of_line, queue_of_connection);
  std::map<model::Target, std::size_t> devices;
  for (const ExchangeTransaction& t : exchange.transactions) {
    const model::Endpoint& to = t.endpoint;
    const bool cyclic = t.trigger.kind == TriggerKind::cyclic;
    if (cyclic && t.trigger.period <= Duration{}) continue;
    const auto times = transaction_times(exchange, t);
    if (!times) continue;
    if (!to.connection && exchange.lines[*to.line].master != t.controller) continue;
    Queue& queue =
        timing
            .queues[to.connection ? queue_of_connection[*to.connection] : queue_of_line[*to.line]];
    if (to.connection) {
      queue.line = to.line;
      queue.in_flight = std::max(queue.in_flight, to.in_flight);
    }
    const auto device = devices.try_emplace(t.target, timing.devices.size());
    if (device.second) timing.devices.push_back(t.target);
    queue.jobs.push_back(make_job(t, *times));
    queue.jobs.back().device = device.first->second;
    if (to.park) queue.park = to.park;
  }
  // vectors that grew have room for up to twice as many
  for (Queue& queue : timing.queues) queue.jobs.shrink_to_fit();
  limit_in_flight(exchange, timing);
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
