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
// starts:
//     R_i = s + (sum over other released j of C'_j + the n longest continuous C') / n + C_i
// Behind a gateway every own request may wait for n_m requests of each other master m:
//     R_i = sum over released j of C_j + longest continuous C
//     C_j = rtt + delay + Cser_j + s + F,   F = sum over m of n_m x longest serial time of m
// With n > 1 requests under way on the own connection up to n of them may be ahead in service when
// i is released: plus n x the longest own C instead of the one continuous.
// Where the controller limits its requests under way, its connections wait for each other and the
// sum runs over all its jobs on TCP, each C + s.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing {

// Bounds of one job; nothing where there is none (continuous jobs have no response).
struct JobBounds {
  std::optional<Duration> response;  // any phases, any durations up to the longest
  std::optional<Duration> interval;  // between successive completions
};

// Per queue and job, parallel to TimingModel::queues.
[[nodiscard]] std::vector<std::vector<JobBounds>> bounds_of(const TimingModel& timing);

// F of the header: what the other masters of the line behind the queue's gateway may put before one
// request of this queue; 0 where there are none.
[[nodiscard]] Duration foreign_share(const TimingModel& timing, const Queue& queue);

// Nothing but its own jobs can hold up this queue, each for its duration.
[[nodiscard]] bool serves_alone(const TimingModel& timing, const Queue& queue);

// Longest busy time of one service, waiting for a scan boundary and foreign requests included.
[[nodiscard]] Duration service_bound(const TimingModel& timing, const Queue& queue,
                                     Duration longest);

}  // namespace greymet::timing
