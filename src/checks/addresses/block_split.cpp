#include "block_split.h"
#include "common/words.h"

#include <algorithm>

namespace greymet::checks::internal {

std::vector<Extent> split_by_limit(const model::RegisterMap* map, model::Area area, Extent block,
                                   std::uint32_t limit) {
  std::vector<Extent> parts;
  if (limit == 0) return parts;
  for (std::uint32_t first = block.first; first < block.end;) {
    std::uint32_t end = std::min(block.end, first + limit);
    if (map != nullptr && end < block.end) {
      // Step back to the start of a value that the edge would cut.
      for (const model::Point* point : map->points_touching(area, {end - 1, end})) {
        const Extent value = extent_of(*point);
        if (value.end > end && value.first > first) end = value.first;
      }
    }
    parts.push_back({first, end});
    first = end;
  }
  return parts;
}

std::vector<Extent> split_at_holes(const std::vector<Extent>& holes, Extent block) {
  std::vector<Extent> parts;
  std::uint32_t first = block.first;
  for (const Extent& hole : holes) {
    if (hole.first > first) parts.push_back({first, hole.first});
    first = hole.end;
  }
  if (first < block.end) parts.push_back({first, block.end});
  return parts;
}

}  // namespace greymet::checks::internal
