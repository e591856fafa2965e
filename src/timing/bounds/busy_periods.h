// Responses in the plan's own phases, from all busy periods that its releases can make. Not for use
// outside this folder; the proof is in timing/phased_bounds.h.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing::internal {

// Per job of a queue that only its own jobs hold up, one request under way; continuous ones have 0.
// Nothing where the line is full, where the releases do not come together within 100,000, or would
// take more than some million comparisons.
[[nodiscard]] std::optional<std::vector<Duration>> busy_period_bounds(const Queue& queue);

// The busy period that makes one job's bound: what its places are held by, until it is done.
struct BusyPeriod {
  Duration bound{};
  Duration begun{};  // a continuous job that has just begun, or the first scan
  std::vector<std::int64_t>
      times;           // per job: served so often within it, the one asked for included
  Duration before{};   // from its beginning to the release
  Duration surplus{};  // that the last service holds its place beyond its end
};
// Nothing where busy_period_bounds has nothing; `job` is a released one. bound = begun + sum of
// times x (whole scans of its duration) - before - surplus.
[[nodiscard]] std::optional<BusyPeriod> worst_busy_period(const Queue& queue, std::size_t job);

// How long a service holds its place: until the controller may send again.
[[nodiscard]] Duration held_place(const Queue& queue, Duration longest);

}  // namespace greymet::timing::internal
