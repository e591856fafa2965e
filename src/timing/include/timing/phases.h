// Phases: moving releases apart so that transactions wait less for each other.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing {

// Lines with more cyclic jobs than this are not examined: the effort grows with the square.
inline constexpr std::size_t most_phased_jobs = 60;

// New phases for the cyclic jobs of a queue, and what they bring in the simulation with longest
// durations of the cyclic jobs alone.
struct PhaseProposal {
  std::vector<Duration> phases;    // parallel to Queue::jobs; others keep theirs
  Duration longest_wait_before{};  // release to start, of any cyclic job
  Duration longest_wait_after{};
};

// True if two cyclic jobs of the queue are ever released at the same instant.
[[nodiscard]] bool releases_coincide(const Queue& queue);

// A heuristic: jobs in the order of their periods take the phase (a multiple of `step`) at which
// they overlap least, in time, with those already placed. Nothing for queues whose order or sharing
// makes phases matter less (order list, several requests under way), and for those with fewer than
// 2 or more than `most_phased_jobs` cyclic jobs. Deterministic.
[[nodiscard]] std::optional<PhaseProposal> propose_phases(const TimingModel& timing,
                                                          std::size_t queue, Duration step);

// Phases for some cyclic jobs of a queue; all others keep theirs.
struct Placement {
  std::vector<Duration> phases;  // parallel to `jobs`
  bool exact = false;            // every combination was simulated
};

// Every combination of multiples of `step` is simulated where there are at most
// `most_combinations`, and the one with the least longest wait is taken; beyond that the heuristic
// of propose_phases, one job after the other.
inline constexpr std::int64_t most_combinations = 600;
[[nodiscard]] Placement place_jobs(const TimingModel& timing, std::size_t queue,
                                   const std::vector<std::size_t>& jobs, Duration step);

// The grid on which a controller can place releases: 10 ms, or its model's step if that is longer.
[[nodiscard]] Duration phase_step(const model::Controller& controller);

}  // namespace greymet::timing
