// The list of values from both ends, and drafted tables of tags, as JSON and CSV. Formats:
// docs/both-ends.md.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "model/point_list.h"

namespace greymet::files {

// A list with the bounds of timing/point_ages.h, parallel to its rows.
struct AgedPoints {
  const model::PointList& list;
  std::vector<std::optional<model::Duration>> ages;
};

[[nodiscard]] std::string points_json(const model::ResolvedPlan& resolved,
                                      const AgedPoints& points);
[[nodiscard]] std::string points_csv(const model::ResolvedPlan& resolved, const AgedPoints& points);
// A table that `tags` of a controller reads.
[[nodiscard]] std::string tags_csv(const std::vector<model::DraftedTag>& tags);

}  // namespace greymet::files
