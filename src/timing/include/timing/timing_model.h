// The plan as queues: what waits for what.
//
// A serial line with a master, and every TCP connection, is one queue: it serves one transaction
// at a time (or `in_flight` of them on a connection), without preemption. The serial line behind a
// gateway is a server that several queues may share, first come first served.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "model/index.h"
#include "model/network.h"
#include "model/transaction.h"
#include "timing/queue_statistics.h"
#include "timing/transaction_times.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::timing {

// One transaction in its queue.
struct Job {
  std::size_t transaction = 0;  // into ResolvedPlan::transactions
  model::TriggerKind kind = model::TriggerKind::cyclic;
  Duration period{};  // on bit or change: min_gap; on return: the line's park retry, or 0 for once
  Duration phase{};
  std::size_t device = 0;  // who answers: into TimingModel::devices
  TransactionTimes times;
};

// What a queue leads to.
enum class QueueKind : std::uint8_t { serial, tcp, gateway };

// A line or a connection of one controller, with its jobs in list order.
struct Queue {
  std::string name;
  QueueKind kind = QueueKind::serial;
  model::ControllerIndex controller;
  std::optional<model::LineIndex> line;  // the serial line, also behind a gateway
  std::optional<model::ConnectionIndex> connection;
  model::Order order = model::Order::due;
  Duration scan{};  // of the controller if it sends at scan boundaries, else 0
  std::int64_t in_flight = 1;
  std::optional<model::Park> park;  // of the line
  std::vector<Job> jobs;
};

// All queues: lines in file order, then connections in file order.
struct TimingModel {
  std::vector<Queue> queues;
  std::vector<model::Target> devices;  // slaves and peers that answer, each once
  // Per controller: requests it can have under way on TCP in all, where that is less than its
  // connections could carry; else nothing.
  std::vector<std::optional<std::int64_t>> in_flight_limit;
};

// True for jobs that wait to be released: all but continuous ones.
[[nodiscard]] constexpr bool is_released(model::TriggerKind kind) {
  return kind != model::TriggerKind::continuous;
}
// True for jobs that come back again and again and so count in use and intervals.
[[nodiscard]] inline bool recurs(const Job& job) {
  return is_released(job.kind) && job.kind != model::TriggerKind::on_start &&
         job.period > Duration{};
}

[[nodiscard]] inline const Job& job_at(const TimingModel& timing, JobRef ref) {
  return timing.queues[ref.queue].jobs[ref.job];
}

// The longest continuous job of the queue, scan alignment included; 0 if it has none.
[[nodiscard]] Duration longest_continuous(const Queue& queue);

// Transactions whose times or trigger are unknown are left out.
[[nodiscard]] TimingModel build_timing_model(const model::ResolvedPlan& resolved);

// Queues that influence each other: those that share a line behind a gateway, or a controller
// whose requests under way are limited. Indices into `queues`, each queue in exactly one island.
[[nodiscard]] std::vector<std::vector<std::size_t>> islands_of(const TimingModel& timing);

}  // namespace greymet::timing
