// The event simulation: what really happens on the lines, in whole nanoseconds.
//
// Deterministic for a seed. With typical or longest durations it runs until the state at a
// multiple of the hyperperiod (after the largest phase) repeats; then all that can ever happen has
// happened. Otherwise it stops at the horizon or at the limit of transactions and says so.
// Triggered jobs are simulated as if their trigger came as often as `min_gap` allows.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing {

// Which duration each service takes.
enum class Durations : std::uint8_t { typical, longest, random };

// Where a long simulation reports how far it is, 0..1. Called from the simulating thread.
using ProgressSink = std::function<void(double)>;

// What to simulate, and how long.
struct SimulationOptions {
  Durations durations = Durations::longest;
  std::uint64_t seed = 1;
  Duration horizon = std::chrono::minutes(10);
  std::uint64_t most_transactions = 10'000'000;  // in all; shared out among islands
  bool percentiles = false;                      // keeps every response: 8 bytes each
  std::size_t trace_length = 0;                  // services to keep, from the start
  ProgressSink progress;
};

// What one job went through.
struct JobStatistics {
  std::uint64_t completed = 0;
  std::uint64_t missed = 0;  // releases that came while the previous one waited or ran
  Duration response_min{};
  Duration response_max{};
  double response_mean_ns = 0;
  std::optional<Duration> response_p99;
  Duration longest_interval{};  // between successive completions; 0 for fewer than two
};

// One service of a job, for drawing.
struct Service {
  std::size_t job = 0;
  Duration release{};
  Duration start{};
  Duration serial_start{};  // behind a gateway: when the line took it up
  Duration end{};
};

// What one queue went through.
struct QueueStatistics {
  std::vector<JobStatistics> jobs;  // parallel to Queue::jobs
  std::size_t longest_queue = 0;    // jobs waiting at once
  Duration busy{};                  // sum of services
  Duration simulated{};             // span that was simulated
  bool complete = false;            // the state repeated: nothing new can happen
  std::vector<Service> trace;
};

// Per queue, parallel to TimingModel::queues.
[[nodiscard]] std::vector<QueueStatistics> simulate(const TimingModel& timing,
                                                    const SimulationOptions& options);

// Least common multiple of all recurring periods and scans of these queues, if it stays within
// `limit`.
[[nodiscard]] std::optional<Duration> hyperperiod(const TimingModel& timing,
                                                  const std::vector<std::size_t>& queues,
                                                  Duration limit);

}  // namespace greymet::timing
