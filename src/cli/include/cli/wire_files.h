// The small files of commands that go to the wire, read and refused in one way.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "files/file_source.h"
#include "files/wire_tables.h"

namespace greymet::cli {

// Prints what is wrong with a table: "faults.csv:2:5: error: row 1: ..." and the remedy.
void print_table_findings(const std::string& path, const model::Findings& findings,
                          const Terminal& terminal);

// The rows of the table at `path`; nothing after it has been said why, with the exit status.
template <class Row>
struct ReadTable {
  std::vector<Row> rows;
  std::optional<int> refused;
};
template <class Row, class Reader>
[[nodiscard]] ReadTable<Row> read_table(const std::string& path, const model::ResolvedPlan& plan,
                                        Reader reader, const Terminal& terminal) {
  ReadTable<Row> out;
  const auto text = files::disk_files()(path, files::largest_map);
  if (!text) {
    terminal.err << fmt::format("greymet: {}: {}\n", shown(path), shown(text.error().message));
    out.refused = exit_usage;
    return out;
  }
  auto rows = reader(*text, 0, plan);
  if (rows) {
    out.rows = std::move(*rows);
    return out;
  }
  print_table_findings(path, rows.error(), terminal);
  out.refused = exit_usage;
  return out;
}

}  // namespace greymet::cli
