// What commands that go to the wire have in common: small files, times, the log.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "engine/stage.h"
#include "figures/timeline.h"
#include "files/file_source.h"
#include "files/request_log.h"
#include "files/wire_tables.h"
#include "live/endpoints.h"
#include "timing/simulation.h"

namespace greymet::cli {

// The time of --duration: never ends where nothing was said. Fails with what is wrong.
[[nodiscard]] tl::expected<model::Duration, std::string> run_length(const std::string& text);
// "typical", "longest", "random"
[[nodiscard]] timing::Durations durations_named(const std::string& name);

// log.csv in the folder of -o; nothing where no folder was asked for.
[[nodiscard]] tl::expected<std::optional<files::RequestLog>, files::FileError> begin_log(
    const OutputOptions& output, const model::ResolvedPlan& plan, files::OnSlowDisk on_slow_disk);
// Says once that the log cannot be written any more, as soon as that is so.
void tell_failure(std::optional<files::RequestLog>& log, const Terminal& terminal);
// Writes what waits, and says what could not be written. `status`, or exit_unreachable.
[[nodiscard]] int finish_log(std::optional<files::RequestLog>& log, int status,
                             const Terminal& terminal);

// "1%", "0.5 %" of --OPTION: a share of all requests, 0 to 1. Fails with what is wrong.
[[nodiscard]] tl::expected<double, std::string> share_from(std::string_view option,
                                                           const std::string& text);

// Where lines and hosts are, as serve writes it; nothing after it has been said why.
[[nodiscard]] std::optional<live::Endpoints> read_endpoints_file(const std::string& path,
                                                                 const model::ResolvedPlan& plan,
                                                                 const Terminal& terminal);

// "besides answers, on north: 17 x bad checksum, 3 x the own request", a line a wire; empty where
// there was nothing.
[[nodiscard]] std::string odd_wires_text(const std::vector<engine::OddWire>& wires);

// "greymet: ..." for what a device, port or folder refused. Returns exit_unreachable.
int unreachable(const Terminal& terminal, std::string_view message);

// Prints what is wrong with a table: "faults.csv:2:5: error: row 2: ..." and the remedy.
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

// "200ms..600ms"; nothing where it is none, or empty.
[[nodiscard]] std::optional<figures::TimeWindow> window_from(const std::string& text);

}  // namespace greymet::cli
