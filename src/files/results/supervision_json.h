// The parts of the timing document below the lines. Not for use outside this folder.
#pragma once

#include <nlohmann/json.hpp>

#include "model/resolved_plan.h"
#include "timing/report.h"

namespace greymet::files::internal {

[[nodiscard]] nlohmann::ordered_json paths_json(const model::ResolvedPlan& resolved,
                                                const timing::TimingReport& report);
[[nodiscard]] nlohmann::ordered_json silent_slaves_json(const model::ResolvedPlan& resolved,
                                                        const timing::TimingReport& report);
[[nodiscard]] nlohmann::ordered_json silent_pairs_json(const model::ResolvedPlan& resolved,
                                                       const timing::TimingReport& report);

}  // namespace greymet::files::internal
