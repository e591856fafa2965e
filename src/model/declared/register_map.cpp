#include "model/register_map.h"

#include <algorithm>

#include <fmt/format.h>

namespace greymet::model {

std::string range_text(Area area, Extent extent) {
  const auto name = short_name(area);
  if (extent.end - extent.first <= 1) return fmt::format("{}:{}", name, extent.first);
  return fmt::format("{}:{}..{}:{}", name, extent.first, name, extent.end - 1);
}

bool matches_pattern(std::string_view pattern, std::string_view name) {
  std::size_t p = 0;
  std::size_t n = 0;
  std::size_t star = std::string_view::npos;
  std::size_t retry = 0;
  while (n < name.size()) {
    if (p < pattern.size() && pattern[p] == '*') {
      star = p++;
      retry = n;
    } else if (p < pattern.size() && pattern[p] == name[n]) {
      ++p;
      ++n;
    } else if (star != std::string_view::npos) {
      p = star + 1;
      n = ++retry;
    } else {
      return false;
    }
  }
  while (p < pattern.size() && pattern[p] == '*') ++p;
  return p == pattern.size();
}

std::string manual_text(Address address, AddressLook look, Numbering numbering) {
  const std::uint32_t shift = numbering == Numbering::from_1 ? 1 : 0;
  const std::uint32_t number = address.offset.value + shift;
  switch (look) {
    case AddressLook::decimal: return std::to_string(number);
    case AddressLook::hexadecimal: return fmt::format("0x{:04X}", number);
    case AddressLook::reference5: return reference5(address).value_or(reference6(address));
    case AddressLook::reference6: return reference6(address);
  }
  return {};
}

Extent extent_of(const Point& point) {
  const std::uint32_t first = point.address.offset.value;
  const std::uint32_t length = is_bit_area(point.address.area) ? 1 : registers_of(point.type);
  return {first, std::min(first + length, addresses_per_area)};
}

Range place_of(const Point& point, PointCell cell) {
  const CellSpot& spot = spot_of(point, cell);
  if (spot.column == 0) return point.place;
  return {point.place.file, point.place.line, spot.column, point.place.line, spot.end_column};
}

const CellSpot& spot_of(const Point& point, PointCell cell) {
  return point.cells[static_cast<std::size_t>(cell)];
}

namespace {

// Disjoint runs, by address.
void merge(std::vector<Extent>& extents) {
  std::sort(extents.begin(), extents.end(),
            [](const Extent& a, const Extent& b) { return a.first < b.first; });
  std::vector<Extent> merged;
  for (const Extent& e : extents) {
    if (!merged.empty() && e.first <= merged.back().end) {
      merged.back().end = std::max(merged.back().end, e.end);
    } else {
      merged.push_back(e);
    }
  }
  extents = std::move(merged);
}

}  // namespace

RegisterMap::RegisterMap(std::string file, std::vector<Point> points,
                         std::vector<std::string> extra_columns, const UnreadOfMap& unread)
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
  hidden_.columns = unread.columns;
  hidden_.anywhere = unread.all;
  hidden_.unnamed = unread.all;
  for (const LeftOutRow& row : unread.rows) {
    if (row.name.empty()) {
      hidden_.unnamed = true;
    } else {
      hidden_.names.insert(row.name);
    }
    if (!row.area) {
      hidden_.anywhere = true;
    } else if (!row.extent) {
      hidden_.in_area[static_cast<std::size_t>(*row.area)] = true;
    } else {
      hidden_.runs[static_cast<std::size_t>(*row.area)].push_back(*row.extent);
    }
  }
  for (auto& runs : hidden_.runs) merge(runs);
}

bool RegisterMap::may_hide(Area area, Extent block) const {
  const auto index = static_cast<std::size_t>(area);
  if (hidden_.anywhere || hidden_.in_area[index]) return true;
  const auto& runs = hidden_.runs[index];
  const auto it =
      std::upper_bound(runs.begin(), runs.end(), block.first,
                       [](std::uint32_t value, const Extent& run) { return value < run.end; });
  return it != runs.end() && it->first < block.end;
}

bool RegisterMap::may_hide(std::string_view point) const {
  return hidden_.unnamed || hidden_.names.contains(std::string(point));
}

bool RegisterMap::may_hide_any(const std::function<bool(std::string_view)>& matches) const {
  return hidden_.unnamed || std::any_of(hidden_.names.begin(), hidden_.names.end(),
                                        [&](const std::string& name) { return matches(name); });
}

bool RegisterMap::misreads(std::string_view column) const {
  return std::find(hidden_.columns.begin(), hidden_.columns.end(), column) != hidden_.columns.end();
}

const Point* RegisterMap::find(std::string_view name) const {
  const auto found = by_name_.find(std::string(name));
  return found == by_name_.end() ? nullptr : &points_[found->second];
}

std::vector<std::size_t> RegisterMap::matching(std::string_view pattern) const {
  std::vector<std::size_t> out;
  // a name leads straight to its point: no two bear one
  if (pattern.find('*') == std::string_view::npos) {
    const auto found = by_name_.find(std::string(pattern));
    if (found != by_name_.end()) out.push_back(found->second);
    return out;
  }
  for (std::size_t i = 0; i < points_.size(); ++i) {
    if (matches_pattern(pattern, points_[i].name)) out.push_back(i);
  }
  return out;
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
