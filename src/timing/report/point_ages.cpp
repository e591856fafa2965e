#include "timing/point_ages.h"

namespace greymet::timing {

std::vector<std::optional<Duration>> age_bounds(const model::ResolvedPlan& resolved,
                                                const model::PointList& list,
                                                const TimingReport& report) {
  std::vector<WantedPath> wanted;
  for (const model::PointRow& row : list.rows) {
    const model::ValuePlace here = model::memory_place(row.controller, row.memory);
    wanted.push_back({row.where, row.is_read ? row.end : here, row.is_read ? here : row.end, {}});
  }
  std::vector<std::optional<Duration>> bounds;
  for (const PathReport& path : bounds_of_paths(resolved, report, wanted)) {
    bounds.push_back(path.bound);
  }
  return bounds;
}

}  // namespace greymet::timing
