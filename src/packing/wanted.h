// Wants gathered per controller, slave and area. Not for use outside this folder.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "model/resolved_plan.h"
#include "packing/pack.h"
#include "packing/partition.h"

namespace greymet::packing::internal {

// What lies in one unit.
struct WantedUnit {
  Unit unit;
  std::vector<const model::Point*> points;  // wanted ones
  std::size_t want = 0;                     // the first that wants it
};

// All that one controller wants of one area of one slave, with one loss and to one place, by
// address.
struct WantedArea {
  std::size_t controller = 0;
  std::size_t slave = 0;
  model::Area area = model::Area::holding_register;
  std::vector<WantedUnit> units;
  std::uint32_t most = 0;  // registers or bits in one request
  std::vector<std::size_t> wants;
};

// The same whatever the wants say of loss and place.
struct MergedArea {
  WantedArea area;
  std::vector<std::size_t> parts;  // into the areas
};
[[nodiscard]] std::vector<MergedArea> merged_areas(const model::ResolvedPlan& resolved,
                                                   const std::vector<WantedArea>& areas);

[[nodiscard]] std::vector<WantedArea> wanted_areas(const model::ResolvedPlan& resolved,
                                                   std::vector<PackProblem>& problems);

}  // namespace greymet::packing::internal
