// Either kind of workbook as grids.
#include <utility>

#include "files/grid.h"
#include "files/workbook.h"

namespace greymet::files::internal {

tl::expected<std::vector<Grid>, FileError> grids_of_archive(const std::string& archive) {
  // the one name that the files of an OpenDocument archive cannot do without
  if (archive.find("content.xml") != std::string::npos) return grids_of_ods(archive);
  auto sheets = read_workbook(archive);
  if (!sheets) return tl::unexpected(sheets.error());
  std::vector<Grid> grids;
  grids.reserve(sheets->size());
  for (Sheet& sheet : *sheets) {
    Grid grid;
    grid.name = std::move(sheet.name);
    grid.rows = std::move(sheet.rows);
    grid.of_numbers = true;
    grid.lines.reserve(grid.rows.size());
    for (std::size_t r = 0; r < grid.rows.size(); ++r) grid.lines.push_back(r + 1);
    grids.push_back(std::move(grid));
  }
  return grids;
}

}  // namespace greymet::files::internal
