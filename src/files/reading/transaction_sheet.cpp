#include "transaction_sheet.h"

#include <algorithm>
#include <array>
#include <optional>
#include <string_view>
#include <utility>
#include <vector>

#include "files/csv_text.h"
#include "files/grid.h"
#include "model/ascii_text.h"
#include "model/text_slips.h"
#include "transaction_columns.h"

namespace greymet::files::internal {

namespace {

constexpr std::size_t most_titles_above = 40;  // of titles and blanks before the headings

struct SheetColumn {
  std::string key;   // ours, or the heading as it is; empty: nothing stands there
  std::string unit;  // of its numbers, as the heading says
  std::optional<std::string> key_of_writes;  // where a row that sends has it instead
};

// "Period (ms)", "Cycle [s]": the heading without its unit, and the unit.
std::pair<std::string, std::string> without_unit(const std::string& heading) {
  const std::size_t open = heading.find_first_of("([");
  if (open == std::string::npos || open == 0) return {heading, {}};
  const std::size_t close = std::min(heading.find_first_of(")]", open), heading.size());
  const std::string unit =
      model::in_small_letters(model::trimmed(heading.substr(open + 1, close - open - 1)));
  static constexpr std::array<std::pair<std::string_view, std::string_view>, 6> units{
      {{"ms", "ms"}, {"msec", "ms"}, {"s", "s"}, {"sec", "s"}, {"min", "min"}, {"us", "us"}}};
  for (const auto& [text, ours] : units) {
    if (unit == text) return {heading.substr(0, open), std::string(ours)};
  }
  return {heading, {}};
}

SheetColumn column_from(const std::string& heading) {
  const std::string text(model::trimmed(heading));
  if (text.empty()) return {};
  if (!advice_on(text).empty()) return {"into", {}, "from"};
  if (const auto key = key_meant_by(text)) return {std::string(*key), {}, {}};
  const auto [bare, unit] = without_unit(text);
  const auto key = unit.empty() ? std::nullopt : key_meant_by(bare);
  if (key) return {std::string(*key), unit, {}};
  return {text, {}, {}};
}

// The columns of a row that names the three things without which none is a transaction.
std::optional<std::vector<SheetColumn>> columns_from(const std::vector<std::string>& row) {
  std::vector<SheetColumn> columns;
  columns.reserve(row.size());
  const auto has_key = [&](std::string_view key) {
    return std::any_of(columns.begin(), columns.end(),
                       [&](const SheetColumn& column) { return column.key == key; });
  };
  bool splits = false;
  for (const std::string& heading : row) {
    columns.push_back(column_from(heading));
    splits = splits || columns.back().key_of_writes;
  }
  // a column of its own for either goes before one for both
  if (splits && (has_key("from") ||
                 std::count_if(columns.begin(), columns.end(),
                               [](const SheetColumn& c) { return c.key == "into"; }) > 1)) {
    for (std::size_t c = 0; c < columns.size(); ++c) {
      if (columns[c].key_of_writes) columns[c] = {row[c], {}, {}};
    }
  }
  const bool whole = has_key("name") && has_key("slave") && has_key("fc");
  return whole ? std::optional(std::move(columns)) : std::nullopt;
}

bool sends(const std::string& function) {
  const std::string digits =
      function.substr(std::min(function.find_first_of("123456789"), function.size()));
  return digits == "5" || digits == "6" || digits == "15" || digits == "16" || digits == "22";
}

class SheetWriter {
 public:
  SheetWriter(const Grid& grid, std::size_t heading, std::vector<SheetColumn> columns)
      : grid_(grid), heading_(heading), columns_(std::move(columns)) {}

  std::string csv() {
    std::vector<std::string> keys;
    for (const SheetColumn& column : columns_) {
      if (column.key.empty()) continue;
      keys.push_back(column.key);
      if (column.key_of_writes) keys.push_back(*column.key_of_writes);
    }
    put(heading_, keys);
    for (std::size_t r = heading_ + 1; r < grid_.rows.size(); ++r) {
      auto cells = cells_of(grid_.rows[r]);
      const bool filled = std::any_of(cells.begin(), cells.end(),
                                      [](const std::string& cell) { return !cell.empty(); });
      if (filled) put(r, cells);
    }
    return std::move(text_);
  }

 private:
  [[nodiscard]] std::vector<std::string> cells_of(const std::vector<std::string>& row) const {
    const auto text_at = [&](std::size_t c) {
      std::string cell(c < row.size() ? model::trimmed(row[c]) : std::string_view());
      std::replace(cell.begin(), cell.end(), '\n', ' ');
      return cell;
    };
    bool writes = false;
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      if (columns_[c].key == "fc") writes = sends(text_at(c));
    }
    std::vector<std::string> cells;
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      const SheetColumn& column = columns_[c];
      if (column.key.empty()) continue;
      std::string cell = text_at(c);
      const bool number =
          !cell.empty() && cell.find_first_not_of("0123456789.") == std::string::npos;
      if (number) cell += column.unit;
      if (column.key_of_writes) {
        cells.push_back(writes ? std::string() : cell);
        cells.push_back(writes ? std::move(cell) : std::string());
      } else {
        cells.push_back(std::move(cell));
      }
    }
    return cells;
  }

  // In the line that its row in the sheet has.
  void put(std::size_t r, const std::vector<std::string>& cells) {
    for (; line_ < grid_.lines[r]; ++line_) text_ += '\n';
    CsvWriter out(CsvFor::storage);
    out.row(cells);
    text_ += out.take();
    ++line_;
  }

  const Grid& grid_;
  std::size_t heading_;
  std::vector<SheetColumn> columns_;
  std::size_t line_ = 1;
  std::string text_;
};

}  // namespace

tl::expected<std::string, FileError> transaction_table_of_workbook(const std::string& content) {
  const auto grids = grids_of_archive(content);
  if (!grids) return tl::unexpected(grids.error());
  for (const Grid& grid : *grids) {
    const std::size_t most = std::min(grid.rows.size(), most_titles_above);
    for (std::size_t r = 0; r < most; ++r) {
      if (auto columns = columns_from(grid.rows[r])) {
        return SheetWriter(grid, r, std::move(*columns)).csv();
      }
    }
  }
  return tl::unexpected(FileError{
      "no sheet has a row of headings for the name of a transaction, its slave and its function, "
      "such as Name, Slave, FC"});
}

}  // namespace greymet::files::internal
