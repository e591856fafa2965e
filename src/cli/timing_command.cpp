#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "figures/timeline.h"
#include "files/output_folder.h"
#include "files/result_json.h"

namespace greymet::cli {
namespace {

// Names of lines become names of files.
std::string file_name(std::string_view name) {
  std::string out;
  for (char c : name) {
    const bool plain = (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || (c >= '0' && c <= '9') ||
                       c == '-' || c == '_';
    if (plain) {
      out += c;
    } else if (!out.empty() && out.back() != '-') {
      out += '-';
    }
  }
  while (out.ends_with('-')) out.pop_back();
  return out.empty() ? "line" : out;
}

// Writes one result and says where; false after printing why not.
bool write_result(files::OutputFolder& folder, const std::string& name, std::string_view content,
                  const Terminal& terminal) {
  const auto done = folder.write(name, content);
  if (!done) {
    terminal.err << fmt::format("greymet: {}\n", done.error().message);
    return false;
  }
  terminal.out << fmt::format("wrote {}/{}\n", folder.path(), name);
  return true;
}

bool write_timelines(files::OutputFolder& folder, const model::ResolvedPlan& plan,
                     const timing::TimingReport& report, const Terminal& terminal) {
  std::map<std::string, int> used;
  for (const timing::LineReport& line : report.lines) {
    const auto figure = figures::timeline_of(plan, report, line);
    if (!figure) continue;
    std::string name = "timeline-" + file_name(line.name);
    const int same = ++used[name];
    if (same > 1) name += fmt::format("-{}", same);
    for (const auto format : {figures::PictureFormat::svg, figures::PictureFormat::png}) {
      const auto picture = figures::render(figures::timeline_script(*figure, format));
      if (!picture) {
        terminal.err << fmt::format("greymet: {}: {}\n", name, picture.error());
        return false;
      }
      if (!write_result(folder, name + std::string(figures::extension(format)), *picture,
                        terminal)) {
        return false;
      }
    }
  }
  return true;
}

}  // namespace

int run_timing(const TimingOptions& options, const Terminal& terminal) {
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  timing::TimingReport report;
  {
    ProgressBar bar(terminal, "simulating");
    report = timing::analyse(plan, figures::services_drawn, bar.sink());
  }
  const bool json = options.format == "json";
  const std::string document = json || !options.out.empty() ? files::timing_json(plan, report) : "";
  terminal.out << (json ? document : timing_text(report, terminal));
  if (options.out.empty()) return exit_fine;
  auto folder = files::OutputFolder::open(options.out, options.force);
  if (!folder) {
    terminal.err << fmt::format("greymet: {}\n", folder.error().message);
    return exit_unreachable;
  }
  // With --json stdout holds one document alone: what was written is then said on stderr.
  const Terminal said =
      plain_terminal(json ? terminal.err : terminal.out, terminal.err, terminal.width);
  const Terminal plain = plain_terminal(terminal.out, terminal.err, 100);
  const bool written = write_result(*folder, "timing.json", document, said) &&
                       write_result(*folder, "timing.txt", timing_text(report, plain), said) &&
                       write_timelines(*folder, plan, report, said);
  return written ? exit_fine : exit_unreachable;
}

}  // namespace greymet::cli
