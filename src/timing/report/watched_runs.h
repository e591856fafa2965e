// Runs that keep what heartbeats and paths need. Not for use outside this folder.
#pragma once

#include <vector>

#include "model/resolved_plan.h"
#include "timing/report.h"

namespace greymet::timing {

// Jobs that may carry a heartbeat.
[[nodiscard]] std::vector<JobRef> heartbeat_jobs(const model::ResolvedPlan& resolved,
                                                 const TimingModel& timing);

// Fills in what the simulation says of heartbeats and paths. The services of `heartbeats`
// have been kept in both runs of the report.
void simulate_heartbeats_and_paths(const model::ResolvedPlan& resolved,
                                   const std::vector<JobRef>& heartbeats,
                                   std::uint64_t most_transactions, TimingReport& report);

}  // namespace greymet::timing
