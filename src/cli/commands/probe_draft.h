// A plan of a device of which nobody knows anything. Not for use outside this folder.
#pragma once

#include "cli/commands.h"
#include "live/hand.h"
#include "model/resolved_plan.h"

namespace greymet::cli::internal {

// Reads the registers and bits that the one slave of `plan` has, writes them as a table into the
// folder of --plan-from, and has `new` make a plan of it. Returns the exit status.
[[nodiscard]] int draft_plan_of_device(const ProbeOptions& options, const model::ResolvedPlan& plan,
                                       const live::HandOptions& how, double share,
                                       const Terminal& terminal);

}  // namespace greymet::cli::internal
