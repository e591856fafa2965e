// greymet audit
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "capture/capture_audit.h"
#include "capture/draft_plan.h"
#include "cli/print.h"
#include "cli/results.h"
#include "cli/table_text.h"
#include "cli/wire_files.h"
#include "figures/timeline.h"
#include "files/file_source.h"
#include "files/output_folder.h"
#include "files/table_json.h"
#include "line/command_line.h"
#include "model/duration_text.h"
#include "model/file_name.h"
#include "model/nearest_name.h"
#include "model/utf8_text.h"
#include "new_map.h"
#include "settled_lines.h"
#include "tables/audit_tables.h"
#include "timing/report.h"

namespace greymet::cli {

using capture::AuditedTransaction;
using capture::AuditResult;
using capture::AuditVerdict;
using capture::CaptureRead;
using tables::Mood;

namespace {

Mood mood_of(AuditVerdict verdict) {
  switch (verdict) {
    case AuditVerdict::good: return Mood::good;
    case AuditVerdict::not_seen: return Mood::soft;
    case AuditVerdict::often:
    case AuditVerdict::slow:
    case AuditVerdict::late: return Mood::warn;
    case AuditVerdict::missing:
    case AuditVerdict::failing:
    case AuditVerdict::shifted:
    case AuditVerdict::changed: return Mood::bad;
  }
  return Mood::plain;
}

tables::Table table_of(const std::vector<AuditedTransaction>& transactions) {
  std::vector<tables::AuditRow> rows;
  rows.reserve(transactions.size());
  for (const AuditedTransaction& t : transactions) {
    rows.push_back({t.name,
                    t.period,
                    t.stats.seen,
                    t.stats.intervals.mean_ms(),
                    t.stats.replies.median(),
                    t.stats.replies.quantile(0.99),
                    t.bound,
                    t.stats.exceptions,
                    t.stats.timeouts,
                    {std::string(to_string(t.verdict)), mood_of(t.verdict)},
                    t.note});
  }
  return tables::audit_table(rows);
}

tables::Table table_of(const std::vector<capture::Unplanned>& unplanned) {
  std::vector<tables::UnplannedRow> rows;
  rows.reserve(unplanned.size());
  for (const capture::Unplanned& each : unplanned) {
    std::vector<std::string> clients;
    for (const std::string& client : each.stats.clients) {
      if (!client.empty()) clients.push_back(client);
    }
    rows.push_back({to_text(each.key), std::move(clients), each.stats.seen,
                    each.stats.intervals.mean_ms(), each.stats.exceptions, each.stats.timeouts,
                    each.nearest});
  }
  return tables::unplanned_table(rows);
}

// "line north" and what of the plan asks so.
std::string planned_as(const model::ResolvedPlan& plan, const capture::AskKey& asked) {
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    auto key = capture::key_of(plan, t);
    if (!key) continue;
    constexpr std::uint8_t any_unit = 255;
    if (key->unit == any_unit) key->unit = asked.unit;
    if (*key == asked) return t.name;
  }
  return {};
}

tables::Table silences_of(const AuditResult& result, const model::ResolvedPlan& plan) {
  std::vector<tables::SilenceRow> rows;
  rows.reserve(result.silences.size());
  for (const capture::Silence& each : result.silences) {
    const bool idle = each.kind == capture::SilenceKind::nobody_asks;
    rows.push_back({each.asked.wire,
                    each.from,
                    each.length,
                    {std::string(to_string(each.kind)), idle ? Mood::warn : Mood::bad},
                    to_text(each.asked),
                    planned_as(plan, each.asked)});
  }
  return tables::silences_table(rows);
}

// The slave, where it is one of the plan, else its unit.
std::string who_was_asked(const model::ResolvedPlan& plan, const capture::AskKey& asked) {
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    const auto key = capture::key_of(plan, t);
    constexpr std::uint8_t any_unit = 255;
    if (!key || key->wire != asked.wire) continue;
    if (key->unit == asked.unit || key->unit == any_unit) return plan.target_name(t.target);
  }
  return fmt::format("unit {}", asked.unit);
}

void draw_seen(const model::ResolvedPlan& plan, const AuditResult& result,
               const figures::TimeWindow& window, ResultWriter& writer) {
  std::vector<figures::SeenRequest> seen;
  seen.reserve(result.seen.size());
  for (const capture::SeenExchange& each : result.seen) {
    seen.push_back({each.asked.wire, who_was_asked(plan, each.asked), each.request, each.reply});
  }
  for (const figures::Timeline& figure : figures::timelines_seen(seen, window)) {
    const std::string_view wire = figure.wire;
    writer.draw("seen-" + model::file_name_of(wire.substr(wire.find(' ') + 1)),
                [&](auto format) { return figures::timeline_script(figure, format); });
  }
}

tables::Table clients_of(const AuditResult& result) {
  std::vector<tables::ClientRow> rows;
  rows.reserve(result.clients.size());
  for (const auto& [pair, requests] : result.clients) {
    rows.push_back(
        {pair.first, pair.second.empty() ? "the master of the line" : pair.second, requests});
  }
  return tables::clients_table(rows);
}

// What else was there, for those who wonder where their requests are.
std::vector<std::string> remarks_of(const AuditResult& result, const CaptureRead& read,
                                    const model::ResolvedPlan& plan) {
  std::vector<std::string> out = capture::other_framings(plan, read);
  if (!read.damage.empty()) {
    out.push_back(fmt::format("the file is damaged or cut short; {} packets were read: {}",
                              read.packets, read.damage));
  }
  if (read.bad_rows > 0) {
    out.push_back(fmt::format("{} rows are none that can be read, the first in {}", read.bad_rows,
                              read.first_bad_row));
  }
  if (result.requests == 0) {
    std::string seen;
    for (const auto& [kind, count] : read.kinds) seen += fmt::format(", {} {}", count, kind);
    for (const auto& [place, count] : read.other) {
      if (seen.size() < 200) seen += fmt::format(", {} segments with {}", count, place);
    }
    out.push_back(seen.empty()
                      ? std::string("no request of the protocol is in it")
                      : fmt::format("no request of the protocol is in it; it has {}; where "
                                    "addresses or ports differ from the plan's, --map SEEN=PLANNED",
                                    seen.substr(2)));
  }
  if (!result.elsewhere.empty()) {
    out.push_back(fmt::format("not judged: {} on other wires than this, such as {}",
                              model::counted(result.elsewhere.size(), "transaction"),
                              result.elsewhere.front()));
  }
  const capture::StreamCounts& streams = read.streams;
  if (streams.repeated + streams.reordered + streams.gaps > 0) {
    out.push_back(
        fmt::format("TCP: {} segments were sent again, {} came out of order, {} gaps in "
                    "what was captured",
                    streams.repeated, streams.reordered, streams.gaps));
  }
  if (read.lost_bytes > 0) out.push_back(fmt::format("{} bytes were no frame", read.lost_bytes));
  if (result.stray_replies > 0) {
    out.push_back(
        fmt::format("{} answers belong to no request that was captured", result.stray_replies));
  }
  if (result.foreign > 0) {
    out.push_back(
        fmt::format("{} requests of functions that move no registers or bits", result.foreign));
  }
  if (result.backwards > 0) {
    out.push_back(fmt::format("{} times run backwards", result.backwards));
  }
  if (result.beyond > 0) {
    out.push_back(fmt::format("{} requests of more kinds than are told apart", result.beyond));
  }
  return out;
}

std::string json_text(const AuditResult& result, const CaptureRead& read,
                      const model::ResolvedPlan& plan) {
  nlohmann::ordered_json out;
  out["packets"] = read.packets;
  out["length_s"] = model::to_ms(result.length) / 1000;
  out["requests"] = result.requests;
  out["replies"] = result.replies;
  out["transactions"] = files::rows_json(table_of(result.transactions));
  out["unplanned"] = files::rows_json(table_of(result.unplanned));
  out["missing"] = nlohmann::ordered_json::array();
  for (const AuditedTransaction& t : result.transactions) {
    if (t.verdict == AuditVerdict::missing) out["missing"].push_back(t.name);
  }
  out["silences"] = files::rows_json(silences_of(result, plan));
  out["clients"] = files::rows_json(clients_of(result));
  out["remarks"] = remarks_of(result, read, plan);
  return out.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
}

std::string text_of(const AuditResult& result, const CaptureRead& read,
                    const model::ResolvedPlan& plan, const Terminal& terminal) {
  std::string text =
      fmt::format("{} packets, {:.1f} s: {} requests, {} answers\n\n", read.packets,
                  model::to_ms(result.length) / 1000, result.requests, result.replies);
  text += table_text("transactions, ms", table_of(result.transactions), terminal);
  if (!result.unplanned.empty()) {
    text += "\n" + table_text("not in the plan, ms", table_of(result.unplanned), terminal);
  }
  if (!result.silences.empty()) {
    text += "\n" + table_text("the longest silences, ms", silences_of(result, plan), terminal);
  }
  text += "\n" + table_text("who asked", clients_of(result), terminal);
  const auto remarks = remarks_of(result, read, plan);
  if (!remarks.empty()) text += "\n";
  for (const std::string& each : remarks) text += shown(each) + "\n";
  return text;
}

// "192.0.2.7=10.20.0.31"
tl::expected<capture::Aliases, std::string> aliases_from(const std::vector<std::string>& texts) {
  capture::Aliases out;
  for (const std::string& text : texts) {
    const std::size_t at = text.find('=');
    if (at == std::string::npos || at == 0 || at + 1 == text.size()) {
      return tl::unexpected(
          fmt::format("--map takes SEEN=PLANNED, e.g. 192.0.2.7=10.20.0.31; found '{}'",
                      shown(text.substr(0, 60))));
    }
    out[text.substr(0, at)] = text.substr(at + 1);
  }
  return out;
}

tl::expected<model::LineIndex, std::string> line_named(const model::ResolvedPlan& plan,
                                                       const std::string& name) {
  std::vector<std::string_view> known;
  for (std::size_t l = 0; l < plan.plan.lines.size(); ++l) {
    if (plan.plan.lines[l].name == name) return model::LineIndex(l);
    known.emplace_back(plan.plan.lines[l].name);
  }
  return tl::unexpected(fmt::format("the plan has no line '{}'{}", shown(name.substr(0, 60)),
                                    shown(model::nearest_or_example(name, known))));
}

// Reply times of who answered, as lines of the plan.
int learn_from(const AuditOptions& options, const files::LoadedPlan& loaded,
               const AuditResult& result, const Terminal& terminal) {
  const internal::SettledLines lines = internal::learned_replies(loaded, result.durations);
  return internal::tell_learned(lines, options.words[0], loaded, options.write, terminal);
}

// The exchange that nobody documented, as a plan in a folder.
int draft_from(const AuditOptions& options, const capture::Aliases& aliases,
               const Terminal& terminal) {
  if (!options.line.empty() || options.learn) {
    return usage_error(terminal, "--plan-from takes a capture of a network, and nothing of a plan");
  }
  const std::string& folder_name = options.words[1];
  const auto nothing =
      files::load_plan("none.toml", files::memory_files({{"none.toml", "[plan]\ntitle = \"\"\n"}}));
  capture::Auditor auditor(nothing.plan);
  capture::SeenValues values;
  auditor.watch([&](const capture::AskKey& key, const std::vector<std::uint16_t>& words) {
    values.add(key, words);
  });
  tl::expected<CaptureRead, std::string> read = [&] {
    ProgressBar bar(terminal, "reading");
    return capture::audit_capture(options.words[0], nothing.plan, aliases, auditor, bar.sink());
  }();
  if (!read) return unreachable(terminal, read.error());
  const AuditResult result = auditor.finish(timing::analyse_longest(nothing.plan));
  const auto remarks = remarks_of(result, *read, nothing.plan);
  if (result.requests == 0) {
    for (const std::string& each : remarks) terminal.err << shown(each) << "\n";
    return exit_findings;
  }
  const capture::DraftedPlan draft = capture::draft_plan(result, values, capture::rtu_wires(*read));
  auto folder = files::OutputFolder::open(folder_name, options.force);
  if (!folder) return unreachable(terminal, folder.error().message);
  for (const auto& [name, text] : draft.files) {
    if (const auto done = folder->stage(name, text); !done) {
      return unreachable(terminal, done.error().message);
    }
  }
  if (const auto done = folder->commit(); !done) return unreachable(terminal, done.error().message);
  const std::string plan = folder_name + "/plan.toml";
  terminal.out << fmt::format(
      "wrote {}: {} and {} of {:.1f} s\n", shown(plan), model::counted(draft.slaves, "slave"),
      model::counted(draft.transactions, "transaction"), model::to_ms(result.length) / 1000);
  for (const std::string& each : draft.left_out) {
    terminal.out << "  left out: " << shown(each) << "\n";
  }
  for (const std::string& each : remarks) terminal.out << shown(each) << "\n";
  terminal.out
      << "Nothing on the wire says what registers mean: types and orders in maps/ are to be "
         "looked up, likely ones too\n";
  (void)say_check(plan, terminal);
  return exit_fine;
}

}  // namespace

int run_audit(const AuditOptions& options, const Terminal& terminal) {
  if (options.words.size() != 2) {
    return usage_error(terminal, "write PLAN CAPTURE, or --plan-from CAPTURE DIR");
  }
  const auto aliases = aliases_from(options.maps);
  if (!aliases) return usage_error(terminal, aliases.error());
  if (options.plan_from) return draft_from(options, *aliases, terminal);
  const UsablePlan usable = load_usable_plan(options.words[0], terminal);
  if (usable.refused) return *usable.refused;
  const model::ResolvedPlan& plan = usable.loaded.plan;
  capture::Auditor auditor(plan);
  const auto window = window_from(options.window);
  if (!options.window.empty() && (!window || options.output.out.empty())) {
    return usage_error(terminal, window ? "--window is for the timelines of -o"
                                        : "--window takes two instants such as 12s..13s");
  }
  if (window) auditor.keep(window->from, window->until);
  CaptureRead read;
  std::optional<model::LineIndex> of_line;
  if (!options.line.empty()) {
    const auto line = line_named(plan, options.line);
    if (!line) return usage_error(terminal, line.error());
    of_line = *line;
    constexpr std::size_t largest = std::size_t{1} << 30U;
    const auto text = files::disk_files()(options.words[1], largest);
    if (!text) {
      return unreachable(terminal, fmt::format("{}: {}", options.words[1], text.error().message));
    }
    read = capture::audit_log(*text, plan, *line, auditor);
  } else {
    ProgressBar bar(terminal, "reading");
    auto done = capture::audit_capture(options.words[1], plan, *aliases, auditor, bar.sink());
    if (!done) {
      return unreachable(terminal, done.error() + "; a log of a serial line needs --line NAME");
    }
    read = std::move(*done);
  }
  const AuditResult result = auditor.finish(timing::analyse_longest(plan), of_line);
  auto writer = print_results(options.output,
                              {"audit", [&] { return json_text(result, read, plan); },
                               [&](const Terminal& on) { return text_of(result, read, plan, on); },
                               [&] {
                                 return std::vector<tables::Table>{
                                     table_of(result.transactions), table_of(result.unplanned),
                                     silences_of(result, plan), clients_of(result)};
                               }},
                              terminal);
  const bool bad =
      result.requests == 0 || !capture::other_framings(plan, read).empty() ||
      std::any_of(result.transactions.begin(), result.transactions.end(),
                  [](const AuditedTransaction& t) { return mood_of(t.verdict) == Mood::bad; });
  int status = bad ? exit_findings : exit_fine;
  if (options.learn) {
    status = std::max(
        status, learn_from(options, usable.loaded, result, told_on(options.output, terminal)));
  }
  if (!writer) return status;
  if (window) draw_seen(plan, result, *window, *writer);
  return std::max(status, writer->finish());
}

Action declare_audit(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<AuditOptions>();
  command
      .add_option("PLAN CAPTURE", options->words,
                  "the plan, and a pcap or pcapng file; with --line a text log: SECONDS HEX ...; "
                  "with --plan-from CAPTURE and DIR")
      ->required();
  command.add_flag("--plan-from", options->plan_from,
                   "draft a plan and maps from the capture, into the folder DIR");
  command.add_option("--line", options->line, "the serial line that the text log is of")
      ->type_name("NAME");
  command
      .add_option("--map", options->maps,
                  "an address of the capture and the plan's, where they differ: "
                  "192.0.2.7=10.20.0.31; again for each")
      ->expected(1)
      ->take_all()
      ->type_name("SEEN=PLANNED");
  command
      .add_option("--window", options->window,
                  "with -o: a timeline of each wire, of this stretch since the first frame")
      ->type_name("FROM..UNTIL");
  command.add_flag("--learn", options->learn, "tell the reply times as lines of the plan");
  command.add_flag("--write", options->write, "with --learn: put them there")
      ->needs(command.get_option("--learn"));
  add_results(command, options->output, {{"csv", "one line a transaction"}});
  return [options, &terminal] { return run_audit(*options, terminal); };
}

}  // namespace greymet::cli
