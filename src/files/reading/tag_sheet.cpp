#include "files/tag_sheet.h"

#include <algorithm>
#include <array>
#include <string_view>
#include <utility>
#include <vector>

#include "files/csv_text.h"
#include "files/grid.h"
#include "model/text_slips.h"

namespace greymet::files {

using internal::Grid;

namespace {

// Headings by their bare words, and our name for the column.
constexpr std::array<std::pair<std::string_view, std::string_view>, 46> tag_headings{
    {{"tag", "tag"},
     {"name", "tag"},
     {"tagname", "tag"},
     {"variable", "tag"},
     {"variablename", "tag"},
     {"symbol", "tag"},
     {"symbolname", "tag"},
     {"symbolicname", "tag"},
     {"identifier", "tag"},
     {"bezeichner", "tag"},
     {"variablenname", "tag"},
     {"symbolischername", "tag"},
     {"address", "address"},
     {"addr", "address"},
     {"location", "address"},
     {"absoluteaddress", "address"},
     {"logicaladdress", "address"},
     {"memoryaddress", "address"},
     {"directaddress", "address"},
     {"operand", "address"},
     {"adresse", "address"},
     {"operandadresse", "address"},
     {"absolutadresse", "address"},
     {"type", "type"},
     {"datatype", "type"},
     {"dtype", "type"},
     {"iectype", "type"},
     {"variabletype", "type"},
     {"datentyp", "type"},
     {"typ", "type"},
     {"comment", "note"},
     {"description", "note"},
     {"note", "note"},
     {"remark", "note"},
     {"kommentar", "note"},
     {"beschreibung", "note"},
     {"bemerkung", "note"},
     {"unit", "unit"},
     {"einheit", "unit"},
     {"factor", "factor"},
     {"offset", "offset"},
     {"wordorder", "word_order"},
     {"from", "from"},
     {"to", "to"},
     {"maxage", "max_age"},
     {"faktor", "factor"}}};

constexpr std::size_t most_rows_before_headings = 40;

std::string_view tag_column_of(const std::string& heading) {
  const std::string bare = model::bare_word(heading);
  const auto found = std::find_if(tag_headings.begin(), tag_headings.end(),
                                  [&](const auto& each) { return each.first == bare; });
  return found == tag_headings.end() ? std::string_view() : found->second;
}

// Our columns of a row of headings, empty where it is none of ours or the second of its name.
std::vector<std::string_view> tag_columns_of(const std::vector<std::string>& row) {
  std::vector<std::string_view> columns;
  columns.reserve(row.size());
  for (const std::string& heading : row) {
    std::string_view column = tag_column_of(heading);
    if (std::find(columns.begin(), columns.end(), column) != columns.end()) column = {};
    columns.push_back(column);
  }
  return columns;
}

bool has_tag_column(const std::vector<std::string_view>& columns, std::string_view name) {
  return std::find(columns.begin(), columns.end(), name) != columns.end();
}

// One row as CSV.
std::string csv_line_of(const std::vector<std::string>& cells) {
  CsvWriter out(CsvFor::storage);
  out.row(cells);
  return out.take();
}

std::string csv_of_tags(const Grid& grid, std::size_t first,
                        const std::vector<std::string_view>& columns) {
  const auto address = static_cast<std::size_t>(
      std::find(columns.begin(), columns.end(), "address") - columns.begin());
  std::string text;
  std::size_t line = 1;
  for (std::size_t r = first; r < grid.rows.size(); ++r) {
    const std::vector<std::string>& row = grid.rows[r];
    const bool is_heading = r == first;
    if (!is_heading && (address >= row.size() || model::trimmed(row[address]).empty())) continue;
    // so that a line of it is a row of the sheet
    for (; line < grid.lines[r]; ++line) text += '\n';
    std::vector<std::string> cells;
    for (std::size_t c = 0; c < columns.size(); ++c) {
      if (columns[c].empty()) continue;
      std::string cell = is_heading       ? std::string(columns[c])
                         : c < row.size() ? row[c]
                                          : std::string();
      std::replace(cell.begin(), cell.end(), '\n', ' ');
      cells.push_back(std::move(cell));
    }
    text += csv_line_of(cells);
    ++line;
  }
  return text;
}

}  // namespace

bool looks_like_workbook(const std::string& content) {
  return content.starts_with("PK\x03\x04");
}

tl::expected<std::string, FileError> tag_table_of_workbook(const std::string& content) {
  const auto grids = internal::grids_of_archive(content);
  if (!grids) return tl::unexpected(grids.error());
  for (const Grid& grid : *grids) {
    const std::size_t most = std::min(grid.rows.size(), most_rows_before_headings);
    for (std::size_t r = 0; r < most; ++r) {
      const auto columns = tag_columns_of(grid.rows[r]);
      if (has_tag_column(columns, "tag") && has_tag_column(columns, "address") &&
          has_tag_column(columns, "type")) {
        return csv_of_tags(grid, r, columns);
      }
    }
  }
  return tl::unexpected(FileError{
      "no sheet has a row of headings for the variable, its address and its type, such as Name, "
      "Address, Data type"});
}

}  // namespace greymet::files
