// greymet run
#include <algorithm>
#include <memory>
#include <set>

#include <fmt/format.h>

#include "checks/symptoms.h"
#include "cli/print.h"
#include "cli/results.h"
#include "cli/stop_signals.h"
#include "cli/table_text.h"
#include "cli/wire_files.h"
#include "files/request_log.h"
#include "files/run_json.h"
#include "line/command_line.h"
#include "live/hand.h"
#include "live/runtime.h"
#include "loaded_program.h"
#include "model/duration_text.h"
#include "model/nearest_name.h"
#include "run_files.h"
#include "run_loop.h"
#include "settled_lines.h"
#include "tables/measured_tables.h"
#include "timing/measured_facts.h"
#include "value_feed.h"

namespace greymet::cli {

using internal::ExpectedOfRun;
using model::Duration;

namespace {

// What `explain` knows of the slave that did worst; empty where there is none.
std::string symptom_of(const std::vector<engine::SlaveState>& slaves) {
  const auto worst = std::max_element(
      slaves.begin(), slaves.end(), [](const engine::SlaveState& a, const engine::SlaveState& b) {
        return std::pair(a.unanswered, a.refused) < std::pair(b.unanswered, b.refused);
      });
  if (worst == slaves.end()) return {};
  switch (worst->cause) {
    case engine::Cause::no_reply: return "silence";
    case engine::Cause::refused:
    case engine::Cause::closed: return "refused";
    case engine::Cause::broken_frame: return "broken";
    case engine::Cause::other_answer: return "other";
    default: break;
  }
  if (worst->refused == 0) return {};
  const std::string code = fmt::format("{:02X}", worst->exception);
  return checks::symptom_named(code) != nullptr ? code : std::string();
}

std::string summary_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                         const files::RunSummary& summary, const Terminal& terminal) {
  std::string text =
      table_text("transactions, ms", tables::measured_table(summary.transactions), terminal) + "\n";
  const bool any_odd = std::any_of(summary.slaves.begin(), summary.slaves.end(),
                                   [](const engine::SlaveState& s) { return s.is_odd(); });
  if (any_odd) {
    text += table_text("slaves, ms", tables::slaves_table(plan, report, summary.slaves), terminal) +
            "\n";
  }
  const bool any_down = std::any_of(summary.wires.begin(), summary.wires.end(),
                                    [](const engine::WireState& w) { return !w.works; });
  if (any_down) {
    text += table_text("lines and connections, ms", tables::wires_table(report, summary.wires),
                       terminal) +
            "\n";
  }
  if (!summary.heartbeats.empty()) {
    text += table_text("heartbeats, ms", tables::run_heartbeats_table(plan, summary.heartbeats),
                       terminal) +
            "\n";
  }
  if (!summary.expected.empty()) {
    text += table_text("expected", tables::expected_table(summary.expected, summary.results),
                       terminal) +
            "\n";
  }
  for (const files::ToldProgram& each : summary.programs) {
    text += fmt::format("{} {}\n", shown(each.controller), shown(each.text));
  }
  text += odd_wires_text(summary.odd);
  text += fmt::format("{:.1f} s; every request accounted for: {}\n",
                      model::to_ms(summary.lasted) / 1000, summary.accounted ? "yes" : "NO");
  if (!summary.lost.empty()) text += fmt::format("stopped early: {}\n", shown(summary.lost));
  const engine::RunOutcome outcome = summary.verdict.outcome;
  text += tinted(terminal,
                 outcome == engine::RunOutcome::passed      ? Tint::green
                 : outcome == engine::RunOutcome::disturbed ? Tint::yellow
                                                            : Tint::red,
                 fmt::format("run {}", to_string(outcome)));
  if (summary.expected.empty() && outcome == engine::RunOutcome::passed) {
    text += "; no value was expected (--expect)";
  }
  text += "\n";
  constexpr std::size_t most_reasons = 8;
  const auto& because = summary.verdict.because;
  for (std::size_t i = 0; i < because.size() && i < most_reasons; ++i) {
    text += "  " + folded(shown(because[i]), 2, 4, terminal.width) + "\n";
  }
  if (because.size() > most_reasons) {
    text += fmt::format("  and {} more\n", because.size() - most_reasons);
  }
  const std::string symptom = symptom_of(summary.slaves);
  if (!symptom.empty()) {
    text += fmt::format("greymet explain {} says what to look at, in which order\n", symptom);
  }
  return text;
}

// What a run is judged by, besides what it measured.
struct JudgedBy {
  const std::vector<engine::StatedValue>& values;
  const engine::RunHeartbeats& heartbeats;
  double tolerated = 0;
  bool allow_writes = false;
  const std::vector<files::ToldProgram>& programs;
};

files::RunSummary summary_of(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                             const live::Runtime& runtime, const engine::RunWatch& watch,
                             const engine::MasterOptions& options, Duration lasted,
                             const JudgedBy& by) {
  files::RunSummary out;
  out.lasted = lasted;
  std::vector<const engine::Master*> masters;
  for (const engine::Master& master : runtime.masters()) masters.push_back(&master);
  out.transactions = watch.transactions(masters, options, lasted);
  out.slaves = watch.slaves().states();
  out.wires = watch.slaves().wires();
  out.expected = watch.expected();
  out.results = watch.results(true);
  out.odd = engine::odd_wires(runtime.masters());
  out.accounted = watch.measures().tries() == runtime.frames_sent();
  out.lost = runtime.failure();
  out.heartbeats = by.heartbeats.states();
  engine::RunFacts facts{plan, report,        watch,        out.transactions, out.results,
                         {},   out.accounted, by.tolerated, out.heartbeats};
  out.programs = by.programs;
  for (const files::ToldProgram& each : by.programs) {
    if (each.is_other()) facts.other_programs.push_back(each.controller + " " + each.text);
  }
  if (by.allow_writes) {
    facts.never_sent = internal::never_sent_values(plan, by.values, out.transactions, lasted);
  }
  out.verdict = engine::judge_run(facts);
  if (!out.lost.empty()) out.verdict.outcome = engine::RunOutcome::failed;
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

// Controllers of the run that answer somebody.
std::set<model::Target> answering(const model::ResolvedPlan& plan,
                                  const std::vector<std::size_t>& controllers) {
  std::set<model::Target> out;
  for (std::size_t c = 0; c < plan.exchange.controllers.size(); ++c) {
    const bool is_run = controllers.empty() ||
                        std::find(controllers.begin(), controllers.end(), c) != controllers.end();
    if (is_run && !plan.exchange.controllers[c].answers.empty()) out.insert({true, c, 0});
  }
  return out;
}

// Controllers that this run asks, and is not itself: which exchange is loaded in them.
std::vector<files::ToldProgram> told_programs(const model::ResolvedPlan& plan,
                                              const std::vector<std::size_t>& run, bool answers,
                                              const live::HandOptions& how) {
  std::vector<files::ToldProgram> out;
  const auto is_run = [&](std::size_t c) {
    return run.empty() || std::find(run.begin(), run.end(), c) != run.end();
  };
  for (const std::size_t c : internal::telling_controllers(plan)) {
    const auto& all = plan.exchange.transactions;
    const bool asked = std::any_of(all.begin(), all.end(), [&](const auto& t) {
      return t.target.is_peer && t.target.index == c && is_run(t.controller) && t.controller != c;
    });
    // where this run answers for it, no program does
    if (!asked || (answers && is_run(c))) continue;
    const internal::LoadedProgram loaded = internal::ask_loaded_program(plan, c, how);
    out.push_back({plan.plan.controllers[c].name, loaded.told, loaded.wanted, loaded.text()});
  }
  return out;
}

// Values that no transaction reads are read once, after all else: the wires are free then. What was
// asked stands in the log.
void read_back(const model::ResolvedPlan& plan, const ExpectedOfRun& wanted,
               const live::HandOptions& how, Duration lasted, engine::RunWatch& watch,
               std::optional<files::RequestLog>& log, const Terminal& terminal) {
  for (const std::size_t index : wanted.read_back) {
    const engine::Expectation& e = wanted.expected[index];
    const model::Point& point = plan.map_of({false, *e.slave, 0})->points()[e.point];
    const model::Extent extent = model::extent_of(point);
    live::HandBlock block;
    block.slave = *e.slave;
    block.area = point.address.area;
    block.first = extent.first;
    block.count = extent.end - extent.first;
    auto hand = live::Hand::open(plan, {block}, how);
    if (!hand) {
      unreachable(terminal, fmt::format("{}: {}", e.where, hand.error().message));
      continue;
    }
    const engine::RequestRecord record = (*hand)->read();
    if (log && record.tries > 0) log->add_later((*hand)->plan(), record, lasted);
    if (record.outcome != engine::Outcome::good) continue;
    const auto order = plan.order_of(*e.slave, point).value_or(model::WordOrder::abcd);
    const auto value = engine::value_in(record.words, point, order);
    if (value) watch.found(index, lasted, *value);
  }
}

// Reply times of all that answered, as lines of the plan.
int learn(const RunOptions& options, const files::LoadedPlan& loaded,
          const std::vector<engine::MeasuredTransaction>& transactions, const Terminal& terminal) {
  std::vector<timing::MeasuredDuration> durations;
  for (const engine::MeasuredTransaction& t : transactions) {
    const engine::DurationSample& services = t.timed().services;
    const auto median = services.median();
    if (!median) continue;
    durations.push_back({t.name, services.count(), *median, *services.greatest()});
  }
  return internal::tell_learned(internal::learned_replies(loaded, durations), options.plan, loaded,
                                options.write, told_on(options.output, terminal));
}

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
  const auto tolerated = share_from("tolerate", options.tolerate);
  if (!tolerated) return usage_error(terminal, tolerated.error());
  const UsablePlan usable = load_usable_plan(options.plan, terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  const auto controllers = controllers_named(plan, options.controllers);
  if (!controllers) return usage_error(terminal, controllers.error());
  live::Endpoints endpoints;
  if (!options.endpoints.empty()) {
    auto table = read_endpoints_file(options.endpoints, plan, terminal);
    if (!table) return exit_usage;
    endpoints = std::move(*table);
  }
  internal::ValueFeed feed(plan, {options.values, options.watch},
                           [&](const std::vector<engine::StatedValue>& rows) {
                             return internal::never_sent(rows, plan, *controllers);
                           });
  if (const auto refused = feed.begin(terminal)) return *refused;
  const ExpectedOfRun wanted =
      internal::read_expected_of_run(options.expect, plan, *controllers, terminal);
  if (wanted.refused) return *wanted.refused;

  const StopSignals signals;
  live::RuntimeOptions how;
  how.master = true;
  how.only = *controllers;
  how.endpoints = endpoints;
  if (options.answer) {
    how.serve = true;
    how.at_plans_places = true;
    how.places = endpoints;
    how.served = answering(plan, *controllers);
    if (how.served.empty()) {
      return usage_error(terminal, "--answer: no controller of this run answers anybody");
    }
  }
  how.masters.allow_writes = options.allow_writes;
  how.masters.allow_broadcasts = options.allow_broadcast;
  how.masters.only_known_values = true;
  how.masters.lines_take_time = !options.unpaced;
  how.stop = signals.token();
  const timing::TimingReport report = timing::analyse_longest(plan);
  live::HandOptions by_hand;
  by_hand.endpoints = how.endpoints;
  by_hand.lines_take_time = how.masters.lines_take_time;
  by_hand.stop = how.stop;
  const auto programs = told_programs(plan, *controllers, options.answer, by_hand);
  auto opened = live::Runtime::open(plan, report.model, how);
  if (!opened) return unreachable(terminal, opened.error().message);
  live::Runtime& runtime = **opened;
  // only now: a log of before is not lost to a port that cannot be opened
  auto log = begin_log(options.output, plan, files::OnSlowDisk::fail);
  if (!log) return unreachable(terminal, log.error().message);
  engine::RunWatch watch(plan, report, wanted.expected, *controllers);
  engine::RunHeartbeats heartbeats(
      plan, report, {*controllers, options.allow_writes, options.allow_broadcast, options.answer});
  internal::RunLoop loop(
      {plan, runtime, watch, heartbeats, feed, *log, how.masters, report, wanted.read_back},
      terminal);
  const bool on_screen =
      terminal.folds && options.output.format == "text" && !feed.takes_keyboard();
  loop.run(*length, options.until_met, on_screen);
  if (!wanted.read_back.empty() && !runtime.stopped()) {
    runtime.hang_up();
    read_back(plan, wanted, by_hand, runtime.now(), watch, *log, terminal);
  }

  const files::RunSummary summary =
      summary_of(plan, report, runtime, watch, how.masters, loop.lasted(),
                 {feed.rows(), heartbeats, *tolerated, options.allow_writes, programs});
  int status = summary.verdict.outcome == engine::RunOutcome::failed ? exit_findings : exit_fine;
  if (!summary.lost.empty()) {
    status = unreachable(terminal, summary.lost + "; what was measured so far is kept");
  }
  status = finish_log(*log, status, terminal);
  auto writer =
      print_results(options.output,
                    {"run", [&] { return files::run_json(plan, report, summary); },
                     [&](const Terminal& on) { return summary_text(plan, report, summary, on); },
                     [&] {
                       return std::vector<tables::Table>{
                           tables::measured_table(summary.transactions),
                           tables::slaves_table(plan, report, summary.slaves),
                           tables::wires_table(report, summary.wires),
                           tables::run_heartbeats_table(plan, summary.heartbeats),
                           tables::expected_table(summary.expected, summary.results)};
                     }},
                    terminal);
  if (options.learn) {
    status = std::max(status, learn(options, usable.loaded, summary.transactions, terminal));
  }
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
  command
      .add_option("--values", options->values,
                  "values that writes send (where,value,at), numbers or generators; - for lines "
                  "of standard input while it runs")
      ->type_name("FILE");
  command.add_flag("--watch", options->watch,
                   "take up what changes in the files of --values while it runs");
  command.add_flag("--answer", options->answer,
                   "also answer for these controllers, where --endpoints or the plan says");
  command
      .add_option("--expect", options->expect,
                  "values that must be there (where,value,tolerance,within): an acceptance test")
      ->type_name("FILE");
  command.add_flag("--until-met", options->until_met, "stop once all that is expected is met");
  command
      .add_option("--tolerate", options->tolerate,
                  "share of requests that may fail, come late or again: then the run is "
                  "\"disturbed\", not failed")
      ->type_name("PERCENT")
      ->capture_default_str();
  command.add_option("--duration", options->duration, "stop by itself after this time")
      ->type_name("TIME");
  command.add_flag("--learn", options->learn, "tell the reply times as lines of the plan");
  command.add_flag("--write", options->write, "with --learn: put them there")
      ->needs(command.get_option("--learn"));
  command.add_flag("--unpaced", options->unpaced,
                   "lines hand bytes on at once, as pseudo-terminals do that nobody paces");
  add_results(command, options->output, {csv_format});
  return [options, &terminal] { return run_run(*options, terminal); };
}

}  // namespace greymet::cli
