// Workbooks held against each other by what stands in their cells, whoever saved them. Not for use
// outside this folder.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "files/map_import.h"

namespace greymet::exports {

// The first cell that differs: "sheet points, C12: expected '3', found '4'"; nothing where none
// does.
[[nodiscard]] std::optional<std::string> first_other_cell(const std::vector<files::Sheet>& expected,
                                                          const std::vector<files::Sheet>& found);

}  // namespace greymet::exports
