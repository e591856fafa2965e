// The timing of a plan as one plain value: what `greymet timing` shows.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "timing/heartbeat_simulation.h"
#include "timing/heartbeats.h"
#include "timing/paths.h"
#include "timing/queue_statistics.h"
#include "timing/silence.h"
#include "timing/stalls.h"
#include "timing/timing_model.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::timing {

struct SimulationOptions;

// One transaction of a line. Durations that do not exist (no bound, no period) are left out.
struct TransactionReport {
  std::size_t transaction = 0;
  std::string name;
  int function = 0;
  std::uint32_t request_bytes = 0;
  std::uint32_t reply_bytes = 0;
  model::TriggerKind kind = model::TriggerKind::cyclic;
  Duration shortest{};
  Duration typical{};
  Duration longest{};
  Duration exception{};                    // longest, answered by an exception
  std::optional<Duration> failed_attempt;  // one try without a reply; none for a broadcast
  std::optional<Duration> period;
  std::optional<Duration> response_bound;            // for the plan's own phases
  std::optional<Duration> response_bound_any_phase;  // for any phases
  std::optional<Duration> response_behind_failures;  // the same where tries have failed before
  std::optional<Duration> response_simulated;        // longest durations
  std::optional<double> response_mean_ms;            // typical durations
  std::optional<Duration> interval_bound;
  std::uint64_t missed = 0;  // with longest durations
  std::optional<Duration> silent;
  model::FactSet assumed;
};

// A line or a connection with its transactions. A serial line behind a gateway has utilisation
// alone: its transactions stand under the connection.
struct LineReport {
  std::string name;
  std::string master;                // empty for a line behind a gateway
  std::string description;           // "rtu 19200 8E1", "tcp 10.20.0.31:502"
  std::optional<std::size_t> queue;  // into TimingModel::queues
  double utilisation_percent = 0;    // cyclic, and what comes on request as often as it may
  double cyclic_percent = 0;         // of it what comes whatever happens
  std::int64_t places = 1;           // services at a time: 1 but on TCP
  std::size_t on_request = 0;        // transactions on a bit or a change
  Duration burst{};                  // all of them at once, at their longest
  bool continuous = false;           // something runs whenever nothing else waits
  std::optional<double> character_ms;
  std::optional<Duration> gap;
  std::optional<Duration> round;
  std::size_t longest_queue = 0;
  bool simulation_complete = true;
  Duration simulated{};
  std::vector<TransactionReport> transactions;

  [[nodiscard]] double full_percent() const { return 100.0 * static_cast<double>(places); }
  // What comes whatever happens needs more time than there is.
  [[nodiscard]] bool overloaded() const { return cyclic_percent > full_percent(); }
};

// How old the value of a tag can be that states a `max_age`.
struct TagAge {
  std::size_t tag = 0;  // into ResolvedPlan::tags
  PathReport path;      // its budget is the max_age
};

// What the simulation says of one heartbeat.
struct HeartbeatRun {
  std::optional<Detection> detection;          // durations between shortest and longest
  std::optional<std::int64_t> tries_to_alarm;  // failed tries in a row that may give a false alarm
  std::optional<double> runs_per_year;         // of so many, at the given rate of frame errors
  std::optional<WatchRecord> with_errors;      // simulated at that rate
  HeartbeatTrace trace;                        // of the first seconds, typical durations
};

// What is to be found out beside the bounds and the healthy simulation.
struct AnalysisOptions {
  std::size_t trace_length = 0;  // services to keep of each queue, with typical durations,
  Duration trace_from{};         // that end after this instant
  double frame_error_rate = 0;   // of each frame, 0..1; see timing/faults.h
  SilenceOptions silence = {};
  std::uint64_t watched_transactions = 200'000;  // simulated for heartbeats and paths, per run
  ProgressSink progress = {};
};

// The whole report. `typical` holds traces of the first services of each queue.
struct TimingReport {
  std::vector<LineReport> lines;
  std::vector<HeartbeatReport> heartbeats;
  std::vector<HeartbeatRun> heartbeat_runs;  // parallel to heartbeats; empty after analyse_longest
  std::vector<PathReport> paths;
  std::vector<TagAge> tag_ages;  // of tags with `max_age` and another end, in their order
  StallReport stalls;
  SilenceReport silence;  // empty after analyse_longest
  double frame_error_rate = 0;
  TimingModel model;
  std::vector<QueueStatistics> typical;
  std::vector<QueueStatistics> longest;
};

[[nodiscard]] TimingReport analyse(const model::ResolvedPlan& resolved,
                                   const AnalysisOptions& options);

// The same with longest durations alone: what rules need. `typical` stays empty and with it the
// mean responses; so does all that is simulated of heartbeats, paths and silent slaves.
[[nodiscard]] TimingReport analyse_longest(const model::ResolvedPlan& resolved);
[[nodiscard]] TimingReport analyse_longest(const model::ResolvedPlan& resolved,
                                           const SimulationOptions& options);

// Ways and bounds of further paths in a report.
[[nodiscard]] std::vector<PathReport> bounds_of_paths(const model::ResolvedPlan& resolved,
                                                      const TimingReport& report,
                                                      const std::vector<WantedPath>& wanted);

// Adds what the simulation says of the report's paths and ages of tags, in the very runs of
// analyse(). Tags that come the same way share its result; beyond the first hundred ways the bound
// alone is said.
void simulate_paths(const model::ResolvedPlan& resolved, std::uint64_t most_transactions,
                    TimingReport& report);

// Use of a queue in percent: sum of longest durations, rounded up to whole scans, over periods.
[[nodiscard]] double utilisation_percent(const Queue& queue);

}  // namespace greymet::timing
