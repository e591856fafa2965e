// The event simulation: what really happens on the lines, in whole nanoseconds.
//
// Deterministic for a seed. With typical or longest durations it runs until the state at a
// multiple of the hyperperiod (after the largest phase) repeats; then all that can ever happen has
// happened. Otherwise it stops at the horizon or at the limit of transactions and says so.
// Triggered jobs are simulated as if their trigger came as often as `min_gap` allows.
//
// Faults (timing/faults.h): a request that fails takes the time of its tries; while its device is
// parked a release fails at once, which is not a miss. Behind a gateway the gateway's own tries
// are simulated; the master is taken to wait for them, as rule N06 demands.
#pragma once

#include <cstdint>
#include <optional>
#include <stop_token>
#include <vector>

#include "timing/faults.h"
#include "timing/progress.h"
#include "timing/queue_statistics.h"

namespace greymet::timing {

struct TimingModel;

// Which duration each service takes.
enum class Durations : std::uint8_t { typical, longest, random };

// What to simulate, and how long.
struct SimulationOptions {
  Durations durations = Durations::longest;
  std::uint64_t seed = 1;
  Duration horizon = std::chrono::minutes(10);
  Duration at_least{};                           // goes on so long even when the state has repeated
  std::uint64_t most_transactions = 10'000'000;  // in all; shared out among islands
  bool percentiles = false;                      // keeps every response: 8 bytes each
  std::size_t trace_length = 0;                  // services to keep,
  Duration trace_from{};                         // that end after this instant
  std::vector<JobRef> watched;                   // jobs all of whose services are kept
  Faults faults;
  ProgressSink progress;
  std::stop_token stop;  // once requested, what has been simulated comes back, not complete
};

// Per queue, parallel to TimingModel::queues.
[[nodiscard]] std::vector<QueueStatistics> simulate(const TimingModel& timing,
                                                    const SimulationOptions& options);

// One island of the model (see islands_of) alone; results parallel to `queues`. Simulates
// `most_transactions` of the options on it.
[[nodiscard]] std::vector<QueueStatistics> simulate_queues(const TimingModel& timing,
                                                           const std::vector<std::size_t>& queues,
                                                           const SimulationOptions& options);

// Least common multiple of all recurring periods and scans of these queues, if it stays within
// `limit`.
[[nodiscard]] std::optional<Duration> hyperperiod(const TimingModel& timing,
                                                  const std::vector<std::size_t>& queues,
                                                  Duration limit);

}  // namespace greymet::timing
