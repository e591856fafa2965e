#include "cli/wire_files.h"

#include <charconv>

#include "engine/agenda.h"
#include "files/endpoints_json.h"
#include "files/output_folder.h"
#include "model/duration_text.h"

namespace greymet::cli {

tl::expected<model::Duration, std::string> run_length(const std::string& text) {
  if (text.empty()) return engine::never;
  const auto time = model::parse_duration(text);
  if (time && *time > model::Duration{}) return *time;
  return tl::unexpected(
      fmt::format("--duration takes a time such as 60s; found '{}'", text.substr(0, 40)));
}

timing::Durations durations_named(const std::string& name) {
  if (name == "longest") return timing::Durations::longest;
  return name == "random" ? timing::Durations::random : timing::Durations::typical;
}

tl::expected<std::optional<files::RequestLog>, files::FileError> begin_log(
    const OutputOptions& output, const model::ResolvedPlan& plan, files::OnSlowDisk on_slow_disk) {
  if (output.out.empty()) return std::optional<files::RequestLog>();
  auto folder = files::OutputFolder::open(output.out, output.force);
  if (!folder) return tl::unexpected(folder.error());
  auto log = files::RequestLog::begin(*folder, "log.csv", plan, on_slow_disk);
  if (!log) return tl::unexpected(log.error());
  return std::optional(std::move(*log));
}

int finish_log(std::optional<files::RequestLog>& log, int status, const Terminal& terminal) {
  if (!log) return status;
  const auto failure = log->finish();
  tell_failure(log, terminal);
  return failure ? exit_unreachable : status;
}

void tell_failure(std::optional<files::RequestLog>& log, const Terminal& terminal) {
  if (!log) return;
  const auto failure = log->new_failure();
  if (failure) unreachable(terminal, failure->message + "; the log ends here, the rest goes on");
}

std::string odd_wires_text(const std::vector<engine::OddWire>& wires) {
  std::string text;
  for (const engine::OddWire& wire : wires) {
    std::string list;
    for (const engine::Oddity oddity : engine::all_oddities()) {
      const std::uint64_t count = wire.counts.of(oddity);
      if (count == 0) continue;
      list += fmt::format("{}{} x {}", list.empty() ? "" : ", ", count, to_string(oddity));
    }
    text += fmt::format("besides answers, on {}: {}\n", shown(wire.name), list);
  }
  return text;
}

tl::expected<double, std::string> share_from(std::string_view option, const std::string& text) {
  double percent = 0;
  const char* begin = text.data();
  const char* end = begin + text.size();
  const auto [rest, error] = std::from_chars(begin, end, percent);
  std::string_view unit(rest, static_cast<std::size_t>(end - rest));
  while (unit.starts_with(' ')) unit.remove_prefix(1);
  constexpr double whole = 100;
  if (error != std::errc() || unit != "%" || !(percent >= 0 && percent <= whole)) {
    return tl::unexpected(fmt::format("--{} is '{}'; write a share of all requests, as 1%", option,
                                      shown(text.substr(0, 20))));
  }
  return percent / whole;
}

std::optional<figures::TimeWindow> window_from(const std::string& text) {
  const std::size_t dots = text.find("..");
  if (dots == std::string::npos) return std::nullopt;
  const auto from = model::parse_duration(text.substr(0, dots));
  const auto until = model::parse_duration(text.substr(dots + 2));
  if (!from || !until || *from >= *until || *from < model::Duration{}) return std::nullopt;
  return figures::TimeWindow{*from, *until};
}

std::optional<live::Endpoints> read_endpoints_file(const std::string& path,
                                                   const model::ResolvedPlan& plan,
                                                   const Terminal& terminal) {
  const auto text = files::disk_files()(path, files::largest_map);
  if (!text) {
    terminal.err << fmt::format("greymet: {}: {}\n", shown(path), shown(text.error().message));
    return std::nullopt;
  }
  const auto table = files::read_endpoints(*text, plan);
  if (!table) {
    print_table_findings(path, table.error(), terminal);
    return std::nullopt;
  }
  live::Endpoints out;
  out.lines = table->lines;
  out.tcp = table->tcp;
  return out;
}

int unreachable(const Terminal& terminal, std::string_view message) {
  terminal.err << fmt::format("greymet: {}\n", shown(message));
  return exit_unreachable;
}

void print_table_findings(const std::string& path, const model::Findings& findings,
                          const Terminal& terminal) {
  constexpr std::size_t most = 20;
  for (std::size_t i = 0; i < findings.size() && i < most; ++i) {
    const model::Finding& f = findings[i];
    terminal.err << fmt::format("{}:{}:{}: error: {}\n", shown(path), f.place.line, f.place.column,
                                shown(f.message));
    std::string remedy = f.remedy;
    if (remedy.empty() && !f.fixes.empty()) {
      remedy = fmt::format("write {}", f.fixes.front().edits.front().text);
    }
    if (!remedy.empty()) terminal.err << fmt::format("       = fix: {}\n", shown(remedy));
  }
  if (findings.size() > most) {
    terminal.err << fmt::format("greymet: and {} more\n", findings.size() - most);
  }
}

}  // namespace greymet::cli
