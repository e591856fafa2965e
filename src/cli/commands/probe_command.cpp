// greymet probe
#include <algorithm>
#include <charconv>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/table_text.h"
#include "cli/wire_files.h"
#include "files/table_json.h"
#include "line/command_line.h"
#include "loaded_program.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "probe_draft.h"
#include "probe_session.h"

namespace greymet::cli {

using internal::HandValue;
using internal::ProbeFound;
using internal::ProbeWanted;
using model::Duration;

namespace {

// Without a plan one is made of the device, with nothing but it.
HandOptions device_of(const ProbeOptions& options) {
  HandOptions hand;
  hand.at = options.device;
  hand.mode = options.mode;
  hand.unit = options.unit;
  hand.baud = options.baud;
  hand.format = options.format;
  if (!options.timeout.empty()) hand.timeout = options.timeout;
  hand.type = options.type;
  return hand;
}

UsablePlan plan_to_probe(const ProbeOptions& options, const Terminal& terminal) {
  if (options.device.empty()) return load_usable_plan(options.words.front(), terminal);
  UsablePlan usable;
  const auto text = internal::plan_without_plan(device_of(options));
  if (!text) {
    usable.refused = usage_error(terminal, text.error());
    return usable;
  }
  usable.loaded = files::load_plan("probe.toml", files::memory_files({{"probe.toml", *text}}));
  for (const model::Finding& f : usable.loaded.findings) {
    if (f.severity != model::Severity::error) continue;
    usable.refused = usage_error(terminal, f.message + (f.remedy.empty() ? "" : "; " + f.remedy));
    return usable;
  }
  return usable;
}

// "1..20", "7"; nothing where it is no range of units, or one of more than there are.
std::vector<std::int64_t> units_from(const std::string& text, bool on_line) {
  const std::size_t dots = text.find("..");
  const auto number = [](std::string_view part) {
    std::int64_t value = -1;
    const auto [end, error] = std::from_chars(part.data(), part.data() + part.size(), value);
    return error == std::errc() && end == part.data() + part.size() ? value : -1;
  };
  const std::int64_t first = number(std::string_view(text).substr(0, dots));
  const std::int64_t last =
      dots == std::string::npos ? first : number(std::string_view(text).substr(dots + 2));
  const std::int64_t least = on_line ? 1 : 0;
  const std::int64_t most = on_line ? 247 : 255;
  std::vector<std::int64_t> out;
  if (first < least || last > most) return out;
  for (std::int64_t unit = first; unit <= last; ++unit) out.push_back(unit);
  return out;
}

std::string wrong_words(const ProbeOptions& options) {
  const bool without_plan = !options.device.empty();
  if (without_plan && !options.words.empty()) {
    return "--device is for a device without a plan; leave PLAN and SLAVE out";
  }
  if (!options.plan_from.empty()) {
    constexpr std::int64_t most = 1000;
    const bool asks_more = !options.point.empty() || !options.at.empty() || options.settings ||
                           options.at_once || !options.units.empty() || options.functions ||
                           options.holes || options.longest || options.times > 0;
    if (!without_plan) return "--plan-from is of a device without a plan: name it with --device";
    if (asks_more) return "--plan-from reads what there is; it asks nothing else";
    if (options.up_to < 1 || options.up_to > most) return "--up-to takes 1 to 1000";
  }
  if (!without_plan && (options.words.empty() || options.words.size() > 2)) {
    return "write PLAN SLAVE, e.g. maltings.toml moisture, or --device with host or serial device";
  }
  if (!options.point.empty() && !options.at.empty()) return "--point and --at name the same thing";
  const bool value = !options.point.empty() || !options.at.empty();
  if (!options.near.empty() && !value) {
    return "--near is what the display shows of --point NAME or --at ADDRESS";
  }
  if (!options.type.empty() && !value) return "--type is of --point NAME or --at ADDRESS";
  if (without_plan && !options.point.empty()) return "points are of a plan's map; write --at hr:10";
  if (without_plan && options.write) return "--write puts lines into a plan; there is none";
  if (without_plan && !options.endpoints.empty())
    return "--endpoints are of a plan; --device says where the device is";
  const bool of_one = value || options.settings || options.at_once || !options.units.empty();
  if (!without_plan && options.words.size() < 2 && of_one) {
    return "this is asked of one slave; write PLAN SLAVE";
  }
  if (options.times < 0 || options.times > 1000) return "--times takes 1 to 1000";
  double shown_value = 0;
  const char* end = options.near.data() + options.near.size();
  const auto [stop, error] = std::from_chars(options.near.data(), end, shown_value);
  if (!options.near.empty() && (error != std::errc() || stop != end)) {
    return fmt::format("--near is '{}'; write the number that the display shows, e.g. 43.1",
                       shown(options.near.substr(0, 20)));
  }
  return {};
}

bool names_parts(const ProbeOptions& options) {
  return options.functions || options.holes || options.longest || options.times > 0;
}

// What is asked of a slave where nothing is named: what the plan does not know of it.
ProbeWanted wanted_of(const ProbeOptions& options, const model::ResolvedPlan& plan,
                      std::size_t slave, double share) {
  constexpr std::size_t usual_times = 20;
  ProbeWanted wanted;
  wanted.share = share;
  if (!options.near.empty()) wanted.near = options.near;
  wanted.functions = options.functions;
  wanted.holes = options.holes;
  wanted.longest = options.longest;
  wanted.times = static_cast<std::size_t>(options.times);
  const bool value = !options.point.empty() || !options.at.empty();
  if (value || names_parts(options)) return wanted;
  const model::Slave& asked = plan.plan.slaves[slave];
  const bool all = options.words.size() == 2 || !options.device.empty();
  const bool knows_holes = asked.holes && asked.holes->value != model::Holes::unknown;
  wanted.functions = all || !asked.functions;
  wanted.holes = all || !knows_holes;
  wanted.longest = all;
  wanted.times = all || !asked.reply ? usual_times : 0;
  return wanted;
}

// What can be asked of a slave alone; empty where nothing of it is.
std::string asked_of_controller(const ProbeOptions& options) {
  const bool value = !options.point.empty() || !options.at.empty();
  const bool searches = options.settings || options.at_once || !options.units.empty();
  if (!value && !searches && !names_parts(options)) return {};
  return fmt::format(
      "{} is a controller: it is asked which exchange is loaded in it, and nothing "
      "else",
      shown(options.words.back().substr(0, 60)));
}

// A controller that is named and cannot be asked.
std::optional<std::string> controller_without_word(const ProbeOptions& options,
                                                   const model::ResolvedPlan& plan) {
  if (options.words.size() != 2) return std::nullopt;
  for (const model::Controller& each : plan.plan.controllers) {
    if (each.name != options.words[1]) continue;
    return fmt::format(
        "controller {} tells nobody which exchange is loaded in it; write fingerprint "
        "= \"%MW...\" there, a word that it serves",
        shown(each.name));
  }
  return std::nullopt;
}

std::string json_text(const ProbeFound& found, const std::vector<std::string>& slaves) {
  nlohmann::ordered_json out;
  out["slaves"] = slaves;
  out["requests"] = found.requests;
  out["answered"] = found.answered;
  out["answers"] = files::rows_json(tables::probe_table(found.answers));
  out["readings"] = files::rows_json(tables::readings_table(found.readings));
  out["lines"] = files::rows_json(tables::plan_lines_table(found.lines.rows));
  out["by_hand"] = found.by_hand;
  out["remarks"] = found.remarks;
  return out.dump(2) + "\n";
}

std::string text_of(const ProbeFound& found, const Terminal& terminal) {
  std::string text = table_text("answers", tables::probe_table(found.answers), terminal);
  if (!found.readings.empty()) {
    text += "\n" + table_text("readings", tables::readings_table(found.readings), terminal);
  }
  if (!found.remarks.empty()) text += "\n";
  for (const std::string& each : found.remarks) text += "  " + shown(each) + "\n";
  text += internal::lines_text(found.lines, terminal);
  if (!found.by_hand.empty()) text += "\nto be written by hand\n";
  for (const std::string& each : found.by_hand) text += "  " + shown(each) + "\n";
  return text + fmt::format("\n{} request{}, reads alone\n", found.requests,
                            found.requests == 1 ? "" : "s");
}

struct Probing {
  const ProbeOptions& options;
  const model::ResolvedPlan& plan;
  live::HandOptions how;
  double share = 0.5;
  std::vector<std::size_t> controllers;  // asked which exchange is loaded in them
};

tl::expected<void, live::LiveError> ask_all(const Probing& probing,
                                            const std::vector<std::size_t>& slaves,
                                            const std::optional<HandValue>& value,
                                            ProbeFound& found) {
  const ProbeOptions& options = probing.options;
  const bool parts = names_parts(options) || value;
  if (options.settings) {
    if (auto done = internal::probe_settings(probing.plan, slaves.front(), probing.how, found);
        !done || !parts) {
      return done;
    }
  }
  if (!options.units.empty()) {
    const bool on_line = probing.plan.plan.slaves[slaves.front()].line.has_value();
    if (auto done = internal::probe_units(probing.plan, slaves.front(),
                                          units_from(options.units, on_line), probing.how, found);
        !done || !parts) {
      return done;
    }
  }
  if (options.at_once) {
    if (auto done = internal::probe_at_once(probing.plan, slaves.front(), probing.how, found);
        !done || !parts) {
      return done;
    }
  }
  for (const std::size_t controller : probing.controllers) {
    internal::probe_loaded_program(probing.plan, controller, probing.how, found);
  }
  for (const std::size_t slave : slaves) {
    if (probing.how.stop.stop_requested()) break;
    ProbeWanted wanted = wanted_of(options, probing.plan, slave, probing.share);
    wanted.value = value;
    if (auto done = internal::probe_slave(probing.plan, slave, wanted, probing.how, found); !done) {
      // of several, one that cannot be reached keeps no other from being asked
      if (slaves.size() == 1) return done;
      found.open = true;
      found.remarks.push_back(
          fmt::format("{}: {}", probing.plan.plan.slaves[slave].name, done.error().message));
    }
  }
  return {};
}

}  // namespace

int run_probe(const ProbeOptions& options, const Terminal& terminal) {
  if (auto wrong = wrong_words(options); !wrong.empty()) return usage_error(terminal, wrong);
  const auto share = share_from("share", options.share);
  if (!share) return usage_error(terminal, share.error());
  const UsablePlan usable = plan_to_probe(options, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  std::vector<std::size_t> slaves;
  std::vector<std::string> names;
  std::vector<std::string_view> known;
  for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
    known.emplace_back(plan.plan.slaves[s].name);
    if (options.words.size() == 2 && plan.plan.slaves[s].name != options.words[1]) continue;
    slaves.push_back(s);
    names.push_back(plan.plan.slaves[s].name);
  }
  std::vector<std::size_t> controllers;
  for (const std::size_t c : internal::telling_controllers(plan)) {
    const std::string& name = plan.plan.controllers[c].name;
    if (options.words.size() != 2 || options.words[1] == name) controllers.push_back(c);
  }
  if (slaves.empty() && !controllers.empty()) {
    if (auto wrong = asked_of_controller(options); !wrong.empty()) {
      return usage_error(terminal, wrong);
    }
    for (const std::size_t c : controllers) names.push_back(plan.plan.controllers[c].name);
  } else if (const auto silent = controller_without_word(options, plan); slaves.empty() && silent) {
    return usage_error(terminal, *silent);
  } else if (slaves.empty()) {
    return usage_error(
        terminal,
        options.words.size() == 2
            ? fmt::format("the plan has no slave '{}'{}", shown(options.words[1].substr(0, 60)),
                          shown(model::nearest_or_example(options.words[1], known)))
            : std::string("the plan has no slave"));
  }
  const bool on_line =
      !slaves.empty() && plan.slave_line[model::SlaveIndex(slaves.front())].has_value();
  if (options.settings && !on_line) {
    return usage_error(terminal, "--settings are of a serial line; this slave is at a host");
  }
  if (options.at_once && on_line &&
      !plan.line_gateway[*plan.slave_line[model::SlaveIndex(slaves.front())]]) {
    return usage_error(terminal, "--at-once is of hosts: a line carries one request at a time");
  }
  if (!options.units.empty() && units_from(options.units, on_line).empty()) {
    return usage_error(
        terminal, fmt::format("--units is '{}'; write e.g. 1..20, within {}",
                              shown(options.units.substr(0, 20)), on_line ? "1..247" : "0..255"));
  }
  Probing probing{options, plan, {}, *share, controllers};
  const bool searches = options.settings || !options.units.empty();
  const auto timeout = model::parse_duration(!options.timeout.empty() ? options.timeout
                                             : searches               ? "200ms"
                                                                      : "1s");
  if (!timeout || *timeout <= Duration{}) {
    return usage_error(terminal, fmt::format("--timeout is '{}'; write a time, e.g. 200ms",
                                             shown(options.timeout.substr(0, 20))));
  }
  if (!options.timeout.empty() || searches) probing.how.timeout = *timeout;
  std::optional<HandValue> value;
  if (!options.point.empty() || !options.at.empty()) {
    const std::string& place = options.point.empty() ? options.at : options.point;
    auto read = internal::hand_value(
        plan, options.device.empty() ? options.words[1] + "." + place : place, device_of(options));
    if (!read) return usage_error(terminal, read.error());
    const bool number = !is_bit_area(read->block.area) &&
                        read->form.type.kind != model::TypeKind::boolean &&
                        read->form.type.kind != model::TypeKind::text;
    if (!options.near.empty() && !number) {
      return usage_error(terminal, "--near is of numbers; this is a bit or a text");
    }
    value = std::move(*read);
  }
  if (!options.endpoints.empty()) {
    const auto endpoints = read_endpoints_file(options.endpoints, plan, terminal);
    if (!endpoints) return exit_usage;
    probing.how.endpoints = *endpoints;
  }
  const StopSignals signals;
  probing.how.stop = signals.token();
  probing.how.lines_take_time = !options.unpaced;
  if (!options.plan_from.empty()) {
    return internal::draft_plan_of_device(options, plan, probing.how, *share, terminal);
  }
  ProbeFound found;
  if (auto done = ask_all(probing, slaves, value, found); !done) {
    return unreachable(terminal, done.error().message);
  }
  auto writer = print_results(options.output,
                              {"probe", [&] { return json_text(found, names); },
                               [&](const Terminal& on) { return text_of(found, on); },
                               [&] {
                                 return std::vector<tables::Table>{
                                     tables::probe_table(found.answers),
                                     tables::readings_table(found.readings),
                                     tables::plan_lines_table(found.lines.rows)};
                               }},
                              terminal);
  int status = found.answered && !found.open ? exit_fine : exit_findings;
  if (options.write) {
    const int written = internal::write_lines(options.words.front(), usable.loaded, found.lines,
                                              told_on(options.output, terminal));
    status = std::max(status, written);
  }
  if (!writer) return status;
  return std::max(status, writer->finish());
}

Action declare_probe(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<ProbeOptions>();
  command.add_option("PLAN SLAVE", options->words,
                     "the plan, and who is asked: a slave, or a controller that tells its "
                     "fingerprint; all if left out");
  command
      .add_option("--endpoints", options->endpoints,
                  "where lines and hosts are, as serve writes it; else as the plan says")
      ->type_name("FILE");
  command.add_option("--point", options->point, "a point of its map: read, and its neighbours")
      ->type_name("NAME");
  command.add_option("--at", options->at, "registers instead of a point: hr:10, ir:0, 40011")
      ->type_name("ADDRESS");
  command.add_option("--type", options->type, "as which they are meant, as in a register map")
      ->type_name("TYPE");
  command
      .add_option("--near", options->near,
                  "what the device's own display shows of it: settles offset, order and factor")
      ->type_name("VALUE");
  command.add_flag("--functions", options->functions, "which read functions it knows");
  command.add_flag("--holes", options->holes, "whether registers between its points answer");
  command.add_flag("--longest", options->longest, "how many registers one request may read");
  command
      .add_option("--times", options->times,
                  "read so often, and measure how long it takes to answer")
      ->type_name("N");
  command.add_option("--units", options->units, "who answers on this line or host, e.g. 1..20")
      ->type_name("A..B");
  command.add_flag("--settings", options->settings,
                   "try the usual settings of serial lines until it answers");
  command.add_flag("--at-once", options->at_once,
                   "how many requests and connections a host bears at a time: up to 8");
  command
      .add_option("--plan-from", options->plan_from,
                  "with --device: read what it has, and make a plan of it in this folder")
      ->type_name("DIR");
  command
      .add_option("--up-to", options->up_to,
                  "with --plan-from: registers and bits looked at, from 0 on")
      ->capture_default_str()
      ->type_name("N");
  command.add_flag("--write", options->write, "put what is settled into the plan");
  command.add_option("--share", options->share, "of the line's time that its requests may take")
      ->capture_default_str()
      ->type_name("SHARE");
  command
      .add_option(
          "--timeout", options->timeout,
          "how long to wait for a reply; else as the plan says, 200ms for units and settings")
      ->type_name("TIME");
  command
      .add_option("--device", options->device, "without a plan: host, host:port or serial device")
      ->type_name("PLACE");
  auto* const device = command.get_option("--device");
  command.add_option("--unit", options->unit, "with --device: unit of the slave")
      ->needs(device)
      ->check(CLI::Range(0, 255))
      ->type_name("N");
  command.add_option("--mode", options->mode, "with --device: rtu, ascii or tcp")->needs(device);
  command.add_option("--baud", options->baud, "with --device: of a serial device")
      ->needs(device)
      ->capture_default_str();
  command
      .add_option("--characters", options->format, "with --device: their format on a serial line")
      ->needs(device)
      ->capture_default_str();
  command.add_flag("--unpaced", options->unpaced,
                   "lines hand bytes on at once, as pseudo-terminals do that nobody paces");
  add_results(command, options->output, {{"csv", "one line a request"}});
  return [options, &terminal] { return run_probe(*options, terminal); };
}

}  // namespace greymet::cli
