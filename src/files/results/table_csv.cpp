#include "files/table_csv.h"

#include "files/csv_text.h"

namespace greymet::files {

std::string table_csv(const tables::Table& table, const std::pair<std::string, std::string>& last) {
  CsvWriter out;
  std::vector<std::string> cells;
  for (const tables::Column& column : table.columns) cells.emplace_back(column.key);
  if (!last.first.empty()) cells.push_back(last.first);
  out.row(cells);
  for (const tables::Row& row : table.rows) {
    cells.clear();
    for (const tables::Cell& cell : row.cells) cells.push_back(tables::plain_text(cell));
    if (!last.first.empty()) cells.push_back(last.second);
    out.row(cells);
  }
  return out.take();
}

}  // namespace greymet::files
