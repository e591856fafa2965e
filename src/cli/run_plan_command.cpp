// greymet run
#include <algorithm>

#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/table_cells.h"
#include "cli/wire_files.h"
#include "files/endpoints_json.h"
#include "files/request_log.h"
#include "files/run_json.h"
#include "live/runtime.h"
#include "live_table.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"

namespace greymet::cli {

using model::Duration;

namespace {

using engine::RunVerdict;

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

RunFiles read_files(const RunOptions& options, const model::ResolvedPlan& plan,
                    const std::vector<engine::ControllerMemory>& layouts,
                    const Terminal& terminal) {
  RunFiles out;
  if (!options.endpoints.empty() &&
      !read_endpoints(options.endpoints, plan, terminal, out.endpoints)) {
    out.refused = exit_usage;
    return out;
  }
  if (!options.values.empty()) {
    auto table = read_table<files::StatedValue>(options.values, plan, files::read_values, terminal);
    out.refused = table.refused;
    out.values = std::move(table.rows);
  }
  if (!options.expect.empty() && !out.refused) {
    auto table =
        read_table<files::ExpectedValue>(options.expect, plan, files::read_expected, terminal);
    out.refused = table.refused;
    for (files::ExpectedValue& row : table.rows) {
      engine::Expectation e;
      e.where = row.at.where;
      e.slave = row.at.slave;
      e.point = row.at.point;
      e.controller = row.at.controller;
      if (row.at.memory) e.memory = layouts[e.controller].sequence(*row.at.memory);
      e.value = row.value;
      e.text = row.text;
      e.tolerance = row.tolerance;
      e.within = row.within;
      out.expected.push_back(std::move(e));
    }
  }
  return out;
}

// Puts what was stated where writes take it from. False where a point is in no write, or a value
// moves by itself.
bool put_values(const std::string& path, const std::vector<files::StatedValue>& values,
                const model::ResolvedPlan& plan,
                const std::vector<engine::ControllerMemory*>& memories, const Terminal& terminal) {
  for (const files::StatedValue& value : values) {
    if (value.generator && value.generator->kind != engine::GeneratorKind::constant) {
      terminal.err << fmt::format(
          "greymet: {}: {}: only numbers can be written; generators are for serve\n", shown(path),
          shown(value.at.where));
      return false;
    }
    if (value.at.memory) {
      engine::ControllerMemory& memory = *memories[value.at.controller];
      const engine::BitSequence bits = memory.sequence(*value.at.memory);
      const auto number = static_cast<std::int64_t>(value.generator->a);
      if (bits.count == 1) {
        memory.put_bits(bits, {number != 0});
      } else {
        memory.put_registers(bits, {static_cast<std::uint16_t>(number)});
      }
      continue;
    }
    const model::Point& point = plan.map_of({false, *value.at.slave, 0})->points()[value.at.point];
    const modbus::RawValue raw =
        value.text ? modbus::RawValue(*value.text) : engine::raw_from(point, value.generator->a);
    if (engine::put_for_writes(plan, *value.at.slave, value.at.point, raw, memories) == 0) {
      terminal.err << fmt::format("greymet: {}: {}: no write of the plan carries this point\n",
                                  shown(path), shown(value.at.where));
      return false;
    }
  }
  return true;
}

std::string summary_text(const files::RunSummary& summary, const Terminal& terminal) {
  std::string text = heading(
      terminal, "transactions, ms",
      fmt::format("  {} {:>7} {:>6} {:>9} {:>9} {:>9} {:>9}  verdict", name_cell("name", 18),
                  "sent", "good", "duration", "typical", "longest R", "bound R"));
  for (const engine::RunTransaction& t : summary.transactions) {
    std::string verdict(to_string(t.verdict));
    if (!t.why_left_out.empty()) verdict += ": " + t.why_left_out;
    if (t.measure.last_exception) {
      verdict += fmt::format(", last exception {:02X}", *t.measure.last_exception);
    }
    const bool well = t.verdict == RunVerdict::good || t.verdict == RunVerdict::left_out ||
                      t.verdict == RunVerdict::not_run;
    text +=
        fmt::format("  {} {:>7} {:>6} {} {} {} {}  {}\n", name_cell(t.name, 18), t.measure.sent,
                    t.measure.good, ms_cell(t.measure.services.median(), 9),
                    ms_cell(t.predicted, 9), ms_cell(t.measure.responses.greatest(), 9),
                    ms_cell(t.bound, 9), tinted(terminal, well ? Tint::none : Tint::red, verdict));
  }
  text += "\n";
  if (!summary.expected.empty()) {
    text += heading(terminal, "expected",
                    fmt::format("  {} {:>14} {:>14} {:>10}  verdict", name_cell("where", 30),
                                "expected", "found", "after ms"));
    for (std::size_t i = 0; i < summary.expected.size(); ++i) {
      const engine::Expectation& e = summary.expected[i];
      const engine::ExpectationResult& result = summary.results[i];
      text += fmt::format(
          "  {} {:>14} {:>14} {}  {}\n", name_cell(e.where, 30),
          shown(e.text ? *e.text : fmt::format("{:g}", e.value.value_or(0))), shown(result.found),
          ms_cell(result.met, 10),
          tinted(terminal, result.good ? Tint::none : Tint::red, result.good ? "met" : "not met"));
    }
    text += "\n";
  }
  text += fmt::format("{:.1f} s; every request accounted for: {}\n",
                      model::to_ms(summary.lasted) / 1000, summary.accounted ? "yes" : "NO");
  if (!summary.lost.empty()) text += fmt::format("stopped early: {}\n", shown(summary.lost));
  text += tinted(terminal, summary.passed ? Tint::green : Tint::red,
                 summary.passed ? "run passed" : "run failed");
  return text + "\n";
}

files::RunSummary summary_of(const live::Runtime& runtime, const engine::RunWatch& watch,
                             const engine::MasterOptions& options) {
  files::RunSummary out;
  out.lasted = runtime.now();
  std::vector<const engine::Master*> masters;
  for (const engine::Master& master : runtime.masters()) masters.push_back(&master);
  out.transactions = watch.transactions(masters, options);
  out.expected = watch.expected();
  out.results = watch.results(true);
  out.oddities = runtime.notices().size();
  out.accounted = watch.measures().accounted();
  out.lost = runtime.failure();
  const bool well = std::none_of(
      out.transactions.begin(), out.transactions.end(), [](const engine::RunTransaction& t) {
        return t.verdict == RunVerdict::dead || t.verdict == RunVerdict::failing ||
               t.verdict == RunVerdict::late;
      });
  const bool met = std::all_of(out.results.begin(), out.results.end(),
                               [](const auto& result) { return result.good; });
  out.passed = well && met && out.accounted && out.lost.empty();
  return out;
}

}  // namespace

int run_run(const RunOptions& options, const Terminal& terminal) {
  Duration length = engine::never;
  if (!options.duration.empty()) {
    const auto duration = model::parse_duration(options.duration);
    if (!duration || *duration <= Duration{}) {
      return usage_error(terminal, fmt::format("--duration takes a time such as 60s; found '{}'",
                                               options.duration.substr(0, 40)));
    }
    length = *duration;
  }
  if (options.allow_broadcast && !options.allow_writes) {
    return usage_error(terminal, "--allow-broadcast is of use with --allow-writes alone");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  live::RuntimeOptions runtime_options;
  runtime_options.master = true;
  for (const std::string& name : options.controllers) {
    std::vector<std::string_view> known;
    for (const auto& controller : plan.plan.controllers) known.emplace_back(controller.name);
    const auto at = std::find(known.begin(), known.end(), name);
    if (at == known.end()) {
      return usage_error(terminal,
                         fmt::format("the plan has no controller '{}'{}", name.substr(0, 60),
                                     shown(model::nearest_or_example(name, known))));
    }
    runtime_options.only.push_back(static_cast<std::size_t>(at - known.begin()));
  }
  std::vector<engine::ControllerMemory> layouts;
  layouts.reserve(plan.layouts.size());
  for (const model::MemoryLayout& layout : plan.layouts) layouts.emplace_back(layout);
  RunFiles read = read_files(options, plan, layouts, terminal);
  if (read.refused) return *read.refused;
  runtime_options.endpoints = read.endpoints;
  runtime_options.masters.allow_writes = options.allow_writes;
  runtime_options.masters.allow_broadcasts = options.allow_broadcast;
  runtime_options.masters.only_known_values = true;
  // pseudo-terminals that nobody paces hand bytes on at once
  runtime_options.masters.lines_take_time = !options.unpaced;

  std::optional<files::OutputFolder> folder;
  std::optional<files::RequestLog> log;
  if (!options.output.out.empty()) {
    auto opened = files::OutputFolder::open(options.output.out, options.output.force);
    tl::expected<void, files::FileError> begun;
    if (!opened) begun = tl::unexpected(opened.error());
    if (opened) {
      folder = std::move(*opened);
      auto started = files::RequestLog::begin(*folder, "log.csv", plan);
      if (!started) begun = tl::unexpected(started.error());
      if (started) log = std::move(*started);
    }
    if (!begun) {
      terminal.err << fmt::format("greymet: {}\n", shown(begun.error().message));
      return exit_unreachable;
    }
  }
  const StopSignals signals;
  runtime_options.stop = signals.token();
  const timing::TimingReport report = timing::analyse_longest(plan);
  auto opened = live::Runtime::open(plan, report.model, runtime_options);
  if (!opened) {
    terminal.err << fmt::format("greymet: {}\n", shown(opened.error().message));
    return exit_unreachable;
  }
  live::Runtime& runtime = **opened;
  std::vector<engine::ControllerMemory*> memories;
  for (std::size_t c = 0; c < plan.layouts.size(); ++c) memories.push_back(&runtime.memory(c));
  if (!put_values(options.values, read.values, plan, memories, terminal)) return exit_usage;
  engine::RunWatch watch(plan, report, std::move(read.expected));
  std::vector<const engine::Master*> masters;
  for (const engine::Master& master : runtime.masters()) masters.push_back(&master);
  const bool on_terminal = terminal.folds && options.output.format == "text";
  {
    std::optional<LiveScreen> screen;
    if (on_terminal) screen.emplace(terminal);
    const Duration step = std::chrono::milliseconds(on_terminal ? 100 : 50);
    Duration told{};
    while (!runtime.stopped() && runtime.now() < length) {
      const Duration now = runtime.now();
      runtime.run_until(length == engine::never ? now + step : std::min(length, now + step),
                        [&](const engine::RequestRecord& record) {
                          watch.add(record);
                          if (log) log->add(record, record.end);
                        });
      watch.look(runtime.now(), memories);
      if (screen) {
        screen->show(live_table_text(plan, watch,
                                     watch.transactions(masters, runtime_options.masters),
                                     runtime.now(), LiveScreen::rows(), terminal));
      } else if (runtime.now() - told >= std::chrono::seconds(1)) {
        told = runtime.now();
        std::uint64_t sent = 0;
        std::uint64_t good = 0;
        for (const auto& t : watch.transactions(masters, runtime_options.masters)) {
          sent += t.measure.sent;
          good += t.measure.good;
        }
        terminal.err << fmt::format("{:.0f} s: {} sent, {} good\n", model::to_ms(told) / 1000, sent,
                                    good)
                     << std::flush;
      }
      // a verdict that is already known is not waited for
      if (options.until_met && !watch.expected().empty()) {
        const auto results = watch.results(true);
        if (std::all_of(results.begin(), results.end(), [](const auto& r) { return r.good; }))
          break;
      }
    }
  }
  const files::RunSummary summary = summary_of(runtime, watch, runtime_options.masters);
  int status = summary.passed ? exit_fine : exit_findings;
  if (!summary.lost.empty()) {
    terminal.err << fmt::format("greymet: {}; what was measured so far is kept\n",
                                shown(summary.lost));
    status = exit_unreachable;
  }
  if (log) {
    if (const auto flushed = log->flush(); !flushed) {
      terminal.err << fmt::format("greymet: {}\n", shown(flushed.error().message));
      status = exit_unreachable;
    }
  }
  auto writer = print_results(
      options.output, "run", [&] { return files::run_json(plan, summary); },
      [&](const Terminal& on) { return summary_text(summary, on); }, terminal);
  if (!writer) return status;
  writer->write("values.csv", files::values_csv(plan, watch.points(), runtime.now()));
  const int written = writer->finish();
  return written != exit_fine ? written : status;
}

}  // namespace greymet::cli
