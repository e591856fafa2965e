// Ages of a value at the end of its path, from simulated services.
//
// At an instant between two arrivals the value there is as old as the time since it was taken at
// its source, so the ages between arrivals k and k+1 run from a_k - s_k to a_(k+1) - s_k; the
// distribution is over all instants. Controllers see what arrives at the boundaries of their scans,
// whose offsets are unknown, as are the phases of different controllers: the distribution goes over
// many such offsets, spread evenly and the same in every run.
#pragma once

#include <optional>
#include <vector>

#include "timing/paths.h"
#include "timing/simulation.h"

namespace greymet::timing {

// `run` holds the watched services of all jobs of the hops, per queue of the model. Nothing if a
// hop has no job, or too little was simulated.
[[nodiscard]] std::optional<AgeDistribution> ages_at_end(const model::ResolvedPlan& resolved,
                                                         const TimingModel& timing,
                                                         const std::vector<Hop>& hops,
                                                         const std::vector<QueueStatistics>& run);

}  // namespace greymet::timing
