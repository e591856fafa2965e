// What differs between two register maps, as a table.
#pragma once

#include <string>
#include <vector>

#include "model/map_changes.h"
#include "tables/table.h"

namespace greymet::tables {

// One difference, and who of a plan uses the point.
struct MapChangeRow {
  model::MapChange change;
  std::vector<std::string> users;
};

[[nodiscard]] Table map_changes_table(const std::vector<MapChangeRow>& rows);

}  // namespace greymet::tables
