// The parts of `timing` below the lines: heartbeats, paths, silent slaves.
#include <algorithm>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/table_cells.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "timing/watchdogs.h"

namespace greymet::cli {

using model::in_ms;
using model::to_ms;

namespace {

// A rate a year in words a person can weigh.
std::string per_year(double rate) {
  if (rate <= 0) return "none";
  if (rate < 1e-3) return fmt::format("1 in {:.2g} years", 1 / rate);
  if (rate < 1) return fmt::format("1 in {:.0f} years", 1 / rate);
  if (rate < 100) return fmt::format("{:.3g} a year", rate);
  if (rate < 10'000) return fmt::format("{:.0f} a year", rate);
  return fmt::format("{:.0f} a day", rate / 365.25);
}

std::string detection_text(const timing::TimingReport& report, const Terminal& terminal) {
  std::string rows;
  for (std::size_t h = 0; h < report.heartbeats.size(); ++h) {
    const timing::HeartbeatRun& run = report.heartbeat_runs[h];
    if (!run.detection) continue;
    std::string tries = run.tries_to_alarm ? fmt::format("{}", *run.tries_to_alarm) : "never";
    if (!report.heartbeats[h].carrier->delay) tries.assign(1, '-');
    rows += fmt::format(
        "  {} {} {} {} {} {:>9}", name_cell(report.heartbeats[h].name, 21),
        ms_cell(run.detection->least, 9),
        ms_cell(timing::Duration(static_cast<std::int64_t>(run.detection->mean_ms * 1e6)), 9),
        ms_cell(run.detection->latest, 9), ms_cell(report.heartbeats[h].latest_alarm, 9), tries);
    if (run.runs_per_year) rows += fmt::format("  {}", per_year(*run.runs_per_year));
    rows += '\n';
  }
  if (rows.empty()) return {};
  const std::string errors = report.frame_error_rate > 0
                                 ? fmt::format("  expected at {:g}", report.frame_error_rate)
                                 : std::string();
  std::string text =
      heading(terminal, "noticing a stop, simulated",
              fmt::format("  {} {:>9} {:>9} {:>9} {:>9} {:>9}{}", name_cell("heartbeat", 21),
                          "least", "mean", "latest", "alarm<=", "tries", errors)) +
      rows;
  for (std::size_t h = 0; h < report.heartbeats.size(); ++h) {
    const auto& errors_seen = report.heartbeat_runs[h].with_errors;
    if (!errors_seen) continue;
    text += fmt::format("  {}: {} false alarm{} in {:.0f} s simulated with these errors{}\n",
                        shown(report.heartbeats[h].name), errors_seen->alarms,
                        errors_seen->alarms == 1 ? "" : "s", to_ms(errors_seen->observed) / 1000,
                        errors_seen->alarms > 0
                            ? fmt::format(" ({})", per_year(errors_seen->alarms_per_year))
                            : std::string());
  }
  return text + "\n";
}

std::string hop_text(const model::ResolvedPlan& plan, const timing::Hop& hop) {
  if (hop.kind == model::MoveKind::copy) {
    return fmt::format("copy {} of {}", hop.index + 1, plan.plan.controllers[hop.controller].name);
  }
  return plan.transaction_name(hop.index);
}

// Of the names of paths and tags: as wide as they are, and as the terminal allows.
std::size_t name_width(const timing::TimingReport& report, const Terminal& terminal) {
  constexpr std::size_t least = 17;
  constexpr std::size_t others = 68;  // all other columns
  std::size_t width = least;
  for (const timing::PathReport& path : report.paths) {
    width = std::max(width, model::code_points(shown(path.name)));
  }
  for (const timing::TagAge& age : report.tag_ages) {
    width = std::max(width, model::code_points(shown(age.path.name)));
  }
  return std::min(width, std::max(least, terminal.width - std::min(terminal.width, others)));
}

std::string path_rows(const model::ResolvedPlan& plan, const timing::PathReport& path,
                      std::size_t width, const Terminal& terminal) {
  const bool good = path.verdict == timing::PathVerdict::good;
  const bool bad =
      path.verdict == timing::PathVerdict::too_old || path.verdict == timing::PathVerdict::no_way;
  const auto age = [&](auto member) {
    return path.ages ? std::optional((*path.ages).*member) : std::nullopt;
  };
  using Ages = timing::AgeDistribution;
  std::string text = fmt::format("  {} {} {} {} {} {} {}  {}\n", name_cell(path.name, width),
                                 ms_cell(path.least, 7), ms_cell(age(&Ages::median), 7),
                                 ms_cell(age(&Ages::p99), 7), ms_cell(path.simulated, 7),
                                 ms_cell(path.bound, 7), ms_cell(path.budget, 7),
                                 tinted(terminal,
                                        good  ? Tint::none
                                        : bad ? Tint::red
                                              : Tint::yellow,
                                        to_string(path.verdict)));
  if (path.hops.empty()) return text;
  std::string way;
  for (const timing::Hop& hop : path.hops) {
    way += way.empty() ? "" : ", ";
    way += hop_text(plan, hop);
    way += hop.bound ? fmt::format(" {}", in_ms(*hop.bound)) : " (no bound)";
  }
  std::string line = fmt::format("by {}", way);
  if (path.bound && path.dominating && path.hops.size() > 1) {
    const timing::Hop& most = path.hops[*path.dominating];
    line += fmt::format("; most of it, {:.0f} %, is {}",
                        100 * to_ms(*most.bound) / to_ms(*path.bound), hop_text(plan, most));
  }
  text += "    " + folded(shown(line), 4, 4, std::max<std::size_t>(terminal.width, 80)) + "\n";
  return text;
}

std::string paths_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                       const Terminal& terminal) {
  if (report.paths.empty() && report.tag_ages.empty()) return {};
  const std::size_t width = name_width(report, terminal);
  std::string text =
      heading(terminal, report.tag_ages.empty() ? "paths" : "paths, and tags that state a max_age",
              fmt::format("  {} {:>7} {:>7} {:>7} {:>7} {:>7} {:>7}  verdict",
                          name_cell("age of a value", width), "newest", "usual", "99 %", "oldest",
                          "age<=", "budget"));
  for (const timing::PathReport& path : report.paths)
    text += path_rows(plan, path, width, terminal);
  for (const timing::TagAge& age : report.tag_ages)
    text += path_rows(plan, age.path, width, terminal);
  return text + "\n";
}

std::string names_of(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                     const std::vector<timing::JobRef>& jobs) {
  if (jobs.empty()) return {};
  const timing::JobRef* quickest = &jobs.front();
  for (const timing::JobRef& ref : jobs) {
    if (job_at(report.model, ref).period < job_at(report.model, *quickest).period) quickest = &ref;
  }
  const auto& t = plan.transactions[job_at(report.model, *quickest).transaction];
  std::string text = plan.declared(t).name;
  if (jobs.size() > 1) text += fmt::format(" and {} more", jobs.size() - 1);
  return text;
}

// Who misses releases, and whether again and again.
std::string harm_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                      const timing::SilentCase& silent) {
  std::string text;
  if (!silent.missing_steady.empty()) {
    text = names_of(plan, report, silent.missing_steady) +
           (silent.parks ? ", at every trial" : ", all the time");
  } else if (!silent.missing.empty()) {
    text = names_of(plan, report, silent.missing) + ", until parked";
  } else {
    text = "nobody";
  }
  for (std::size_t h : silent.tripped) {
    text += fmt::format("; trips {}", report.heartbeats[h].name);
  }
  return shown(text);
}

bool has_watchdogs(const model::ResolvedPlan& plan) {
  return std::any_of(plan.plan.slaves.begin(), plan.plan.slaves.end(),
                     [](const model::Slave& s) { return s.watchdog.has_value(); });
}

std::string silent_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                        const Terminal& terminal) {
  const auto& cases = report.silence.cases;
  if (cases.empty() && report.silence.left_out == 0) return {};
  const auto feedings = timing::watchdog_feedings(plan, report);
  const bool watched = has_watchdogs(plan);
  std::string rows;
  std::string pairs;
  for (const timing::SilentCase& silent : cases) {
    std::string name = plan.target_name(report.model.devices[silent.devices.front()]);
    if (silent.devices.size() > 1) {
      name += " + " + plan.target_name(report.model.devices[silent.devices.back()]);
      pairs += fmt::format("  {}{}{}{}  {}\n", name_cell(name, 22), ms_cell(silent.first, 9),
                           ms_cell(silent.steady, 9), ms_cell(silent.without_park, 9),
                           harm_text(plan, report, silent));
      continue;
    }
    const timing::Stall& stall = report.stalls.stalls[*silent.stall];
    rows += fmt::format("  {}{}{}{}{}{}", name_cell(name, 13), ms_cell(silent.first, 9),
                        ms_cell(stall.first, 9), ms_cell(silent.steady, 9),
                        ms_cell(stall.steady, 9), ms_cell(silent.without_park, 9));
    if (watched) {
      const auto out = timing::watchdogs_run_out(plan, feedings, stall);
      rows += fmt::format("{:>10}", out.empty() ? std::string("-") : fmt::format("{}", out.size()));
    }
    rows += fmt::format("  {}\n", harm_text(plan, report, silent));
  }
  std::string text = heading(terminal, "silent slaves",
                             fmt::format("  {}{:>9}{:>9}{:>9}{:>9}{:>9}{}  misses releases",
                                         name_cell("slave", 13), "first", "first<=", "steady",
                                         "steady<=", "no park", watched ? " watchdogs" : "")) +
                     rows + "\n";
  if (!pairs.empty()) {
    text += heading(terminal, "two silent slaves",
                    fmt::format("  {}{:>9}{:>9}{:>9}  misses releases", name_cell("slaves", 22),
                                "first", "steady", "no park")) +
            pairs + "\n";
  }
  if (report.silence.left_out > 0) {
    text +=
        fmt::format("  {} more were too many to simulate; --json has the bounds of each slave\n\n",
                    report.silence.left_out);
  }
  return text;
}

}  // namespace

std::string supervision_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                             const Terminal& terminal) {
  return detection_text(report, terminal) + paths_text(plan, report, terminal) +
         silent_text(plan, report, terminal);
}

std::string supervision_legend(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                               const Terminal& terminal) {
  std::string text;
  const auto add = [&](const std::string& paragraph) {
    text += folded(paragraph, 0, 0, std::max<std::size_t>(terminal.width, 80)) + "\n";
  };
  const bool noticed = std::any_of(report.heartbeat_runs.begin(), report.heartbeat_runs.end(),
                                   [](const auto& run) { return run.detection.has_value(); });
  if (noticed) {
    add(fmt::format(
        "least, mean, latest: from the producer's stop to the alarm; alarm<=: never later than "
        "this. tries: so many failed in a "
        "row "
        "may give a false alarm{}",
        report.frame_error_rate > 0 ? "; expected: how often so many fail in a row when each frame "
                                      "is lost with this probability."
                                    : " (--frame-errors says how often that is)."));
  }
  if (!report.paths.empty()) {
    add("age: how old the value is where it is used. newest: never newer than this; oldest: in the "
        "simulation; usual: "
        "half "
        "of the time it is younger. age<=: never older than this.");
  }
  if (!report.silence.cases.empty()) {
    add("first, steady: the longest that another slave's request waits for the tries of the silent "
        "one alone, simulated, until it is parked and from then on. no park: the same if the line "
        "did not park it. <=: never longer than this. misses releases: who, though not in good "
        "health.");
    if (has_watchdogs(plan)) {
      add("watchdogs: of other slaves, so many run out until the silent one is parked (rule H11).");
    }
  }
  return text;
}

}  // namespace greymet::cli
