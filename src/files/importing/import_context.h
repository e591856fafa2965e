// What the parts of an import share: the table, the answers of a person, and what is said of it.
// Not for use outside this folder.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "draft_rows.h"
#include "files/map_import.h"
#include "table_columns.h"

namespace greymet::files::internal {

// Everything that it refers to outlives it.
struct ImportContext {
  const ColumnsOfTable& columns;
  const Readings& readings;
  DraftTable& table;
  ImportedMap& out;

  [[nodiscard]] std::optional<std::string> answer(std::string_view about) const {
    const auto at = readings.find(about);
    return at == readings.end() ? std::nullopt : std::optional(at->second);
  }
  // Of many samples the first few.
  void ask(std::string about, std::string text, std::vector<std::string> samples) const;
};

// The row is no point, and why; the first reason counts.
void refuse(DraftRow& row, std::string why);

// "line 4: Flow  0048", as questions show a row.
[[nodiscard]] std::string sample_of(const DraftRow& row, std::string_view cell);

// Functions that the row names, for both directions.
[[nodiscard]] std::vector<int> functions_of(const ColumnsOfTable& columns, const DraftRow& row);
// The area that its own cells, a title or the heading names; a reference says it too, and is not
// asked here.
[[nodiscard]] std::optional<model::Area> area_said(const ColumnsOfTable& columns,
                                                   const DraftRow& row);

}  // namespace greymet::files::internal
