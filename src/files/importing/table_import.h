// One table of a maker, row by row, as a map of ours. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <tl/expected.hpp>

#include "files/grid.h"
#include "files/map_import.h"
#include "headings.h"

namespace greymet::files::internal {

// The rows that hold the headings of a table.
struct HeadingRows {
  std::size_t first = 0;
  std::size_t count = 1;  // two where they stand above each other
  std::vector<Heading> headings;
  std::vector<std::string> texts;
  std::size_t known = 0;  // different columns among them
};
// The rows in which most headings are known, among the first ones; nothing where fewer than two
// are.
[[nodiscard]] std::optional<HeadingRows> heading_rows_of(const Grid& grid, const OwnHeadings& own);

// Fails with what is missing, all of it at once.
[[nodiscard]] tl::expected<ImportedMap, FileError> import_table(const Grid& grid,
                                                                const HeadingRows& heading,
                                                                const Readings& readings);

}  // namespace greymet::files::internal
