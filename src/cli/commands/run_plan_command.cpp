// greymet run
#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/table_text.h"
#include "cli/wire_files.h"
#include "files/endpoints_json.h"
#include "files/request_log.h"
#include "files/run_json.h"
#include "line/command_line.h"
#include "live/runtime.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "tables/measured_tables.h"
#include "terminal/live_table.h"

namespace greymet::cli {

using model::Duration;

namespace {

// What was read of the small files, or the exit status to end with.
struct RunFiles {
  live::Endpoints endpoints;
  std::vector<files::StatedValue> values;
  std::vector<engine::Expectation> expected;
  std::optional<int> refused;
};

bool read_endpoints(const std::string& path, const model::ResolvedPlan& plan,
                    const Terminal& terminal, live::Endpoints& out) {
  const auto text = files::disk_files()(path, files::largest_map);
  if (!text) {
    terminal.err << fmt::format("greymet: {}: {}\n", shown(path), shown(text.error().message));
    return false;
  }
  const auto table = files::read_endpoints(*text, plan);
  if (!table) {
    print_table_findings(path, table.error(), terminal);
    return false;
  }
  out.lines = table->lines;
  out.tcp = table->tcp;
  return true;
}

// What is wrong with a row that could be read.
model::Finding refused_row(const files::ValueSpot& at, std::string message, std::string remedy) {
  model::Finding finding;
  finding.place = at.place;
  finding.message = fmt::format("{}: {}", at.where, message);
  finding.remedy = std::move(remedy);
  return finding;
}

// Rows that no run of these controllers could ever fulfil.
model::Findings never_sent(const std::vector<files::StatedValue>& values,
                           const model::ResolvedPlan& plan) {
  model::Findings out;
  for (const files::StatedValue& value : values) {
    if (value.at.slave && !engine::is_written(plan, *value.at.slave, value.at.point)) {
      out.push_back(refused_row(value.at, "no write of the plan carries this point",
                                "leave the row out, or name a point that is written"));
    }
  }
  return out;
}
model::Findings never_read(const std::vector<files::ExpectedValue>& expected,
                           const model::ResolvedPlan& plan,
                           const std::vector<std::size_t>& controllers) {
  const engine::PointValues read(plan, controllers);
  model::Findings out;
  for (const files::ExpectedValue& row : expected) {
    if (row.at.slave && read.find(*row.at.slave, row.at.point) == nullptr) {
      out.push_back(refused_row(row.at, "no transaction of this run reads this point",
                                "leave the row out, or name a point that is read"));
    }
    const bool run = controllers.empty() || std::find(controllers.begin(), controllers.end(),
                                                      row.at.controller.value) != controllers.end();
    if (row.at.memory && !run) {
      out.push_back(refused_row(row.at, "this controller is not run", "see --controller"));
    }
  }
  return out;
}

RunFiles read_files(const RunOptions& options, const model::ResolvedPlan& plan,
                    const std::vector<std::size_t>& controllers, const Terminal& terminal) {
  RunFiles out;
  const auto refuse = [&](const std::string& path, const model::Findings& findings) {
    if (findings.empty()) return false;
    print_table_findings(path, findings, terminal);
    out.refused = exit_usage;
    return true;
  };
  if (!options.endpoints.empty() &&
      !read_endpoints(options.endpoints, plan, terminal, out.endpoints)) {
    out.refused = exit_usage;
    return out;
  }
  if (!options.values.empty()) {
    const auto reader = [](const std::string& text, std::uint32_t file,
                           const model::ResolvedPlan& of) {
      return files::read_values(text, file, of, false);
    };
    auto table = read_table<files::StatedValue>(options.values, plan, reader, terminal);
    out.refused = table.refused;
    out.values = std::move(table.rows);
    if (out.refused || refuse(options.values, never_sent(out.values, plan))) return out;
  }
  if (options.expect.empty()) return out;
  auto table =
      read_table<files::ExpectedValue>(options.expect, plan, files::read_expected, terminal);
  out.refused = table.refused;
  if (out.refused || refuse(options.expect, never_read(table.rows, plan, controllers))) return out;
  for (files::ExpectedValue& row : table.rows) {
    engine::Expectation e;
    e.where = row.at.where;
    e.slave = row.at.slave;
    e.point = row.at.point;
    e.controller = row.at.controller;
    if (row.at.memory) e.memory = engine::bits_of(plan.layouts[e.controller], *row.at.memory);
    e.value = row.value;
    e.text = row.text;
    e.tolerance = row.tolerance;
    e.within = row.within;
    out.expected.push_back(std::move(e));
  }
  return out;
}

// Puts what was stated where writes take it from.
void put_values(const std::vector<files::StatedValue>& values, const model::ResolvedPlan& plan,
                const std::vector<engine::ControllerMemory*>& memories) {
  for (const files::StatedValue& value : values) {
    if (value.at.memory) {
      put_number(*memories[value.at.controller], *value.at.memory, value.generator->a);
      continue;
    }
    const model::Point& point = plan.map_of({false, *value.at.slave, 0})->points()[value.at.point];
    const modbus::RawValue raw =
        value.text ? modbus::RawValue(*value.text) : engine::raw_from(point, value.generator->a);
    engine::put_for_writes(plan, *value.at.slave, value.at.point, raw, memories);
  }
}

std::string summary_text(const files::RunSummary& summary, const Terminal& terminal) {
  std::string text =
      table_text("transactions, ms", tables::measured_table(summary.transactions), terminal) + "\n";
  if (!summary.expected.empty()) {
    text += table_text("expected", tables::expected_table(summary.expected, summary.results),
                       terminal) +
            "\n";
  }
  text += odd_wires_text(summary.odd);
  text += fmt::format("{:.1f} s; every request accounted for: {}\n",
                      model::to_ms(summary.lasted) / 1000, summary.accounted ? "yes" : "NO");
  if (!summary.lost.empty()) text += fmt::format("stopped early: {}\n", shown(summary.lost));
  text += tinted(terminal, summary.passed ? Tint::green : Tint::red,
                 summary.passed ? "run passed" : "run failed");
  return text + "\n";
}

files::RunSummary summary_of(const live::Runtime& runtime, const engine::RunWatch& watch,
                             const engine::MasterOptions& options, Duration lasted) {
  files::RunSummary out;
  out.lasted = lasted;
  std::vector<const engine::Master*> masters;
  for (const engine::Master& master : runtime.masters()) masters.push_back(&master);
  out.transactions = watch.transactions(masters, options);
  out.expected = watch.expected();
  out.results = watch.results(true);
  out.odd = engine::odd_wires(runtime.masters());
  out.accounted = watch.measures().tries() == runtime.frames_sent();
  out.lost = runtime.failure();
  const bool well = std::all_of(out.transactions.begin(), out.transactions.end(),
                                [](const engine::MeasuredTransaction& t) { return t.well; });
  const bool met = std::all_of(out.results.begin(), out.results.end(),
                               [](const auto& result) { return result.good; });
  out.passed = well && met && out.accounted && out.lost.empty();
  return out;
}

// Controllers by their names, or the first name that is none.
tl::expected<std::vector<std::size_t>, std::string> controllers_named(
    const model::ResolvedPlan& plan, const std::vector<std::string>& names) {
  std::vector<std::string_view> known;
  for (const auto& controller : plan.plan.controllers) known.emplace_back(controller.name);
  std::vector<std::size_t> out;
  for (const std::string& name : names) {
    const auto at = std::find(known.begin(), known.end(), name);
    if (at == known.end()) {
      return tl::unexpected(fmt::format("the plan has no controller '{}'{}", name.substr(0, 60),
                                        shown(model::nearest_or_example(name, known))));
    }
    out.push_back(static_cast<std::size_t>(at - known.begin()));
  }
  return out;
}

// The run itself, with the table on a terminal and a line a second elsewhere.
class RunLoop {
 public:
  RunLoop(const model::ResolvedPlan& plan, live::Runtime& runtime, engine::RunWatch& watch,
          std::optional<files::RequestLog>& log, const engine::MasterOptions& masters,
          const Terminal& terminal)
      : plan_(plan),
        runtime_(runtime),
        watch_(watch),
        log_(log),
        options_(masters),
        terminal_(terminal) {
    for (std::size_t c = 0; c < plan.layouts.size(); ++c) memories_.push_back(&runtime.memory(c));
    for (const engine::Master& master : runtime.masters()) masters_.push_back(&master);
  }

  void run(Duration length, bool until_met, bool on_screen) {
    std::optional<LiveScreen> screen;
    if (on_screen) screen.emplace(terminal_);
    const Duration step = std::chrono::milliseconds(on_screen ? 100 : 50);
    const auto finished = [this](const engine::RequestRecord& record) {
      watch_.add(record);
      if (log_) log_->add(record);
    };
    while (!runtime_.stopped() && runtime_.now() < length) {
      const Duration until = runtime_.now() + step;
      runtime_.run_until(std::min(length, until), finished);
      if (log_) log_->tick(runtime_.now());
      if (!on_screen && takes_lines(terminal_.err_fd)) tell_failure(log_, terminal_);
      watch_.look(runtime_.now(), memories_);
      screen ? show(*screen) : tell();
      // a verdict that is already known is not waited for
      if (until_met && all_met()) break;
    }
    lasted_ = std::min(length, runtime_.now());
    runtime_.finish(finished);
    watch_.look(runtime_.now(), memories_);
  }
  // Without what it took to let everything end.
  [[nodiscard]] Duration lasted() const { return lasted_; }

 private:
  void show(LiveScreen& screen) {
    screen.show(live_table_text(plan_, watch_, watch_.transactions(masters_, options_),
                                runtime_.now(), screen.rows(), terminal_));
  }
  void tell() {
    if (runtime_.now() - told_ < std::chrono::seconds(1)) return;
    told_ = runtime_.now();
    if (!takes_lines(terminal_.err_fd)) return;  // nobody waits for who does not read
    const auto [sent, good] = watch_.measures().sent_and_good();
    terminal_.err << fmt::format("{:.0f} s: {} sent, {} good\n", model::to_ms(told_) / 1000, sent,
                                 good)
                  << std::flush;
  }
  [[nodiscard]] bool all_met() const {
    const auto results = watch_.results(true);
    return !results.empty() && std::all_of(results.begin(), results.end(),
                                           [](const auto& result) { return result.good; });
  }

  const model::ResolvedPlan& plan_;
  live::Runtime& runtime_;
  engine::RunWatch& watch_;
  std::optional<files::RequestLog>& log_;
  const engine::MasterOptions& options_;
  const Terminal& terminal_;
  std::vector<engine::ControllerMemory*> memories_;
  std::vector<const engine::Master*> masters_;
  Duration told_{};
  Duration lasted_{};
};

}  // namespace

int run_run(const RunOptions& options, const Terminal& terminal) {
  const auto length = run_length(options.duration);
  if (!length) return usage_error(terminal, length.error());
  if (options.allow_broadcast && !options.allow_writes) {
    return usage_error(terminal, "--allow-broadcast is of use with --allow-writes alone");
  }
  if (options.until_met && options.expect.empty()) {
    return usage_error(terminal, "--until-met is of use with --expect alone");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  const auto controllers = controllers_named(plan, options.controllers);
  if (!controllers) return usage_error(terminal, controllers.error());
  RunFiles read = read_files(options, plan, *controllers, terminal);
  if (read.refused) return *read.refused;

  const StopSignals signals;
  live::RuntimeOptions how;
  how.master = true;
  how.only = *controllers;
  how.endpoints = read.endpoints;
  how.masters.allow_writes = options.allow_writes;
  how.masters.allow_broadcasts = options.allow_broadcast;
  how.masters.only_known_values = true;
  how.masters.lines_take_time = !options.unpaced;
  how.stop = signals.token();
  const timing::TimingReport report = timing::analyse_longest(plan);
  auto opened = live::Runtime::open(plan, report.model, how);
  if (!opened) return unreachable(terminal, opened.error().message);
  live::Runtime& runtime = **opened;
  // only now: a log of before is not lost to a port that cannot be opened
  auto log = begin_log(options.output, plan, files::OnSlowDisk::fail);
  if (!log) return unreachable(terminal, log.error().message);
  std::vector<engine::ControllerMemory*> memories;
  for (std::size_t c = 0; c < plan.layouts.size(); ++c) memories.push_back(&runtime.memory(c));
  put_values(read.values, plan, memories);
  engine::RunWatch watch(plan, report, std::move(read.expected), *controllers);
  RunLoop loop(plan, runtime, watch, *log, how.masters, terminal);
  loop.run(*length, options.until_met, terminal.folds && options.output.format == "text");

  const files::RunSummary summary = summary_of(runtime, watch, how.masters, loop.lasted());
  int status = summary.passed ? exit_fine : exit_findings;
  if (!summary.lost.empty()) {
    status = unreachable(terminal, summary.lost + "; what was measured so far is kept");
  }
  status = finish_log(*log, status, terminal);
  auto writer = print_results(options.output,
                              {"run", [&] { return files::run_json(plan, summary); },
                               [&](const Terminal& on) { return summary_text(summary, on); },
                               [&] {
                                 return std::vector<tables::Table>{
                                     tables::measured_table(summary.transactions),
                                     tables::expected_table(summary.expected, summary.results)};
                               }},
                              terminal);
  if (!writer) return status;
  writer->write("values.csv", files::values_csv(plan, watch.points(), runtime.now()));
  const int written = writer->finish();
  return written != exit_fine ? written : status;
}

Action declare_run(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<RunOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command
      .add_option("--endpoints", options->endpoints,
                  "where lines and hosts are, as serve writes it; else as the plan says")
      ->type_name("FILE");
  command.add_option("--controller", options->controllers, "be this controller; all if left out")
      ->type_name("NAME");
  command.add_flag("--allow-writes", options->allow_writes,
                   "send writes too, those whose every word has a stated value");
  command.add_flag("--allow-broadcast", options->allow_broadcast,
                   "with --allow-writes: broadcasts too");
  command.add_option("--values", options->values, "values that writes send (where,value)")
      ->type_name("FILE");
  command
      .add_option("--expect", options->expect,
                  "values that must be there (where,value,tolerance,within): an acceptance test")
      ->type_name("FILE");
  command.add_flag("--until-met", options->until_met, "stop once all that is expected is met");
  command.add_option("--duration", options->duration, "stop by itself after this time")
      ->type_name("TIME");
  command.add_flag("--unpaced", options->unpaced,
                   "lines hand bytes on at once, as pseudo-terminals do that nobody paces");
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_run(*options, terminal); };
}

}  // namespace greymet::cli
