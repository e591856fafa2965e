// Drafted tables of tags as CSV. Format: docs/both-ends.md.
#pragma once

#include <string>
#include <vector>

#include "model/point_list.h"

namespace greymet::files {

// A table that `tags` of a controller reads.
[[nodiscard]] std::string tags_csv(const std::vector<model::DraftedTag>& tags);

}  // namespace greymet::files
