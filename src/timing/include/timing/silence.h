// Silent slaves in the simulation: what one that does not answer, or two, does to all others.
//
// Each is simulated with longest durations from the moment it falls silent: once with the lines'
// `park`, at several moments before its own releases, and once as if there were no `park`. The
// stalls of timing/stalls.h are bounds of what is seen here of one slave.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "timing/heartbeats.h"
#include "timing/progress.h"
#include "timing/stalls.h"

namespace greymet::timing {

struct QueueStatistics;

// What to simulate, and how much of it.
struct SilenceOptions {
  bool pairs = false;                           // also every two that share a line or connection
  std::uint64_t most_transactions = 4'000'000;  // in all; shared out among the cases, none of
                                                // which does with less than its island once
  std::size_t most_cases = 40'000;
  ProgressSink progress;
};

// One slave, or two, falling silent.
struct SilentCase {
  std::vector<std::size_t> devices;  // into TimingModel::devices
  std::optional<std::size_t> stall;  // of one: into StallReport::stalls
  std::size_t queue = 0;             // one that they keep busy
  bool parks = false;                // the line has `park`
  Duration first{};                  // longest wait of another's request for their tries alone,
  Duration steady{};                 // and once they are parked; without `park` the same
  Duration without_park{};
  std::vector<JobRef> missing;         // jobs of others that miss releases, and in good health do
  std::vector<JobRef> missing_steady;  // not; that still do when it is parked; that would without
  std::vector<JobRef> missing_without_park;  // `park`
  std::vector<std::size_t> tripped;          // heartbeats of others that give a false alarm
};

// Every slave that falls silent alone, and pairs where they were asked for.
struct SilenceReport {
  std::vector<SilentCase> cases;  // singles in the order of the stalls, then pairs
  std::size_t left_out = 0;       // cases beyond `most_cases`, or `most_transactions`
};

// True if some queue waits for both, or waits for one while it asks the other: only then two silent
// slaves do what one of them alone does not.
[[nodiscard]] bool can_meet(const Stall& one, const Stall& other);

// `healthy` is the simulation without faults and with longest durations.
[[nodiscard]] SilenceReport simulate_silence(const model::ResolvedPlan& resolved,
                                             const TimingModel& timing, const StallReport& stalls,
                                             const std::vector<QueueStatistics>& healthy,
                                             const std::vector<HeartbeatReport>& heartbeats,
                                             const SilenceOptions& options);

}  // namespace greymet::timing
