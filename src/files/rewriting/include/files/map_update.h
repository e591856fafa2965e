// A register map brought up to a newer revision of its manual, with what people added to it.
#pragma once

#include <cstddef>
#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "model/address.h"
#include "model/map_changes.h"

namespace greymet::files {

// `csv` says what the new table says, row by row in its order, but: a point that has another name
// there keeps its own, as the plan knows it by that; cells that the new table leaves empty or has
// no column for (notes, names of values, word orders, columns of one's own) stay as they were.
struct MapUpdate {
  std::string csv;
  std::vector<model::MapChange> changes;  // from the map as it is to what is written
  std::vector<model::MapChange> renamed;  // in the new table; the names stay
  std::size_t same = 0;                   // points that stay as they were
};

// `old_csv` counts as its slave's `numbering` says, and so does the result; `new_csv` counts as
// `new_numbering`. The error is one line: a map that has errors of its own.
[[nodiscard]] tl::expected<MapUpdate, std::string> updated_map(const std::string& old_csv,
                                                               model::Numbering numbering,
                                                               const std::string& new_csv,
                                                               model::Numbering new_numbering);

}  // namespace greymet::files
