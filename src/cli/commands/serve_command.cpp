#include <algorithm>
#include <memory>
#include <set>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/table_cells.h"
#include "cli/table_text.h"
#include "cli/wire_files.h"
#include "engine/put_value.h"
#include "engine/write_watch.h"
#include "files/endpoints_json.h"
#include "files/run_json.h"
#include "line/command_line.h"
#include "live/runtime.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "run_files.h"
#include "tables/measured_tables.h"
#include "value_feed.h"

namespace greymet::cli {

using model::Duration;

namespace {

std::string table_of(const model::ResolvedPlan& plan, const live::Endpoints& endpoints,
                     const std::set<model::Target>& served, const Terminal& terminal) {
  std::string text = heading(
      terminal, "served",
      fmt::format("  {} {} who answers", name_cell("in the plan", 22), name_cell("here", 22)));
  const auto row = [&](const std::string& name, const std::string& here, const std::string& who) {
    text += fmt::format("  {} {} {}\n", name_cell(name, 22), name_cell(here, 22), shown(who));
  };
  const auto add = [](std::string& list, const std::string& name) {
    list += (list.empty() ? "" : ", ") + name;
  };
  const auto is_here = [&](bool peer, std::size_t index) {
    return served.empty() || served.contains({peer, index, 0});
  };
  const auto& slaves = plan.exchange.slaves;
  for (const auto& [name, device] : endpoints.lines) {
    std::string who;
    for (std::size_t i = 0; i < slaves.size(); ++i) {
      const auto& slave = slaves[i];
      if (!is_here(false, i)) continue;
      if (slave.line && plan.exchange.lines[*slave.line].name == name) add(who, slave.name);
    }
    row("line " + name, device, who);
  }
  for (const auto& [host, address] : endpoints.tcp) {
    std::string who;
    for (std::size_t i = 0; i < slaves.size(); ++i) {
      const auto& slave = slaves[i];
      if (!is_here(false, i)) continue;
      if (slave.host && fmt::format("{}:{}", *slave.host, slave.port) == host) add(who, slave.name);
    }
    for (const auto& gateway : plan.exchange.gateways) {
      if (gateway.host && fmt::format("{}:{}", *gateway.host, gateway.port) == host) {
        add(who, "gateway " + gateway.name);
      }
    }
    for (const auto& t : plan.exchange.transactions) {
      if (!t.target.is_peer || !is_here(true, t.target.index)) continue;
      if (fmt::format("{}:{}", t.endpoint.host, t.endpoint.port) != host) continue;
      add(who, "controller " + plan.target_name(t.target));
      break;
    }
    row(host, address, who);
  }
  return text;
}

// Slaves and answering controllers by their names, or what is wrong with one.
tl::expected<std::set<model::Target>, std::string> targets_named(
    const model::ResolvedPlan& plan, std::string_view option,
    const std::vector<std::string>& names) {
  std::vector<std::string_view> known;
  for (const auto& slave : plan.plan.slaves) known.emplace_back(slave.name);
  for (const auto& controller : plan.plan.controllers) known.emplace_back(controller.name);
  const std::size_t slaves = plan.plan.slaves.size();
  std::set<model::Target> out;
  for (const std::string& name : names) {
    const auto at = std::find(known.begin(), known.end(), name);
    if (at == known.end()) {
      return tl::unexpected(fmt::format("{}: the plan has no slave or controller '{}'{}", option,
                                        name.substr(0, 60),
                                        shown(model::nearest_or_example(name, known))));
    }
    const auto index = static_cast<std::size_t>(at - known.begin());
    if (index >= slaves && plan.exchange.controllers[index - slaves].answers.empty()) {
      return tl::unexpected(fmt::format("{}: controller {} answers nobody", option, name));
    }
    out.insert({index >= slaves, index >= slaves ? index - slaves : index, 0});
  }
  return out;
}

// Who is served; nobody named: all. Fails with what is wrong with a name.
tl::expected<std::set<model::Target>, std::string> served_of(const model::ResolvedPlan& plan,
                                                             const ServeOptions& options) {
  auto served = targets_named(plan, "--only", options.only);
  if (!served) return served;
  const auto left_out = targets_named(plan, "--without", options.without);
  if (!left_out || left_out->empty()) return left_out ? served : left_out;
  if (served->empty()) {
    for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) served->insert({false, s, 0});
    for (std::size_t c = 0; c < plan.exchange.controllers.size(); ++c) {
      if (!plan.exchange.controllers[c].answers.empty()) served->insert({true, c, 0});
    }
  }
  for (const model::Target& each : *left_out) served->erase(each);
  if (served->empty()) return tl::unexpected(std::string("nobody is left that is served"));
  return served;
}

// Rows that would say nothing to anybody.
model::Findings of_nobody_served(const std::vector<engine::StatedValue>& rows,
                                 const std::set<model::Target>& served) {
  model::Findings out;
  for (const engine::StatedValue& row : rows) {
    if (!row.at.slave || served.empty() || served.contains({false, *row.at.slave, 0})) continue;
    out.push_back(internal::refused_row(row.at, "this slave is not served", "see --only"));
  }
  return out;
}
model::Findings never_written(const std::vector<files::ExpectedValue>& rows,
                              const model::ResolvedPlan& plan,
                              const std::set<model::Target>& served) {
  model::Findings out;
  for (const files::ExpectedValue& row : rows) {
    if (!row.at.slave) continue;
    if (!served.empty() && !served.contains({false, *row.at.slave, 0})) {
      out.push_back(internal::refused_row(row.at, "this slave is not served", "see --only"));
    } else if (!engine::is_written(plan, *row.at.slave, row.at.point)) {
      out.push_back(internal::refused_row(
          row.at, "no write of the plan carries this point",
          "leave the row out: what is expected here is what a controller has written"));
    }
  }
  return out;
}

// What is served, while it is.
class Serving {
 public:
  Serving(const model::ResolvedPlan& plan, live::Runtime& runtime, internal::ValueFeed& feed,
          std::vector<engine::Expectation> expected, const Terminal& terminal)
      : plan_(plan),
        runtime_(runtime),
        feed_(feed),
        expected_(std::move(expected)),
        writes_(plan),
        terminal_(terminal) {
    for (std::size_t c = 0; c < plan.layouts.size(); ++c) memories_.push_back(&runtime.memory(c));
    runtime.field().note_writes();
  }

  void run(Duration length, bool until_met) {
    play();
    while (!runtime_.stopped() && runtime_.now() < length) {
      constexpr Duration step = std::chrono::milliseconds(50);
      const Duration until = std::min(runtime_.now() + step, feed_.script().next());
      runtime_.run_until(std::min(length, until), {});
      play();
      look();
      if (until_met && all_met()) break;
    }
  }
  [[nodiscard]] const engine::ExpectedValues& expected() const { return expected_; }
  [[nodiscard]] bool all_met() const {
    const auto results = expected_.results(true);
    return std::all_of(results.begin(), results.end(),
                       [](const engine::ExpectationResult& each) { return each.good; });
  }

 private:
  void play() {
    const Duration now = runtime_.now();
    std::vector<std::string> told;
    feed_.look(now, told);
    const auto due = feed_.script().due(now);
    for (const engine::DueValue& value : due) put(value, now, told);
    if (!due.empty()) runtime_.touch();
    if (!takes_lines(terminal_.err_fd)) return;
    for (const std::string& line : told) {
      terminal_.err << fmt::format("{:.1f} s: {}\n", model::to_ms(now) / 1000, shown(line))
                    << std::flush;
    }
  }

  void put(const engine::DueValue& due, Duration now, std::vector<std::string>& told) {
    const engine::StatedValue& value = *due.value;
    if (!value.at.slave) {
      engine::put_stated(plan_, value, now - due.since, memories_);
    } else if (due.first) {
      engine::FieldSlave& slave = runtime_.field().slave(*value.at.slave);
      const model::Point& point =
          plan_.map_of({false, *value.at.slave, 0})->points()[value.at.point];
      if (value.moves()) {
        slave.set_generator(value.at.point, *value.generator, now);
      } else {
        slave.set_value(value.at.point, engine::raw_of(value, point, {}), now);
      }
    }
    if (due.first && now > Duration{}) {
      told.push_back(fmt::format("{} = {}", value.at.where, value.written));
    }
  }

  void look() {
    const auto changes = writes_.take(runtime_.field());
    expected_.look(runtime_.now(), [this](const engine::Expectation& e) { return found(e); });
    if (changes.empty() || !takes_lines(terminal_.out_fd)) return;
    constexpr std::size_t most_told = 20;  // at a time
    for (std::size_t i = 0; i < changes.size() && i < most_told; ++i) {
      const engine::WrittenChange& change = changes[i];
      terminal_.out << fmt::format("{:.1f} s: a master writes {}: {} -> {}\n",
                                   model::to_ms(change.at) / 1000, shown(change.where),
                                   shown(change.before), shown(change.after));
    }
    if (changes.size() > most_told) {
      terminal_.out << fmt::format("and {} more\n", changes.size() - most_told);
    }
    terminal_.out << std::flush;
  }

  // Of a point only what a master has written.
  std::optional<engine::FoundValue> found(const engine::Expectation& e) {
    if (!e.slave) return engine::found_in(*memories_[e.controller], e);
    if (!writes_.was_written(*e.slave, e.point)) return std::nullopt;
    const model::Point& point = plan_.map_of({false, *e.slave, 0})->points()[e.point];
    const auto raw = runtime_.field().slave(*e.slave).value(runtime_.now(), e.point);
    return raw ? std::optional(engine::found_value(*raw, point)) : std::nullopt;
  }

  const model::ResolvedPlan& plan_;
  live::Runtime& runtime_;
  internal::ValueFeed& feed_;
  engine::ExpectedValues expected_;
  engine::WriteWatch writes_;
  const Terminal& terminal_;
  std::vector<engine::ControllerMemory*> memories_;
};

// What was expected and how it came out. The exit status.
int tell_expected(const ServeOptions& options, const engine::ExpectedValues& expected,
                  ResultWriter* writer, const Terminal& terminal) {
  if (expected.expected().empty()) return exit_fine;
  const auto results = expected.results(true);
  const tables::Table table = tables::expected_table(expected.expected(), results);
  const bool good = std::all_of(results.begin(), results.end(),
                                [](const engine::ExpectationResult& each) { return each.good; });
  const Terminal on = told_on(options.output, terminal);
  on.out << table_text("expected", table, on) << "\n"
         << (good ? "all that was expected was written\n"
                  : "not all that was expected was written\n");
  if (writer != nullptr && !writer->write("served.json", files::served_json(table, good))) {
    return exit_unreachable;
  }
  return good ? exit_fine : exit_findings;
}

}  // namespace

int run_serve(const ServeOptions& options, const Terminal& terminal) {
  const auto length = run_length(options.duration);
  if (!length) return usage_error(terminal, length.error());
  if (options.until_met && options.expect.empty()) {
    return usage_error(terminal, "--until-met is of use with --expect alone");
  }
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  const auto served = served_of(plan, options);
  if (!served) return usage_error(terminal, served.error());
  internal::ValueFeed feed(plan, {options.values, options.watch},
                           [&](const std::vector<engine::StatedValue>& rows) {
                             return of_nobody_served(rows, *served);
                           });
  if (const auto refused = feed.begin(terminal)) return *refused;
  std::vector<engine::Fault> faults;
  if (!options.faults.empty()) {
    auto table = read_table<engine::Fault>(options.faults, plan, files::read_faults, terminal);
    if (table.refused) return *table.refused;
    faults = std::move(table.rows);
  }
  std::vector<engine::Expectation> expected;
  if (!options.expect.empty()) {
    auto table =
        read_table<files::ExpectedValue>(options.expect, plan, files::read_expected, terminal);
    if (table.refused) return *table.refused;
    const model::Findings findings = never_written(table.rows, plan, *served);
    if (!findings.empty()) {
      print_table_findings(options.expect, findings, terminal);
      return exit_usage;
    }
    for (const files::ExpectedValue& row : table.rows) {
      expected.push_back(internal::expectation_of(plan, row));
    }
  }
  const StopSignals signals;
  const timing::TimingModel timing = timing::build_timing_model(plan);
  live::RuntimeOptions runtime_options;
  runtime_options.serve = true;
  runtime_options.served = *served;
  runtime_options.listen = options.listen;
  if (!options.places.empty()) {
    auto places = read_endpoints_file(options.places, plan, terminal);
    if (!places) return exit_usage;
    runtime_options.places = std::move(*places);
  }
  runtime_options.still = options.still;
  runtime_options.station.durations = durations_named(options.durations);
  runtime_options.stop = signals.token();
  auto opened = live::Runtime::open(plan, timing, runtime_options);
  if (!opened) return unreachable(terminal, opened.error().message);
  live::Runtime& runtime = **opened;
  runtime.set_faults(engine::FaultScript(std::move(faults)));
  const live::Endpoints& endpoints = runtime.endpoints();
  const std::string document = files::endpoints_json({endpoints.lines, endpoints.tcp});
  const bool json = options.output.format == "json";
  terminal.out << (json ? document : table_of(plan, endpoints, *served, terminal)) << std::flush;
  std::optional<ResultWriter> writer;
  const Terminal on = told_on(options.output, terminal);
  if (!options.output.out.empty()) {
    writer.emplace(options.output.out, options.output.force, on);
    if (!writer->write("endpoints.json", document)) return exit_unreachable;
    terminal.out << std::flush;
  }
  if (!json) terminal.out << "serving; Ctrl-C stops\n" << std::flush;
  Serving serving(plan, runtime, feed, std::move(expected), on);
  serving.run(*length, options.until_met);
  std::uint64_t requests = 0;
  std::uint64_t replies = 0;
  for (const engine::StationCounts& counts : runtime.station_counts()) {
    requests += counts.requests;
    replies += counts.answered.replies;
  }
  const int status =
      tell_expected(options, serving.expected(), writer ? &*writer : nullptr, terminal);
  if (!runtime.failure().empty()) return unreachable(terminal, runtime.failure());
  on.out << fmt::format("served {} requests, {} of them with a reply\n", requests, replies);
  return status;
}

Action declare_serve(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<ServeOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command
      .add_option("--values", options->values,
                  "values and generators (where,value,at), e.g. moisture.grain_moisture,sine 11 14 "
                  "60s; - for lines of standard input while it serves")
      ->type_name("FILE");
  command.add_flag("--watch", options->watch,
                   "take up what changes in the files of --values while it serves");
  command.add_option("--faults", options->faults, "a table of faults (at,for,slave,fault,with)")
      ->type_name("FILE");
  command
      .add_option("--only", options->only,
                  "serve this slave or answering controller; nobody else answers")
      ->type_name("NAME");
  command
      .add_option("--without", options->without, "serve all but this one, which is there itself")
      ->type_name("NAME");
  command
      .add_option("--places", options->places,
                  "devices and ports to serve on, in the form of endpoints.json")
      ->type_name("FILE");
  command
      .add_option("--expect", options->expect,
                  "values that the controllers must have written (where,value,tolerance,within)")
      ->type_name("FILE");
  command.add_flag("--until-met", options->until_met, "stop once all that is expected is met");
  command.add_flag("--still", options->still, "values do not move by themselves");
  command
      .add_option("--durations", options->durations, "delays of slaves: typical, longest or random")
      ->check(CLI::IsMember({"typical", "longest", "random"}))
      ->capture_default_str()
      ->type_name("WHICH");
  command
      .add_option("--listen", options->listen,
                  "address to listen on; others than 127.0.0.1 open it")
      ->capture_default_str()
      ->type_name("ADDRESS");
  command.add_option("--duration", options->duration, "stop by itself after this time")
      ->type_name("TIME");
  add_results(command, options->output);
  return [options, &terminal] { return run_serve(*options, terminal); };
}

}  // namespace greymet::cli
