#include "workbook_diff.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/utf8_text.h"

namespace greymet::exports {
namespace {

std::string brief(const std::string& text) {
  constexpr std::size_t most = 60;
  return model::shortened(model::shown(text), most);
}

// 27 -> "AB"
std::string column_name(std::size_t column) {
  std::string name;
  for (std::size_t rest = column + 1; rest > 0; rest = (rest - 1) / 26) {
    name.insert(name.begin(), static_cast<char>('A' + (rest - 1) % 26));
  }
  return name;
}

std::string cell_at(const files::Sheet& sheet, std::size_t row, std::size_t column) {
  return row < sheet.rows.size() && column < sheet.rows[row].size() ? sheet.rows[row][column]
                                                                    : std::string();
}

std::optional<std::string> first_other_cell(const files::Sheet& expected,
                                            const files::Sheet& found) {
  const std::size_t rows = std::max(expected.rows.size(), found.rows.size());
  for (std::size_t r = 0; r < rows; ++r) {
    std::size_t columns = 0;
    for (const files::Sheet* sheet : {&expected, &found}) {
      if (r < sheet->rows.size()) columns = std::max(columns, sheet->rows[r].size());
    }
    for (std::size_t c = 0; c < columns; ++c) {
      const std::string wanted = cell_at(expected, r, c);
      const std::string got = cell_at(found, r, c);
      if (wanted == got) continue;
      return fmt::format("sheet {}, {}{}: expected '{}', found '{}'", brief(expected.name),
                         column_name(c), r + 1, brief(wanted), brief(got));
    }
  }
  return std::nullopt;
}

}  // namespace

std::optional<std::string> first_other_cell(const std::vector<files::Sheet>& expected,
                                            const std::vector<files::Sheet>& found) {
  const auto named = [](const std::vector<files::Sheet>& sheets, const std::string& name) {
    return std::find_if(sheets.begin(), sheets.end(),
                        [&](const files::Sheet& sheet) { return sheet.name == name; });
  };
  for (const files::Sheet& sheet : expected) {
    const auto theirs = named(found, sheet.name);
    if (theirs == found.end()) return "without sheet " + brief(sheet.name);
    if (auto other = first_other_cell(sheet, *theirs)) return other;
  }
  for (const files::Sheet& sheet : found) {
    if (named(expected, sheet.name) == expected.end()) {
      return "one more sheet, " + brief(sheet.name);
    }
  }
  return std::nullopt;
}

}  // namespace greymet::exports
