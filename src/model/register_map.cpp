#include "model/register_map.h"

#include <algorithm>

#include <fmt/format.h>

namespace greymet::model {

std::string range_text(Area area, Extent extent) {
  const auto name = short_name(area);
  if (extent.end - extent.first <= 1) return fmt::format("{}:{}", name, extent.first);
  return fmt::format("{}:{}..{}:{}", name, extent.first, name, extent.end - 1);
}

Extent extent_of(const Point& point) {
  const std::uint32_t first = point.address.offset.value;
  const std::uint32_t length = is_bit_area(point.address.area) ? 1 : registers_of(point.type);
  return {first, std::min(first + length, addresses_per_area)};
}

RegisterMap::RegisterMap(std::string file, std::vector<Point> points,
                         std::vector<std::string> extra_columns)
    : file_(std::move(file)), points_(std::move(points)), extra_columns_(std::move(extra_columns)) {
  for (std::size_t i = 0; i < points_.size(); ++i) {
    AreaIndex& area = areas_[static_cast<std::size_t>(points_[i].address.area)];
    area.by_address.push_back(static_cast<std::uint32_t>(i));
    by_name_.emplace(points_[i].name, i);
  }
  for (AreaIndex& area : areas_) {
    std::stable_sort(area.by_address.begin(), area.by_address.end(),
                     [this](std::uint32_t a, std::uint32_t b) {
                       return points_[a].address.offset < points_[b].address.offset;
                     });
    for (std::uint32_t i : area.by_address) {
      const Extent extent = extent_of(points_[i]);
      area.longest = std::max(area.longest, extent.end - extent.first);
      area.ends.push_back(extent.end);
      if (!area.runs.empty() && extent.first <= area.runs.back().end) {
        area.runs.back().end = std::max(area.runs.back().end, extent.end);
      } else {
        area.runs.push_back(extent);
      }
    }
    std::sort(area.ends.begin(), area.ends.end());
  }
}

const Point* RegisterMap::find(std::string_view name) const {
  const auto found = by_name_.find(std::string(name));
  return found == by_name_.end() ? nullptr : &points_[found->second];
}

std::vector<const Point*> RegisterMap::points_touching(Area area, Extent block) const {
  const AreaIndex& at = index(area);
  const std::uint32_t from = block.first > at.longest ? block.first - at.longest : 0;
  auto it = std::lower_bound(at.by_address.begin(), at.by_address.end(), from,
                             [this](std::uint32_t i, std::uint32_t offset) {
                               return points_[i].address.offset.value < offset;
                             });
  std::vector<const Point*> touching;
  for (; it != at.by_address.end(); ++it) {
    const Extent extent = extent_of(points_[*it]);
    if (extent.first >= block.end) break;
    if (extent.end > block.first) touching.push_back(&points_[*it]);
  }
  return touching;
}

bool RegisterMap::point_starts_at(Area area, std::uint32_t offset) const {
  const AreaIndex& at = index(area);
  const auto it = std::lower_bound(at.by_address.begin(), at.by_address.end(), offset,
                                   [this](std::uint32_t i, std::uint32_t wanted) {
                                     return points_[i].address.offset.value < wanted;
                                   });
  return it != at.by_address.end() && points_[*it].address.offset.value == offset;
}

bool RegisterMap::point_ends_at(Area area, std::uint32_t end) const {
  const AreaIndex& at = index(area);
  return std::binary_search(at.ends.begin(), at.ends.end(), end);
}

std::optional<Extent> RegisterMap::run_around(Area area, std::uint32_t offset) const {
  const AreaIndex& at = index(area);
  auto it =
      std::upper_bound(at.runs.begin(), at.runs.end(), offset,
                       [](std::uint32_t value, const Extent& run) { return value < run.end; });
  if (it == at.runs.end() || it->first > offset) return std::nullopt;
  return *it;
}

bool RegisterMap::lists(Area area, std::uint32_t offset) const {
  return run_around(area, offset).has_value();
}

std::vector<Extent> RegisterMap::holes_in(Area area, Extent block) const {
  const AreaIndex& at = index(area);
  std::vector<Extent> holes;
  std::uint32_t next = block.first;
  auto it =
      std::upper_bound(at.runs.begin(), at.runs.end(), block.first,
                       [](std::uint32_t value, const Extent& run) { return value < run.end; });
  for (; it != at.runs.end() && it->first < block.end; ++it) {
    if (it->first > next) holes.push_back({next, it->first});
    next = std::max(next, it->end);
  }
  if (next < block.end) holes.push_back({next, block.end});
  return holes;
}

}  // namespace greymet::model
