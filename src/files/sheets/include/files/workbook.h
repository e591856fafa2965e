// Workbooks as texts of cells.
#pragma once

#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "files/file_source.h"

namespace greymet::files {

// The texts of a sheet, row by row; rows and cells that are empty are kept up to the last one that
// is not.
struct Sheet {
  std::string name;
  std::vector<std::vector<std::string>> rows;
};
// All sheets of a workbook (ECMA-376, parts 1 and 2). Never more than most_rows rows and most_cells
// cells.
[[nodiscard]] tl::expected<std::vector<Sheet>, FileError> read_workbook(const std::string& content);

}  // namespace greymet::files
