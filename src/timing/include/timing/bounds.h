// Proven bounds on response times and intervals.
//
// One queue: at most one instance of each job waits, so between the release and the completion of
// i each other job j is served at most once (order due: only instances released earlier go first;
// order list: the round comes to i before it comes to j again), and one continuous job may just
// have begun:
//     R_i = sum over released j of (C_j + scan) + longest continuous (C + scan)
// A start waits less than one scan for its boundary, hence "+ scan" for each.
// Behind a gateway every own request may wait for n_m requests of each other master m:
//     C_j = rtt + delay + Cser_j + scan + F,   F = sum over m of n_m x longest serial time of m
// With n > 1 requests under way on the own connection up to n of them may be ahead in service when
// i is released: plus n x the longest own C instead of the one continuous.
// Where the controller limits its requests under way, its connections wait for each other and the
// sum runs over all its jobs on TCP.
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

// Longest busy time of one service, waiting for a scan boundary and foreign requests included.
[[nodiscard]] Duration service_bound(const TimingModel& timing, const Queue& queue,
                                     Duration longest);

}  // namespace greymet::timing
