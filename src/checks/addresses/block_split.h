// Splitting blocks so that each part is a request that works.
#pragma once

#include <cstdint>
#include <vector>

#include "model/register_map.h"

namespace greymet::checks::internal {

// Parts of at most `limit` registers that cover the block; no part ends inside a value of the map
// (unless the value alone is longer than the limit). `map` may be null.
[[nodiscard]] std::vector<model::Extent> split_by_limit(const model::RegisterMap* map,
                                                        model::Area area, model::Extent block,
                                                        std::uint32_t limit);

// The listed runs within the block: what remains when the holes are left out.
[[nodiscard]] std::vector<model::Extent> split_at_holes(const std::vector<model::Extent>& holes,
                                                        model::Extent block);

}  // namespace greymet::checks::internal
