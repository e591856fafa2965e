// Responses in the plan's own phases, from all busy periods that its releases can make. Not for use
// outside this folder; the proof is in timing/phased_bounds.h.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing::internal {

// Per job of a queue that only its own jobs hold up, one request under way; continuous ones have 0.
// Nothing where the line is full, where the releases do not come together within 100,000, or would
// take more than some million comparisons; for order list also where anything is triggered.
[[nodiscard]] std::optional<std::vector<Duration>> busy_period_bounds(const Queue& queue);

}  // namespace greymet::timing::internal
