// The rows of a maker's table, each as far as it says something by itself. Not for use outside this
// folder.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "address_cells.h"
#include "table_columns.h"
#include "value_cells.h"

namespace greymet::files::internal {

// A row that may become a point.
struct DraftRow {
  std::size_t row = 0;   // of the grid
  std::size_t line = 0;  // of the file
  std::string name;
  std::optional<AddressCell> address;
  std::optional<AddressCell> other_address;  // of a second column
  std::optional<TypeCell> type;
  std::string type_text;
  std::optional<Length> length;
  std::optional<std::uint32_t> bit;
  std::optional<model::Area> section;  // area that a title above names
  std::string names;                   // from rows below: "0=off; 1=on"
  std::string note;
  std::string trouble;  // why it is no point
};

// Rows of a table, and what is none.
struct DraftTable {
  std::vector<DraftRow> rows;
  std::vector<std::string> titles;    // lines of titles inside the table
  std::vector<std::string> repeated;  // lines of headings that stand there again
  std::vector<std::string> unused;    // lines that are neither
};
[[nodiscard]] DraftTable draft_rows(const Grid& grid, const ColumnsOfTable& columns);

}  // namespace greymet::files::internal
