#include "cli/commands.h"
#include "cli/print.h"
#include "cli/results.h"
#include "figures/stall_matrix.h"
#include "figures/timeline.h"
#include "files/result_json.h"

namespace greymet::cli {
int run_timing(const TimingOptions& options, const Terminal& terminal) {
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  timing::TimingReport report;
  {
    ProgressBar bar(terminal, "simulating");
    timing::AnalysisOptions analysis;
    analysis.trace_length = figures::services_drawn;
    analysis.frame_error_rate = options.frame_errors;
    analysis.silence.pairs = options.pairs;
    analysis.progress = bar.sink();
    report = timing::analyse(plan, analysis);
  }
  const bool json = options.format == "json";
  const std::string document = json || !options.out.empty() ? files::timing_json(plan, report) : "";
  terminal.out << (json ? document : timing_text(plan, report, terminal));
  if (options.out.empty()) return exit_fine;
  // With --json stdout holds one document alone: what was written is then said on stderr.
  const Terminal said =
      plain_terminal(json ? terminal.err : terminal.out, terminal.err, terminal.width);
  const Terminal plain = plain_terminal(terminal.out, terminal.err, 100);
  ResultWriter writer(options.out, options.force, said);
  writer.write("timing.json", document);
  writer.write("timing.txt", timing_text(plan, report, plain));
  for (const timing::LineReport& line : report.lines) {
    const auto figure = figures::timeline_of(plan, report, line);
    if (!figure) continue;
    writer.draw("timeline-" + line.name,
                [&](auto format) { return figures::timeline_script(*figure, format); });
  }
  for (const figures::StallMatrix& matrix : figures::stall_matrices(plan, report)) {
    writer.draw("stalls-" + matrix.name,
                [&](auto format) { return figures::stall_matrix_script(matrix, format); });
  }
  return writer.status();
}

}  // namespace greymet::cli
