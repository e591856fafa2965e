// Small timing models for tests, made of whole units of time, without any plan.
#pragma once

#include "timing/timing_model.h"

namespace greymet::test {

// Milliseconds of one failed attempt on the base plan's line: 8 characters and t3.5 of 11 bits at
// 19200 baud, and the timeout of 500 ms.
inline constexpr double attempt_ms = (8 + 3.5) * 11 / 19.2 + 500;

using timing::Duration;

// A job with durations in plain units (nanoseconds).
inline timing::Job job(model::TriggerKind kind, std::int64_t period, std::int64_t phase,
                       std::int64_t shortest, std::int64_t typical, std::int64_t longest) {
  timing::Job j;
  j.kind = kind;
  j.period = Duration(period);
  j.phase = Duration(phase);
  j.times.shortest = Duration(shortest);
  j.times.typical = Duration(typical);
  j.times.longest = Duration(longest);
  return j;
}

inline timing::Job cyclic(std::int64_t period, std::int64_t phase, std::int64_t duration) {
  return job(model::TriggerKind::cyclic, period, phase, duration, duration, duration);
}

// A job behind a gateway: only the serial part occupies the line.
inline timing::Job behind_gateway(std::int64_t period, std::int64_t phase, std::int64_t net,
                                  std::int64_t serial_shortest, std::int64_t serial) {
  timing::Job j = cyclic(period, phase, net + serial);
  timing::SerialParts parts;
  parts.request = Duration(serial_shortest);
  parts.turnaround_typical = Duration(serial - serial_shortest);
  parts.turnaround_longest = Duration(serial - serial_shortest);
  j.times.serial = parts;
  timing::NetworkParts network;
  network.back_typical = Duration(net / 2);
  network.back_longest = Duration(net / 2);
  network.out_typical = Duration(net - net / 2);
  network.out_longest = Duration(net - net / 2);
  j.times.network = network;
  j.times.shortest = Duration(serial_shortest);
  return j;
}

inline timing::TimingModel one_queue(std::vector<timing::Job> jobs,
                                     model::Order order = model::Order::due,
                                     std::int64_t scan = 0) {
  timing::TimingModel timing;
  timing::Queue queue;
  queue.name = "line";
  queue.line = model::LineIndex(0);
  queue.order = order;
  queue.scan = Duration(scan);
  queue.jobs = std::move(jobs);
  timing.queues.push_back(std::move(queue));
  timing.in_flight_limit.assign(2, std::nullopt);
  return timing;
}

// Adds a master's connection to the gateway in front of line 0.
inline void add_gateway_queue(timing::TimingModel& timing, std::size_t controller,
                              std::int64_t in_flight, std::vector<timing::Job> jobs) {
  timing::Queue queue;
  queue.name = "gateway";
  queue.kind = timing::QueueKind::gateway;
  queue.controller = model::ControllerIndex(controller);
  queue.line = model::LineIndex(0);
  queue.connection = model::ConnectionIndex(timing.queues.size());
  queue.in_flight = in_flight;
  queue.jobs = std::move(jobs);
  timing.queues.push_back(std::move(queue));
  timing.in_flight_limit.assign(2, std::nullopt);
}

}  // namespace greymet::test
