#include <csignal>

#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/wire_files.h"
#include "engine/world.h"
#include "figures/measured_chart.h"
#include "files/rehearsal_json.h"
#include "files/request_log.h"
#include "model/duration_text.h"

namespace greymet::cli {
namespace {

engine::WorldOptions world_options(const RehearseOptions& options, std::stop_token stop) {
  engine::WorldOptions world;
  world.durations = options.durations == "longest"  ? timing::Durations::longest
                    : options.durations == "random" ? timing::Durations::random
                                                    : timing::Durations::typical;
  world.master.triggers_always = true;
  world.master.ignore_gates = true;
  world.stop = std::move(stop);
  return world;
}

}  // namespace

int run_rehearse(const RehearseOptions& options, const Terminal& terminal) {
  const auto quiet = model::parse_duration(options.duration);
  if (!quiet || *quiet < std::chrono::seconds(1)) {
    return usage_error(terminal, fmt::format("--duration takes a time of a second or more, such as "
                                             "30s; found '{}'",
                                             options.duration.substr(0, 40)));
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  engine::RehearsalOptions rehearsal;
  rehearsal.quiet = *quiet;
  rehearsal.faults = !options.no_faults;
  if (!options.faults.empty()) {
    auto table = read_table<engine::Fault>(options.faults, plan, files::read_faults, terminal);
    if (table.refused) return *table.refused;
    rehearsal.script = std::move(table.rows);
  }
  if (plan.exchange.transactions.empty()) {
    terminal.err << "greymet: the plan has no transaction that could be sent\n";
    return exit_usage;
  }
  std::optional<files::OutputFolder> folder;
  std::optional<files::RequestLog> log;
  if (!options.output.out.empty()) {
    auto opened = files::OutputFolder::open(options.output.out, options.output.force);
    if (opened) {
      folder = std::move(*opened);
      auto begun = files::RequestLog::begin(*folder, "log.csv", plan);
      if (!begun) opened = tl::unexpected(begun.error());
      if (begun) log = std::move(*begun);
    }
    if (!opened) {
      terminal.err << fmt::format("greymet: {}\n", shown(opened.error().message));
      return exit_unreachable;
    }
  }
  const StopSignals signals;
  const timing::TimingReport report = timing::analyse_longest(plan);
  engine::World world(plan, report.model, world_options(options, signals.token()));
  engine::RehearsalResult result;
  {
    ProgressBar bar(terminal, "rehearsing");
    const auto progress = bar.sink();
    const double length = model::to_ms(engine::length_of(plan, report, rehearsal));
    std::uint64_t count = 0;
    result =
        engine::rehearse(plan, report, world, rehearsal, [&](const engine::RequestRecord& record) {
          if (log) log->add(record, record.end);
          if (progress && ++count % 256 == 0) {
            progress(std::min(1.0, model::to_ms(record.end) / length));
          }
        });
  }
  int status = result.passed ? exit_fine : exit_findings;
  if (log) {
    if (const auto flushed = log->flush(); !flushed) {
      terminal.err << fmt::format("greymet: {}\n", shown(flushed.error().message));
      status = exit_unreachable;
    }
  }
  auto writer = print_results(
      options.output, "rehearse", [&] { return files::rehearsal_json(plan, result); },
      [&](const Terminal& on) { return rehearsal_text(plan, result, on); }, terminal);
  if (!writer) return status;
  const auto chart = figures::measured_chart_of(result, true);
  if (!chart.rows.empty()) {
    writer->draw("measured", [&](auto format) { return figures::measured_script(chart, format); });
  }
  const int written = writer->finish();
  return written != exit_fine ? written : status;
}

}  // namespace greymet::cli
