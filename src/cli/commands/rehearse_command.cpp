#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/wire_files.h"
#include "engine/world.h"
#include "figures/measured_chart.h"
#include "files/rehearsal_json.h"
#include "files/request_log.h"
#include "line/command_line.h"
#include "live/runtime.h"
#include "model/duration_text.h"
#include "tables/measured_tables.h"

namespace greymet::cli {
namespace {

// Virtual wires and time, or pseudo-terminals and loopback ports on the clock.
tl::expected<std::unique_ptr<engine::Stage>, live::LiveError> open_stage(
    const RehearseOptions& options, const model::ResolvedPlan& plan,
    const timing::TimingModel& timing, std::stop_token stop) {
  engine::MasterOptions master;
  master.triggers_always = true;
  master.ignore_gates = true;
  if (options.fast) {
    engine::WorldOptions world;
    world.durations = durations_named(options.durations);
    world.master = master;
    world.stop = std::move(stop);
    return std::make_unique<engine::World>(plan, timing, world);
  }
  live::RuntimeOptions runtime;
  runtime.serve = runtime.master = true;
  runtime.station.durations = durations_named(options.durations);
  runtime.masters = master;
  runtime.stop = std::move(stop);
  auto opened = live::Runtime::open(plan, timing, runtime);
  if (!opened) return tl::unexpected(opened.error());
  return std::move(*opened);
}

}  // namespace

int run_rehearse(const RehearseOptions& options, const Terminal& terminal) {
  const auto quiet = run_length(options.duration);
  if (!quiet || *quiet < std::chrono::seconds(1)) {
    return usage_error(terminal, fmt::format("--duration takes a time of a second or more, such as "
                                             "30s; found '{}'",
                                             options.duration.substr(0, 40)));
  }
  if (options.no_faults && !options.faults.empty()) {
    return usage_error(terminal, "--faults and --no-faults exclude each other");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  engine::RehearsalOptions rehearsal;
  rehearsal.quiet = *quiet;
  rehearsal.durations = durations_named(options.durations);
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
  const StopSignals signals;
  const timing::TimingReport report = timing::analyse_longest(plan);
  const auto stage = open_stage(options, plan, report.model, signals.token());
  if (!stage) return unreachable(terminal, stage.error().message);
  auto begun = begin_log(options.output, plan,
                         options.fast ? files::OnSlowDisk::wait : files::OnSlowDisk::fail);
  if (!begun) return unreachable(terminal, begun.error().message);
  std::optional<files::RequestLog>& log = *begun;
  if (!options.fast) {
    terminal.err << fmt::format(
        "greymet: rehearsing in real time, some {:.0f} s; Ctrl-C keeps what was measured\n",
        model::to_ms(engine::length_of(plan, report, rehearsal)) / 1000);
  }
  engine::RehearsalResult result;
  {
    ProgressBar bar(terminal, "rehearsing");
    const auto progress = bar.sink();
    const double length = model::to_ms(engine::length_of(plan, report, rehearsal));
    std::uint64_t count = 0;
    result = engine::rehearse(plan, report, **stage, rehearsal,
                              [&](const engine::RequestRecord& record) {
                                if (log) log->add(record);
                                if (++count % 256 != 0) return;
                                if (log) log->tick(record.end);
                                if (takes_lines(terminal.err_fd)) tell_failure(log, terminal);
                                if (progress) {
                                  progress(std::min(1.0, model::to_ms(record.end) / length));
                                }
                              });
  }
  const int status = finish_log(log, result.passed ? exit_fine : exit_findings, terminal);
  auto writer = print_results(options.output,
                              {"rehearse", [&] { return files::rehearsal_json(plan, result); },
                               [&](const Terminal& on) { return rehearsal_text(plan, result, on); },
                               [&] {
                                 return std::vector<tables::Table>{
                                     tables::measured_table(result.transactions),
                                     tables::faults_table(plan, result.faults),
                                     tables::blocks_table(plan, result.blocks),
                                     tables::rehearsed_heartbeats_table(plan, result.heartbeats),
                                     tables::watchdogs_table(plan, result.watchdogs)};
                               }},
                              terminal);
  if (!writer) return status;
  const auto chart = figures::measured_chart_of(result, options.fast);
  if (!chart.rows.empty()) {
    writer->draw("measured", [&](auto format) { return figures::measured_script(chart, format); });
  }
  const int written = writer->finish();
  return written != exit_fine ? written : status;
}

Action declare_rehearse(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<RehearseOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command.add_flag("--fast", options->fast, "on virtual time, as fast as the computer goes");
  command
      .add_option("--duration", options->duration,
                  "of the quiet act in which responses are measured")
      ->capture_default_str()
      ->type_name("TIME");
  command
      .add_option("--durations", options->durations,
                  "delays of lines and slaves: typical, longest or random")
      ->check(CLI::IsMember({"typical", "longest", "random"}))
      ->capture_default_str()
      ->type_name("WHICH");
  command
      .add_option("--faults", options->faults,
                  "a table of faults (at,for,slave,fault,with) instead of every slave silent once")
      ->type_name("FILE");
  command.add_flag("--no-faults", options->no_faults, "leave the faults out");
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_rehearse(*options, terminal); };
}

}  // namespace greymet::cli
