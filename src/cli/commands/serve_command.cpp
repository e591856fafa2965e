#include <memory>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/table_cells.h"
#include "cli/wire_files.h"
#include "files/endpoints_json.h"
#include "line/command_line.h"
#include "live/runtime.h"
#include "model/duration_text.h"

namespace greymet::cli {

using model::Duration;

namespace {

void put_start_values(const std::vector<files::StatedValue>& values, live::Runtime& runtime) {
  for (const files::StatedValue& value : values) {
    if (value.at.slave) {
      engine::FieldSlave& slave = runtime.field().slave(*value.at.slave);
      if (value.text) slave.set_text(value.at.point, *value.text);
      if (value.generator) slave.set_generator(value.at.point, *value.generator);
      continue;
    }
    put_number(runtime.memory(value.at.controller), *value.at.memory, value.generator->a);
  }
}

std::string table_of(const model::ResolvedPlan& plan, const live::Endpoints& endpoints,
                     const Terminal& terminal) {
  std::string text = heading(
      terminal, "served",
      fmt::format("  {} {} who answers", name_cell("in the plan", 22), name_cell("here", 22)));
  const auto row = [&](const std::string& name, const std::string& here, const std::string& who) {
    text += fmt::format("  {} {} {}\n", name_cell(name, 22), name_cell(here, 22), shown(who));
  };
  const auto add = [](std::string& list, const std::string& name) {
    list += (list.empty() ? "" : ", ") + name;
  };
  const auto& slaves = plan.exchange.slaves;
  for (const auto& [name, device] : endpoints.lines) {
    std::string who;
    for (const auto& slave : slaves) {
      if (slave.line && plan.exchange.lines[*slave.line].name == name) add(who, slave.name);
    }
    row("line " + name, device, who);
  }
  for (const auto& [host, address] : endpoints.tcp) {
    std::string who;
    for (const auto& slave : slaves) {
      if (slave.host && fmt::format("{}:{}", *slave.host, slave.port) == host) add(who, slave.name);
    }
    for (const auto& gateway : plan.exchange.gateways) {
      if (gateway.host && fmt::format("{}:{}", *gateway.host, gateway.port) == host) {
        add(who, "gateway " + gateway.name);
      }
    }
    for (const auto& t : plan.exchange.transactions) {
      if (!t.target.is_peer || fmt::format("{}:{}", t.endpoint.host, t.endpoint.port) != host)
        continue;
      add(who, "controller " + plan.target_name(t.target));
      break;
    }
    row(host, address, who);
  }
  return text;
}

}  // namespace

int run_serve(const ServeOptions& options, const Terminal& terminal) {
  const auto length = run_length(options.duration);
  if (!length) return usage_error(terminal, length.error());
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  std::vector<files::StatedValue> values;
  if (!options.values.empty()) {
    const auto reader = [](const std::string& text, std::uint32_t file,
                           const model::ResolvedPlan& of) {
      return files::read_values(text, file, of, true);
    };
    auto table = read_table<files::StatedValue>(options.values, plan, reader, terminal);
    if (table.refused) return *table.refused;
    values = std::move(table.rows);
  }
  std::vector<engine::Fault> faults;
  if (!options.faults.empty()) {
    auto table = read_table<engine::Fault>(options.faults, plan, files::read_faults, terminal);
    if (table.refused) return *table.refused;
    faults = std::move(table.rows);
  }
  const StopSignals signals;
  const timing::TimingModel timing = timing::build_timing_model(plan);
  live::RuntimeOptions runtime_options;
  runtime_options.serve = true;
  runtime_options.listen = options.listen;
  runtime_options.still = options.still;
  runtime_options.station.durations = durations_named(options.durations);
  runtime_options.stop = signals.token();
  auto opened = live::Runtime::open(plan, timing, runtime_options);
  if (!opened) return unreachable(terminal, opened.error().message);
  live::Runtime& runtime = **opened;
  put_start_values(values, runtime);
  runtime.set_faults(engine::FaultScript(std::move(faults)));
  const live::Endpoints& endpoints = runtime.endpoints();
  const std::string document = files::endpoints_json({endpoints.lines, endpoints.tcp});
  const bool json = options.output.format == "json";
  terminal.out << (json ? document : table_of(plan, endpoints, terminal)) << std::flush;
  if (!options.output.out.empty()) {
    ResultWriter writer(options.output.out, options.output.force,
                        told_on(options.output, terminal));
    if (!writer.write("endpoints.json", document)) return exit_unreachable;
    terminal.out << std::flush;
  }
  if (!json) terminal.out << "serving; Ctrl-C stops\n" << std::flush;
  while (!runtime.stopped() && runtime.now() < *length) {
    const Duration next = runtime.now() + std::chrono::milliseconds(500);
    runtime.run_until(std::min(*length, next), {});
  }
  std::uint64_t requests = 0;
  std::uint64_t replies = 0;
  for (const engine::StationCounts& counts : runtime.station_counts()) {
    requests += counts.requests;
    replies += counts.answered.replies;
  }
  if (!runtime.failure().empty()) return unreachable(terminal, runtime.failure());
  const Terminal on = told_on(options.output, terminal);
  on.out << fmt::format("served {} requests, {} of them with a reply\n", requests, replies);
  return exit_fine;
}

Action declare_serve(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<ServeOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command
      .add_option(
          "--values", options->values,
          "start values and generators (where,value), e.g. moisture.grain_moisture,sine 11 14 "
          "60s")
      ->type_name("FILE");
  command.add_option("--faults", options->faults, "a table of faults (at,for,slave,fault,with)")
      ->type_name("FILE");
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
