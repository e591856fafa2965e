// Proven bounds on response times and intervals.
//
// At most one instance of each job waits, so between the release and the completion of i each other
// job j is served at most once (order due: only instances released earlier go first; order list:
// the round comes to i before it comes to j again), and continuous jobs may just have begun, as
// many as there are places. A queue that only its own jobs hold up, one request under way, C' the
// durations in whole scans (where `sends = "scan"`, s the scan, else 0):
//     R_i = max(s, longest continuous C') + sum over other released j of C'_j + C_i
// because a service holds its place until a boundary, and only where no place is held at the
// release i waits for its first boundary. On TCP with n under way all n places are held until i
// starts, by no service for longer than that takes:
//     R_i = s + floor_s(T) + C_i,
//     T = least over k < n of (sum of the pool - its k longest) / (n - k),
// floor_s down to whole scans, the pool the C'_j of other released j and the n longest of C' - s of
// continuous ones. A continuous one on a queue that its own jobs alone hold up, one request under
// way, is served again after at most X + C_i + s, from end to end, X the least with
//     X = sum of other continuous C' + sum over recurring j of (floor((C'_i + X) / period_j) + 1)
//     C'_j
// as nothing waited when it began: all that is served until it starts again was released since.
// Behind a gateway with several masters, or with n > 1 requests under way on the own connection:
// until i leaves the line, the line serves own others (each released one once, and the n longest
// continuous ones), or others of other masters while an own one waits there, or no own request is
// at the line: then all n places are on the network (or held until a boundary), or i is on its way:
//     R_i = s + sum over other released j of Cser_j + the n longest continuous Cser
//           + T of their w: of other released j, and the n longest continuous ones
//           + sum over other masters m of F_m + out_i + Cser_i + back_i,     w = out + back + s
// A connection keeps its order. Each own request finds at most n_m requests of m at the line, and
// m's periods limit how many can be served in a time L (R_k their own bound, with the first term
// alone):
//     F_m = min(K x the n_m longest Cser of m,
//               K x the n_m longest continuous Cser of m + sum over released k of m of
//               (floor((L + R_k) / period_k) + 1) Cser_k)
// K the released own requests and the continuous ones that may have begun; L the largest R_i of the
// queue, the least that fits.
// Where the controller limits its requests under way, its connections wait for each other and the
// sum runs over all its jobs on TCP: R_i = sum over released j of C_j + longest continuous C (n x
// the longest of all with n > 1), C_j = rtt + delay + Cser_j + s + F, F = sum over m of n_m x
// longest serial time of m. With order due this is the most; often the places can be held only for
// a shorter time T (docs/timing-model.md, "Bounds"): R_i = s + floor_s(T) + C_i.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing {

// Bounds of one job; nothing where there is none (continuous jobs have no response).
struct JobBounds {
  std::optional<Duration> response;  // any phases, any durations up to the longest
  // The same behind any backlog, to which failures add no more than their own time.
  std::optional<Duration> response_behind_failures;
  std::optional<Duration> interval;  // between successive completions
};

// Per queue and job, parallel to TimingModel::queues.
[[nodiscard]] std::vector<std::vector<JobBounds>> bounds_of(const TimingModel& timing);

// F of the header: what the other masters of the line behind the queue's gateway may put before one
// request of this queue; 0 where there are none.
[[nodiscard]] Duration foreign_share(const TimingModel& timing, const Queue& queue);

// Nothing but its own jobs can hold up this queue, each for its duration.
[[nodiscard]] bool serves_alone(const TimingModel& timing, const Queue& queue);

// Its line behind a gateway has other masters, or it has several requests under way there; without
// a limit of the controller.
[[nodiscard]] bool shares_gateway(const TimingModel& timing, const Queue& queue);

// Longest busy time of one service, waiting for a scan boundary and foreign requests included.
[[nodiscard]] Duration service_bound(const TimingModel& timing, const Queue& queue,
                                     Duration longest);

}  // namespace greymet::timing
