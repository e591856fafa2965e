#include <algorithm>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/table_cells.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"

namespace greymet::cli {

using model::to_ms;

namespace {

constexpr std::size_t narrowest = 80;
constexpr std::size_t columns_width = 64;  // all columns but the name and these two:
constexpr std::size_t failure_width = 16;  // one failed attempt, an exception; where there is room

std::string period_cell(const timing::TransactionReport& t) {
  switch (t.kind) {
    case model::TriggerKind::cyclic: return ms_cell(t.period, 8);
    case model::TriggerKind::continuous: return fmt::format("{:>8}", "contin.");
    case model::TriggerKind::on_bit:
    case model::TriggerKind::on_change:
      return fmt::format("{:>8}", fmt::format(">{:g}", to_ms(*t.period)));
    case model::TriggerKind::on_start: return fmt::format("{:>8}", "start");
    case model::TriggerKind::on_return: return fmt::format("{:>8}", "return");
  }
  return {};
}

bool is_crowded(const timing::LineReport& line) {
  constexpr double much = 0.8;
  return line.cyclic_percent > much * line.full_percent() ||
         line.utilisation_percent > line.full_percent();
}

// "use 41.2 %, with requests at most 63.0 %, the rest continuous"
std::string use_text(const timing::LineReport& line) {
  std::string text = fmt::format("use {:.1f} %", line.cyclic_percent);
  if (line.on_request > 0) {
    text += fmt::format(", with requests at most {:.1f} %", line.utilisation_percent);
  }
  if (line.continuous && line.utilisation_percent < line.full_percent()) {
    text += ", the rest continuous";
  }
  return text;
}

std::string head_of(const timing::LineReport& line, const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold, shown(line.name));
  text += line.master.empty()
              ? fmt::format("  {}", shown(line.description))
              : fmt::format("  {}, master {}", shown(line.description), shown(line.master));
  text += "\n  ";
  std::string numbers = use_text(line);
  if (line.round) numbers += fmt::format(", round {}", model::in_ms(*line.round));
  if (line.character_ms) numbers += fmt::format(", character {:.4f} ms", *line.character_ms);
  if (line.gap) numbers += fmt::format(", gap {}", model::in_ms(*line.gap));
  if (line.longest_queue > 0) {
    numbers += fmt::format(", longest queue {}", line.longest_queue);
  }
  return text +
         tinted(terminal, is_crowded(line) ? Tint::yellow : Tint::none,
                folded(numbers, 2, 4, terminal.width)) +
         "\n";
}

std::string heartbeats_text(const timing::TimingReport& report, const Terminal& terminal) {
  if (report.heartbeats.empty()) return {};
  std::string text = tinted(terminal, Tint::bold, "heartbeats") + "\n";
  text +=
      tinted(terminal, Tint::dim,
             fmt::format("  {} {} {:>8} {:>8} {:>17} {:>8}  verdict", name_cell("name", 15),
                         name_cell("carried by", 13), "apart", "watch", "safe watch", "alarm<="));
  text += '\n';
  for (const timing::HeartbeatReport& h : report.heartbeats) {
    const bool good = h.verdict == timing::HeartbeatVerdict::good;
    text += fmt::format("  {} {} {} {} {} {} {}  {}\n", name_cell(h.name, 15),
                        name_cell(h.carried_by.empty() ? "-" : h.carried_by, 13),
                        ms_cell(h.longest_gap, 8), ms_cell(h.watch, 8), ms_cell(h.watch_min, 8),
                        ms_cell(h.watch_max, 8), ms_cell(h.latest_alarm, 8),
                        tinted(terminal, good ? Tint::none : Tint::red, to_string(h.verdict)));
  }
  return text + "\n";
}

}  // namespace

namespace {

// How the responses of a line stand to their periods, and how bad that is.
std::pair<std::string, Tint> verdict_of(const timing::LineReport& line) {
  std::size_t cyclic = 0;
  std::size_t missing = 0;
  std::size_t late = 0;
  for (const timing::TransactionReport& t : line.transactions) {
    if (!t.period || t.kind != model::TriggerKind::cyclic) continue;
    ++cyclic;
    if (t.missed > 0) {
      ++missing;
    } else if (!t.response_bound || *t.response_bound > *t.period) {
      ++late;
    }
  }
  if (missing > 0) return {fmt::format("{} of {} miss their periods", missing, cyclic), Tint::red};
  if (late > 0) {
    return {fmt::format("{} of {} periods not guaranteed", late, cyclic), Tint::yellow};
  }
  if (cyclic == 0) return {"nothing by the clock", Tint::none};
  return {fmt::format("{} period{} kept", cyclic, cyclic == 1 ? "" : "s"), Tint::none};
}

// "2 good, 1 not guaranteed"
template <class Reports>
std::string verdicts_of(const Reports& reports) {
  std::vector<std::pair<std::string_view, std::size_t>> counts;
  for (const auto& report : reports) {
    const std::string_view word = to_string(report.verdict);
    const auto at =
        std::find_if(counts.begin(), counts.end(), [&](const auto& c) { return c.first == word; });
    if (at == counts.end()) {
      counts.emplace_back(word, 1);
    } else {
      ++at->second;
    }
  }
  std::string text;
  for (const auto& [word, count] : counts) {
    text += fmt::format("{}{} {}", text.empty() ? "" : ", ", count, word);
  }
  return text;
}

bool hurts_others(const timing::SilentCase& silent) {
  return !silent.missing.empty() || !silent.missing_steady.empty();
}

// "meter, drive and 3 more": who, by being silent, makes others miss releases.
std::string hurting_names(const model::ResolvedPlan& plan, const timing::TimingReport& report) {
  constexpr std::size_t most = 4;
  std::string text;
  std::size_t count = 0;
  for (const timing::SilentCase& silent : report.silence.cases) {
    if (!hurts_others(silent) || ++count > most) continue;
    std::string name;
    for (const std::size_t device : silent.devices) {
      name += (name.empty() ? "" : " + ") + plan.target_name(report.model.devices[device]);
    }
    text += (text.empty() ? "" : ", ") + shown(name);
  }
  return count > most ? fmt::format("{} and {} more", text, count - most) : text;
}

// The verdicts in short, before the numbers.
std::string summary_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                         const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold, "in short") + "\n";
  for (const timing::LineReport& line : report.lines) {
    if (line.transactions.empty()) continue;
    auto [verdict, tint] = verdict_of(line);
    if (line.overloaded()) tint = Tint::red;
    if (tint == Tint::none && is_crowded(line)) tint = Tint::yellow;
    text += fmt::format("  {} use {:>5.1f} %, {}\n", name_cell(line.name, 14), line.cyclic_percent,
                        tinted(terminal, tint, verdict));
  }
  if (!report.heartbeats.empty()) {
    text += fmt::format("  {} {}\n", name_cell("heartbeats", 14), verdicts_of(report.heartbeats));
  }
  if (!report.paths.empty()) {
    text += fmt::format("  {} {}\n", name_cell("paths", 14), verdicts_of(report.paths));
  }
  const auto& cases = report.silence.cases;
  const auto hurting = std::count_if(cases.begin(), cases.end(), hurts_others);
  if (!cases.empty()) {
    text +=
        fmt::format("  {} {}\n", name_cell("silent slaves", 14),
                    hurting == 0 ? std::string("nobody else misses a release")
                                 : fmt::format("{} of {} make others miss releases: {}", hurting,
                                               cases.size(), hurting_names(plan, report)));
  }
  return text + "\n";
}

// Those that usual values stand for, not the best case; of devices and networks.
model::FactSet usual_defaults(const model::FactSet& assumed) {
  using enum model::FactKind;
  model::FactSet usual;
  for (const model::FactKind kind : {reply, rtt, gateway_delay}) {
    if (assumed.contains(kind)) usual.add(kind);
  }
  return usual;
}

}  // namespace

std::string timing_text(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                        const Terminal& terminal, bool legend) {
  std::size_t longest_name = 11;
  for (const timing::LineReport& line : report.lines) {
    for (const auto& t : line.transactions) longest_name = std::max(longest_name, t.name.size());
  }
  const std::size_t width = std::max(terminal.width, narrowest);
  const bool failures = width >= narrowest + failure_width;
  const std::size_t taken = columns_width + 1 + (failures ? failure_width : 0);
  const std::size_t name_width = std::min(longest_name, width - taken);
  std::string text = summary_text(plan, report, terminal);
  model::FactSet assumed;  // of what usual defaults stand for
  bool missed = false;
  bool incomplete = false;
  for (const timing::LineReport& line : report.lines) {
    text += head_of(line, terminal);
    if (line.transactions.empty()) {
      text += line.queue ? "  no transactions\n\n"
                         : "  its transactions stand under the gateway's connection\n\n";
      continue;
    }
    std::string heading = fmt::format("  {}{:>3} {:>4}{:>4} {:>8}{:>8} {:>8} {:>7} {:>8} {:>7}",
                                      name_cell("transaction", name_width), "fc", "out", "in",
                                      "typical", "longest", "period", "simul.", "bound", "silent");
    if (failures) heading += fmt::format("{:>8}{:>8}", "failed", "except.");
    text += tinted(terminal, Tint::dim, heading);
    text += '\n';
    for (const timing::TransactionReport& t : line.transactions) {
      const bool late = t.period && t.response_bound && *t.response_bound > *t.period;
      const model::FactSet usual = usual_defaults(t.assumed);
      const std::string mark = usual.keys().empty() ? " " : "*";
      const std::string lost = t.missed > 0 ? "!" : late ? "?" : " ";
      assumed.add(usual);
      missed = missed || t.missed > 0 || late;
      text +=
          fmt::format("  {}{:>3} {:>4}{:>4} {}{}{}{} {} {}{}{}", name_cell(t.name, name_width),
                      t.function, t.request_bytes, t.reply_bytes, ms_cell(t.typical, 8),
                      ms_cell(t.longest, 8), mark, period_cell(t), ms_cell(t.response_simulated, 7),
                      ms_cell(t.response_bound, 8), lost, ms_cell(t.silent, 7));
      if (failures) text += ms_cell(t.failed_attempt, 8) + ms_cell(t.exception, 8);
      text += '\n';
    }
    if (!line.simulation_complete) {
      incomplete = true;
      text += fmt::format("  simulated for {:g} s; the exchange does not repeat within that time\n",
                          to_ms(line.simulated) / 1000);
    }
    text += "\n";
  }
  text += heartbeats_text(report, terminal);
  text += supervision_text(plan, report, terminal);
  if (legend) {
    text +=
        "All times in ms. out, in: bytes of request and reply. typical, longest: the\n"
        "duration, from its start to its end. simul.: longest response, from release to\n"
        "end, simulated with longest durations. bound: no response is ever longer, while\n"
        "all keep to what the plan states; clocks may be 1 to 2 % slow, leave that room.\n"
        "silent: what a silent slave costs each time. gap: the line's silence between\n"
        "frames.\n";
    if (width >= narrowest + failure_width) {
      text +=
          "failed: one try without a reply. except.: answered by an exception, at the longest.\n";
    }
    if (!report.heartbeats.empty()) {
      text +=
          "apart: longest time between two samples of a heartbeat. safe watch: smallest\n"
          "without false alarms, largest that reacts in time. alarm<=: never later after\n"
          "the producer stops.\n";
    }
    text += supervision_legend(plan, report, terminal);
  } else {
    text += "All times in ms; greymet timing --legend says what each column is.\n";
  }
  if (width < narrowest + failure_width) {
    text += "Too wide for here, and in --json: failed, except.\n";
  }
  if (const auto keys = assumed.keys(); !keys.empty()) {
    text += fmt::format("* rests on defaults for `{}`: `greymet check` says what hangs on them.\n",
                        fmt::join(keys, "`, `"));
  }
  if (missed) text += "! releases are missed. ? the bound is longer than the period.\n";
  if (incomplete)
    text += "Where the exchange does not repeat, the simulation has not seen everything.\n";
  return text;
}

}  // namespace greymet::cli
