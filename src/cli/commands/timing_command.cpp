#include <algorithm>
#include <memory>
#include <set>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/wire_files.h"
#include "figures/heartbeat_chart.h"
#include "figures/path_histogram.h"
#include "figures/response_chart.h"
#include "figures/stall_matrix.h"
#include "figures/timeline.h"
#include "figures/use_chart.h"
#include "files/result_json.h"
#include "line/command_line.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "tables/timing_tables.h"
#include "timing/why.h"

namespace greymet::cli {
namespace {

void draw(const model::ResolvedPlan& plan, const timing::TimingReport& report,
          const std::optional<figures::TimeWindow>& window, ResultWriter& writer) {
  writer.draw("use", [&](auto format) { return figures::use_script(report, format); });
  for (const timing::LineReport& line : report.lines) {
    const auto figure = figures::timeline_of(plan, report, line, window);
    if (figure) {
      writer.draw("timeline-" + line.name,
                  [&](auto format) { return figures::timeline_script(*figure, format); });
    }
    const auto responses = figures::response_chart_of(line);
    if (responses.rows.empty()) continue;
    writer.draw("responses-" + line.name,
                [&](auto format) { return figures::response_script(responses, format); });
  }
  for (const figures::StallMatrix& matrix : figures::stall_matrices(plan, report)) {
    writer.draw("stalls-" + matrix.name,
                [&](auto format) { return figures::stall_matrix_script(matrix, format); });
  }
  for (std::size_t h = 0; h < report.heartbeats.size(); ++h) {
    if (report.heartbeat_runs[h].trace.transfers.empty()) continue;
    writer.draw("heartbeat-" + report.heartbeats[h].name,
                [&](auto format) { return figures::heartbeat_script(report, h, format); });
  }
  for (const timing::PathReport& path : report.paths) {
    if (!path.ages) continue;
    writer.draw("path-" + path.name,
                [&](auto format) { return figures::path_histogram_script(path, format); });
  }
}

std::optional<timing::JobRef> job_named(const model::ResolvedPlan& plan,
                                        const timing::TimingReport& report,
                                        const std::string& name) {
  for (std::size_t q = 0; q < report.model.queues.size(); ++q) {
    const auto& jobs = report.model.queues[q].jobs;
    for (std::size_t j = 0; j < jobs.size(); ++j) {
      if (plan.transaction_name(jobs[j].transaction) == name) {
        return timing::JobRef{q, j};
      }
    }
  }
  return std::nullopt;
}

int explain_bound(const TimingOptions& options, const model::ResolvedPlan& plan,
                  const Terminal& terminal) {
  std::vector<std::string_view> names;
  for (const model::ResolvedTransaction& t : plan.transactions) {
    names.emplace_back(plan.declared(t).name);
  }
  if (std::find(names.begin(), names.end(), options.why) == names.end()) {
    return usage_error(terminal,
                       fmt::format("the plan has no transaction '{}'{}", options.why.substr(0, 60),
                                   shown(model::nearest_or_example(options.why, names))));
  }
  const timing::TimingReport report = timing::analyse_longest(plan, {});
  const auto job = job_named(plan, report, options.why);
  const auto why = job ? timing::why(report, *job) : std::nullopt;
  if (!why) {
    terminal.err << fmt::format(
        "greymet: nothing bounds the response of {}: it runs continuously, or its line is not "
        "complete\n",
        shown(options.why));
    return exit_findings;
  }
  auto writer =
      print_results(options.output,
                    {"why", [&] { return files::why_json(plan, report, *why); },
                     [&](const Terminal& on) { return why_text(plan, report, *why, on); },
                     [&] {
                       const bool in_phase = why->proof == timing::BoundProof::busy_period;
                       return std::vector<tables::Table>{tables::shares_table(
                           plan, report, in_phase ? why->in_phase_shares : why->any_phase_shares)};
                     }},
                    terminal);
  return writer ? writer->finish() : exit_fine;
}

// The report of one line alone; heartbeats and paths cross lines and are left out. False where
// there is no such line.
bool keep_line(const std::string& name, timing::TimingReport& report) {
  std::set<std::size_t> queues;
  std::erase_if(report.lines, [&](const timing::LineReport& line) {
    if (line.name == name && line.queue) queues.insert(*line.queue);
    return line.name != name;
  });
  report.heartbeats.clear();
  report.heartbeat_runs.clear();
  report.paths.clear();
  std::erase_if(report.silence.cases, [&](const timing::SilentCase& silent) {
    return !silent.stall ||
           std::none_of(report.stalls.stalls[*silent.stall].failing.begin(),
                        report.stalls.stalls[*silent.stall].failing.end(),
                        [&](const auto& f) { return queues.contains(f.job.queue); });
  });
  return !report.lines.empty();
}

// The line of a slave of that name.
std::optional<std::string> line_of_slave(const model::ResolvedPlan& plan, const std::string& name) {
  for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
    const auto line = plan.slave_line[model::SlaveIndex(s)];
    if (plan.plan.slaves[s].name == name && line) return plan.plan.lines[line->value].name;
  }
  return std::nullopt;
}

}  // namespace

int run_timing(const TimingOptions& options, const Terminal& terminal) {
  std::optional<figures::TimeWindow> window;
  if (!options.window.empty()) {
    window = window_from(options.window);
    if (!window || options.output.out.empty()) {
      terminal.err << (window ? "greymet: --window is for the timelines of -o; see greymet timing "
                                "--help\n"
                              : "greymet: --window takes two instants such as 200ms..600ms; see "
                                "greymet timing --help\n");
      return exit_usage;
    }
  }
  UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  if (const auto refused = take_measured(options.measured, usable.loaded, terminal)) {
    return *refused;
  }
  const model::ResolvedPlan& plan = usable.loaded.plan;
  if (!options.why.empty()) return explain_bound(options, plan, terminal);
  timing::TimingReport report;
  {
    ProgressBar bar(terminal, "simulating");
    timing::AnalysisOptions analysis;
    analysis.trace_length = window ? figures::services_in_window : figures::services_drawn;
    if (window) analysis.trace_from = window->from;
    analysis.frame_error_rate = options.frame_errors;
    analysis.silence.pairs = options.pairs;
    analysis.progress = bar.sink();
    report = timing::analyse(plan, analysis);
  }
  if (!options.line.empty()) {
    std::vector<std::string> names;
    for (const auto& line : report.lines) names.push_back(line.name);
    if (!keep_line(options.line, report)) {
      if (const auto line = line_of_slave(plan, options.line)) {
        return usage_error(terminal, fmt::format("{} is a slave on line {}: write {}",
                                                 shown(options.line), shown(*line), shown(*line)));
      }
      const std::vector<std::string_view> known(names.begin(), names.end());
      return usage_error(terminal,
                         fmt::format("the plan has no line '{}'{}", options.line.substr(0, 60),
                                     shown(model::nearest_or_example(options.line, known))));
    }
  }
  auto writer = print_results(
      options.output,
      {"timing", [&] { return files::timing_json(plan, report); },
       [&](const Terminal& on) {
         return timing_text(plan, report, on, options.legend) + measured_text(plan, on);
       },
       [&] {
         return std::vector<tables::Table>{
             tables::timing_table(report),     tables::lines_table(report),
             tables::heartbeats_table(report), tables::paths_table(report),
             tables::tag_ages_table(report),   tables::silent_slaves_table(plan, report)};
       }},
      terminal);
  if (!writer) return exit_fine;
  draw(plan, report, window, *writer);
  return writer->finish();
}

Action declare_timing(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<TimingOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command.add_option("NAME", options->line, "one line or connection; all if left out");
  command
      .add_option("--frame-errors", options->frame_errors,
                  "share of frames lost or damaged, e.g. 1e-4: how often heartbeats then trip")
      ->check(number_like("0.0001"))
      ->check(CLI::Range(0.0, 0.5));
  command.add_flag("--pairs", options->pairs, "also simulate every two silent slaves of a line");
  command.add_flag("--legend", options->legend, "say what each column is");
  command.add_option("--window", options->window,
                     "what the timelines of -o show, e.g. 200ms..600ms of plant time");
  command.add_option("--why", options->why,
                     "how the bound of one transaction is made up, and what came closest to it");
  add_measured(command, options->measured);
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_timing(*options, terminal); };
}

}  // namespace greymet::cli
