// Bounds for a plan's own phases where triggered or continuous jobs share the line with cyclic
// ones.
//
// For queues that only their own jobs hold up, one request under way, C' the durations in whole
// scans (scan s; without it C' = C and s = 0). Released jobs are served without preemption, and a
// continuous one only starts when none waits. Let b be the beginning of the busy period in which a
// job released at t waits, A'(b, t) the work C' released in [b, t], and W = max(s, the longest
// continuous C', which may just have begun at b). From the first boundary on the places are held
// without a gap:
//   order due:   response = at most W + A'(b, t) - (t - b) - (C'_i - C_i)
//   order list:  at most e - t, e the end of the busy period: the least e with W + A'(b, e) = e -
//   b,
//                A' without what is released at e; b a cyclic release, because a busy period that
//                begins with a trigger before it ends no later and lasts no longer; a triggered i
//                waits for e - b at most
// A triggered job is released at most 1 + floor((t - b) / gap) times in [b, t], one without a gap
// once. So the bound is the largest over all b and t that can be: t a release of i; b a cyclic
// release, or (order due) t less a multiple of a gap, because in between the expression only falls;
// for a triggered i also all t. No b lies further back than the longest busy period of any phases,
//     B = least L with L = W + sum over released j of ceil(L / period_j) C'_j
// Shorter durations and missed releases only take work away. Where there are too many releases to
// look at, order due without scans has
//     response <= W + [A_cyclic(b, t) - (t - b)] + A_triggered(b, t)
//             <= W + R_i(cyclic alone) + sum over triggered j of ceil(B / gap_j) C_j
// The bracket is largest with longest durations, and then it is a response of the cyclic jobs
// alone; their simulation over a repeating state gives its maximum, for i its own, for a triggered
// job the largest of all.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing {

// Per job of the queue; continuous ones have 0. Nothing where the proof does not hold or its end is
// too far: several requests under way, a full line, cyclic jobs that do not come together soon.
// `queue` must be alone in its island.
[[nodiscard]] std::optional<std::vector<Duration>> phased_bounds(const TimingModel& timing,
                                                                 std::size_t queue);

}  // namespace greymet::timing
