// What stands in the cells of a workbook, whoever saved it. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>

namespace greymet::exports {

// Texts and numbers by sheet and cell ("C12"); empty cells are left out.
using WorkbookCells = std::map<std::string, std::map<std::string, std::string>>;

// The cells of an Office Open XML workbook (ISO/IEC 29500-1, 18.2 to 18.4): shared, inline and
// computed texts, numbers in their shortest form. Nothing where it is none, or a part is too large.
[[nodiscard]] std::optional<WorkbookCells> workbook_cells(std::string_view content);

// The first cell that differs: "sheet points, C12: expected '3', found '4'"; nothing where none
// does.
[[nodiscard]] std::optional<std::string> first_other_cell(const WorkbookCells& expected,
                                                          const WorkbookCells& found);

}  // namespace greymet::exports
