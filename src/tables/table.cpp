#include "tables/table.h"

#include <algorithm>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "model/duration_text.h"

namespace greymet::tables {

Cell whole(std::uint64_t value) {
  return static_cast<std::int64_t>(value);
}

Cell text(std::string_view value) {
  return value.empty() ? Cell() : Cell(std::string(value));
}

std::vector<bool> columns_with_values(const Table& table) {
  std::vector<bool> used(table.columns.size(), false);
  for (const Row& row : table.rows) {
    for (std::size_t c = 0; c < row.cells.size(); ++c) {
      const auto* words = std::get_if<Words>(&row.cells[c]);
      const auto* said = std::get_if<std::string>(&row.cells[c]);
      const bool empty = row.cells[c].index() == 0 || (words != nullptr && words->empty()) ||
                         (said != nullptr && said->empty());
      used[c] = used[c] || !empty;
    }
  }
  return used;
}

std::vector<std::size_t> take_out_lightest(const Table& table, std::vector<std::size_t>& columns,
                                           const std::vector<std::size_t>& widths,
                                           std::size_t room) {
  std::size_t width = 0;
  for (const std::size_t c : columns) width += widths[c];
  std::vector<std::size_t> out;
  while (width > room && !columns.empty()) {
    const auto lightest =
        std::min_element(columns.rbegin(), columns.rend(), [&](std::size_t a, std::size_t b) {
          return table.columns[a].weight < table.columns[b].weight;
        });
    if (table.columns[*lightest].weight >= always) break;
    width -= widths[*lightest];
    out.push_back(*lightest);
    columns.erase(std::next(lightest).base());
  }
  std::sort(out.begin(), out.end());
  return out;
}

std::vector<std::size_t> group_starts(const Table& table) {
  std::vector<std::size_t> starts;
  for (std::size_t r = 0; r < table.rows.size(); ++r) {
    bool begins = r == 0;
    for (std::size_t c = 0; !begins && c < table.columns.size(); ++c) {
      begins = table.columns[c].outer && table.rows[r].cells[c] != table.rows[r - 1].cells[c];
    }
    if (begins) starts.push_back(r);
  }
  return starts;
}

std::string heading_of(const Column& column) {
  const std::string_view unit = column.kind == Kind::duration ? "ms" : column.unit;
  return unit.empty() ? std::string(column.heading) : fmt::format("{} {}", column.heading, unit);
}

std::string plain_text(const Cell& cell) {
  struct Text {
    std::string operator()(std::monostate /*nothing*/) const { return {}; }
    std::string operator()(bool value) const { return value ? "true" : "false"; }
    std::string operator()(std::int64_t value) const { return fmt::format("{}", value); }
    std::string operator()(double value) const { return fmt::format("{}", value); }
    std::string operator()(Duration value) const { return fmt::format("{}", model::to_ms(value)); }
    std::string operator()(const std::string& value) const { return value; }
    std::string operator()(const Words& value) const {
      return fmt::format("{}", fmt::join(value, "; "));
    }
    std::string operator()(const State& value) const { return value.word; }
  };
  return std::visit(Text{}, cell);
}

}  // namespace greymet::tables
