#include "engine/probe_reach.h"

#include <algorithm>
#include <array>

namespace greymet::engine {

using model::Area;
using model::Extent;
using model::Point;

namespace {

constexpr std::array<Area, 4> areas_by_function{Area::coil, Area::discrete_input,
                                                Area::holding_register, Area::input_register};
constexpr std::size_t most_gaps = 20;  // of an area

// What one request reads at most (V1.1b3, 6.1 to 6.4).
std::uint32_t most_of(Area area) {
  constexpr std::uint32_t bits = 2000;
  constexpr std::uint32_t registers = 125;
  return is_bit_area(area) ? bits : registers;
}

// Runs of registers that the map lists, from the lowest on.
std::vector<Extent> runs_of(const model::RegisterMap& map, Area area) {
  std::vector<Extent> runs;
  std::vector<Extent> extents;
  for (const Point& point : map.points()) {
    if (point.address.area == area) extents.push_back(extent_of(point));
  }
  std::sort(extents.begin(), extents.end(),
            [](const Extent& a, const Extent& b) { return a.first < b.first; });
  for (const Extent& extent : extents) {
    if (!runs.empty() && extent.first <= runs.back().end) {
      runs.back().end = std::max(runs.back().end, extent.end);
    } else {
      runs.push_back(extent);
    }
  }
  return runs;
}

}  // namespace

std::vector<ProbeBlock> function_blocks(const model::RegisterMap* map) {
  std::vector<ProbeBlock> out;
  for (const Area area : areas_by_function) {
    ProbeBlock block{area, 0, 1};
    const Point* lowest = nullptr;
    for (const Point& point : map != nullptr ? map->points() : std::vector<Point>()) {
      if (point.address.area != area || point.access == model::Access::write) continue;
      if (lowest == nullptr || extent_of(point).first < block.first) {
        lowest = &point;
        block.first = extent_of(point).first;
        block.count = extent_of(point).end - block.first;
      }
    }
    out.push_back(block);
  }
  return out;
}

std::vector<FunctionAnswer> probe_functions(PoliteDevice& device, const model::RegisterMap* map) {
  std::vector<FunctionAnswer> out;
  for (const ProbeBlock& block : function_blocks(map)) {
    FunctionAnswer answer{block.area, block, device.ask(block), {}};
    if (answer.answer.is_good() || answer.answer.is_refusal())
      answer.implemented = answer.answer.is_good() || answer.answer.exception != 1;
    out.push_back(std::move(answer));
  }
  return out;
}

std::vector<HoleAnswer> hole_blocks(const model::RegisterMap& map) {
  std::vector<HoleAnswer> out;
  for (const Area area : areas_by_function) {
    const std::vector<Extent> runs = runs_of(map, area);
    if (runs.empty()) continue;
    for (std::size_t r = 1; r < runs.size() && r <= most_gaps; ++r) {
      const std::uint32_t count = runs[r].first - runs[r - 1].end;
      out.push_back({{area, runs[r - 1].end, std::min(count, most_of(area))}, false, {}});
    }
    if (runs.front().first > 0) out.push_back({{area, runs.front().first - 1, 1}, true, {}});
    if (runs.back().end < model::addresses_per_area)
      out.push_back({{area, runs.back().end, 1}, true, {}});
  }
  return out;
}

std::vector<HoleAnswer> probe_holes(PoliteDevice& device, const model::RegisterMap& map) {
  std::vector<HoleAnswer> out = hole_blocks(map);
  for (HoleAnswer& hole : out) hole.answer = device.ask(hole.block);
  return out;
}

std::optional<model::Holes> holes_shown(const std::vector<HoleAnswer>& answers) {
  std::size_t answered = 0;
  std::size_t refused = 0;
  std::size_t inside = 0;
  for (const HoleAnswer& hole : answers) {
    if (hole.is_edge) continue;
    ++inside;
    if (hole.answer.is_good()) ++answered;
    // a quantity that is too large (3) says nothing of addresses
    if (hole.answer.is_refusal() && hole.answer.exception == 2) ++refused;
  }
  if (inside == 0) return std::nullopt;
  if (answered == inside) return model::Holes::zero;
  if (refused == inside) return model::Holes::refuse;
  return std::nullopt;
}

std::vector<ProbeBlock> length_blocks(Area area, std::uint32_t first) {
  static constexpr std::array<std::uint32_t, 26> of_registers{1,  2,  4,  5,  6,  8,   10,  12, 14,
                                                              15, 16, 20, 24, 25, 30,  32,  40, 48,
                                                              50, 60, 64, 80, 96, 100, 120, 125};
  static constexpr std::array<std::uint32_t, 14> of_bits{1,   8,   16,  32,   64,   100,  125,
                                                         128, 256, 512, 1000, 1024, 1968, 2000};
  std::vector<ProbeBlock> out;
  const auto add = [&](std::uint32_t count) {
    if (first + count <= model::addresses_per_area) out.push_back({area, first, count});
  };
  if (is_bit_area(area)) {
    for (const std::uint32_t count : of_bits) add(count);
  } else {
    for (const std::uint32_t count : of_registers) add(count);
  }
  return out;
}

LengthAnswer probe_length(PoliteDevice& device, Area area, std::uint32_t first) {
  LengthAnswer out;
  out.block = {area, first, 0};
  const std::vector<ProbeBlock> blocks = length_blocks(area, first);
  if (blocks.empty() || !device.ask(blocks.front()).is_good()) return out;
  // the longest first: most devices take it, and that is the end of it
  std::size_t good = 0;
  std::size_t refused = blocks.size();
  for (std::size_t at = blocks.size() - 1; good + 1 < refused;) {
    const ProbeAnswer answer = device.ask(blocks[at]);
    if (answer.is_good()) {
      good = at;
    } else if (answer.is_refusal()) {
      refused = at;
      auto& why = answer.exception == 3 ? out.refused : out.beyond;
      why = std::min(why.value_or(blocks[at].count), blocks[at].count);
    } else {
      break;  // no answer says nothing of lengths
    }
    at = good + (refused - good) / 2;
  }
  out.block = blocks[good];
  out.is_standards = out.block.count == most_of(area);
  return out;
}

TimesAnswer probe_times(PoliteDevice& device, const ProbeBlock& block, std::size_t times) {
  TimesAnswer out;
  for (std::size_t i = 0; i < times && !device.gave_up(); ++i) {
    const ProbeAnswer answer = device.ask_again(block);
    ++out.asked;
    if (answer.is_good()) out.durations.push_back(answer.took);
  }
  std::sort(out.durations.begin(), out.durations.end());
  return out;
}

}  // namespace greymet::engine
