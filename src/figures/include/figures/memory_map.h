// The memory map: what lies where in a controller or a slave.
#pragma once

#include <string>
#include <vector>

#include "figures/gnuplot.h"

namespace greymet::model {
struct ControllerMemory;
struct ResolvedPlan;
struct SlaveMemory;
}  // namespace greymet::model

namespace greymet::figures {

// What a box of the map stands for; drawn in this order, the last on top.
enum class MapPart : std::uint8_t { listed, exposed, read, written, overlap, copied, signals };

// One box: words, registers or bits [from, to) of a row.
struct MapBox {
  std::size_t row = 0;
  double from = 0;
  double to = 0;
  MapPart part = MapPart::read;
  std::string label;  // shown where there is room
};

// The figure as data, ready to be drawn or tested. Long stores are folded into rows; rows in which
// nothing lies are left out.
struct MemoryMap {
  std::string title;
  std::string subtitle;
  std::string axis;
  std::vector<std::string> rows;  // the row's first address, top first
  std::vector<MapBox> boxes;
  std::int64_t per_row = 0;  // words, registers or bits
};

[[nodiscard]] MemoryMap memory_map_of(const model::ResolvedPlan& resolved,
                                      const model::ControllerMemory& memory);
[[nodiscard]] MemoryMap memory_map_of(const model::ResolvedPlan& resolved,
                                      const model::SlaveMemory& memory);

[[nodiscard]] std::string memory_map_script(const MemoryMap& map, PictureFormat format);

}  // namespace greymet::figures
