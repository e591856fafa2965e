// Bounds for a plan's own phases where triggered or continuous jobs share the line with cyclic
// ones.
//
// For queues with order due, one request under way, no scan alignment and no other master. Released
// jobs are served first come first served, without preemption, and a continuous one only starts
// when none waits. Let s be the start of the busy period in which a job released at t waits, A(s,
// t) the work released in [s, t], and C_cont the longest continuous job, which may just have begun
// at s:
//     response = C_cont + A(s, t) - (t - s)
//             <= C_cont + [A_cyclic(s, t) - (t - s)] + A_triggered(s, t)
// The bracket is largest with longest durations, and then it is a response of the cyclic jobs
// alone; their simulation over a repeating state gives its maximum, for i its own, for a triggered
// job the largest of all. A triggered job is released at most ceil(B / gap) times in a busy period
// of length B, one without a gap once:
//     R_i <= C_cont + R_i(cyclic alone) + sum over triggered j of ceil(B / gap_j) C_j
//     B    = least L with L = C_cont + sum over released j of ceil(L / period_j) C_j
// Shorter durations and missed releases only take work away.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing {

// Per job of the queue; continuous ones have 0. Nothing where the proof does not hold: another
// order, several requests under way, scan alignment, a full line, cyclic jobs that miss releases or
// do not repeat within the simulated horizon. `queue` must be alone in its island.
[[nodiscard]] std::optional<std::vector<Duration>> phased_bounds(const TimingModel& timing,
                                                                 std::size_t queue);

}  // namespace greymet::timing
