#include <filesystem>
#include <memory>

#include <fmt/format.h>

#include "cli/handover.h"
#include "cli/results.h"
#include "exports/report.h"
#include "figures/heartbeat_chart.h"
#include "figures/memory_map.h"
#include "figures/path_histogram.h"
#include "figures/response_chart.h"
#include "figures/stall_matrix.h"
#include "figures/timeline.h"
#include "figures/use_chart.h"
#include "files/file_source.h"
#include "line/command_line.h"
#include "model/memory_report.h"

namespace greymet::cli {
namespace {

using exports::FigurePlace;
using exports::ReportFigure;

// Pictures of one kind in a page: what people look through, and what a browser bears.
constexpr std::size_t most_figures = 100;

// Scripts with where they belong; they become pictures together, in few runs of gnuplot.
struct Sketch {
  FigurePlace place;
  std::string caption;
  std::string script;
};

// All that a page shows, and how many of each kind it has to do without.
struct Sketches {
  std::vector<Sketch> all;
  std::map<FigurePlace, std::size_t> left_out;
};

// The first of what there is, as far as there is room for them.
template <typename Things, typename Draw>
void sketch_each(Sketches& out, FigurePlace place, const Things& things, const Draw& draw) {
  std::size_t drawn = 0;
  for (std::size_t i = 0; i < things.size(); ++i) {
    if (drawn == most_figures) {
      out.left_out[place] = things.size() - i;
      return;
    }
    const std::size_t before = out.all.size();
    draw(i, [&](std::string caption, std::string script) {
      out.all.push_back({place, std::move(caption), std::move(script)});
    });
    if (out.all.size() > before) ++drawn;
  }
}

Sketches sketches(const model::ResolvedPlan& plan, const timing::TimingReport& report) {
  constexpr auto svg = figures::PictureFormat::svg;
  Sketches out;
  out.all.push_back(
      {FigurePlace::lines, "use of lines and connections", figures::use_script(report, svg)});
  sketch_each(out, FigurePlace::lines, report.lines, [&](std::size_t l, const auto& add) {
    const timing::LineReport& line = report.lines[l];
    if (const auto figure = figures::timeline_of(plan, report, line, {})) {
      add("timeline of " + line.name, figures::timeline_script(*figure, svg));
    }
    const auto responses = figures::response_chart_of(line);
    if (responses.rows.empty()) return;
    add("responses on " + line.name, figures::response_script(responses, svg));
  });
  const auto matrices = figures::stall_matrices(plan, report);
  sketch_each(out, FigurePlace::silence, matrices, [&](std::size_t m, const auto& add) {
    add("who keeps whom waiting: " + matrices[m].name,
        figures::stall_matrix_script(matrices[m], svg));
  });
  sketch_each(out, FigurePlace::heartbeats, report.heartbeats, [&](std::size_t h, const auto& add) {
    if (report.heartbeat_runs[h].trace.transfers.empty()) return;
    add("heartbeat " + report.heartbeats[h].name, figures::heartbeat_script(report, h, svg));
  });
  sketch_each(out, FigurePlace::paths, report.paths, [&](std::size_t p, const auto& add) {
    const timing::PathReport& path = report.paths[p];
    if (path.ages) add("ages on path " + path.name, figures::path_histogram_script(path, svg));
  });
  const auto controllers = memory_report(plan).controllers;
  sketch_each(out, FigurePlace::memory, controllers, [&](std::size_t c, const auto& add) {
    add("memory of " + plan.plan.controllers[controllers[c].controller].name,
        figures::memory_map_script(figures::memory_map_of(plan, controllers[c]), svg));
  });
  return out;
}

// The pictures that could be drawn; of the others it is said why not.
std::vector<ReportFigure> drawn(std::vector<Sketch> sketched, const Terminal& terminal) {
  std::vector<figures::Script> scripts;
  scripts.reserve(sketched.size());
  for (Sketch& each : sketched) {
    scripts.push_back({figures::PictureFormat::svg, std::move(each.script)});
  }
  ProgressBar bar(terminal, "drawing");
  auto pictures = figures::render(scripts, bar.sink());
  std::vector<ReportFigure> out;
  for (std::size_t i = 0; i < pictures.size(); ++i) {
    if (pictures[i]) {
      out.push_back({sketched[i].place, sketched[i].caption, std::move(*pictures[i])});
    } else {
      terminal.err << fmt::format("greymet: {}: {}; the report goes without it\n",
                                  shown(sketched[i].caption), pictures[i].error());
    }
  }
  return out;
}

}  // namespace

int run_report(const ReportOptions& options, const Terminal& terminal) {
  std::optional<exports::Measured> measured;
  if (!options.measured.empty()) {
    if (auto file = measured_file(options.measured)) {
      measured = exports::Measured{std::move(file->name), std::move(file->text)};
    } else {
      terminal.err << fmt::format(
          "greymet: {}: holds no rehearse.json or run.json that can be read\n",
          shown(options.measured));
      return exit_unreachable;
    }
  }
  checks::RuleSelection rules;
  rules.assumptions = true;  // the page says what its verdicts rest on, as check does
  const UsablePlan usable = load_usable_plan(options.plan, terminal, rules);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  if (const auto refused = refuse_too_large(usable, "reported", terminal)) return *refused;
  timing::TimingReport report;
  {
    ProgressBar bar(terminal, "simulating");
    timing::AnalysisOptions analysis;
    analysis.trace_length = figures::services_drawn;
    analysis.progress = bar.sink();
    report = timing::analyse(plan, analysis);
  }
  const Handover handover = handover_of(usable, std::move(report));
  if (const auto refused = refuse_too_many(handover.points, terminal)) return *refused;
  const exports::ExportInput input = handover.input();
  ResultWriter writer(options.out, options.force, terminal);
  writer.all_or_nothing();
  exports::ReportInput pages{
      input, std::filesystem::path(options.plan).filename().string(), {}, {}, measured};
  Sketches sketched = sketches(plan, handover.timing);
  pages.figures_left_out = sketched.left_out;
  pages.figures = drawn(std::move(sketched.all), terminal);
  writer.write("report.html", exports::report_page(pages));
  writer.write("commissioning.html", exports::commissioning_page(pages));
  return writer.finish();
}

Action declare_report(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<ReportOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command
      .add_option("--measured", options->measured,
                  "folder of a rehearsal or run, to stand beside the plan's numbers")
      ->type_name("DIR");
  add_output(command, options->out, options->force, true);
  return [options, &terminal] { return run_report(*options, terminal); };
}

}  // namespace greymet::cli
