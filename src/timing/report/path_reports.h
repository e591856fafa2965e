// The part of the report about paths and ages of tags. Not for use outside this folder.
#pragma once

#include "timing/report.h"

namespace greymet::timing::internal {

// Ways and bounds of the plan's paths and of tags that state a max_age, from the report's lines.
void add_path_reports(const model::ResolvedPlan& resolved, TimingReport& report);

}  // namespace greymet::timing::internal
