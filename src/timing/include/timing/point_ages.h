// How old values can be where they are used: bounds for the list of values from both ends.
#pragma once

#include <optional>
#include <vector>

#include "model/point_list.h"
#include "timing/report.h"

namespace greymet::timing {

// Of each row the bound on its age: at the tag's place for what is read, at the slave for what is
// written; nothing where there is none. See timing/paths.h.
[[nodiscard]] std::vector<std::optional<Duration>> age_bounds(const model::ResolvedPlan& resolved,
                                                              const model::PointList& list,
                                                              const TimingReport& report);

}  // namespace greymet::timing
