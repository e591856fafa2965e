#include <algorithm>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/table_cells.h"
#include "cli/wire_files.h"
#include "engine/rehearsal.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"

namespace greymet::cli {

using engine::BlockVerdict;
using engine::RehearsalResult;
using engine::TransactionVerdict;

namespace {

std::string count_cell(std::uint64_t count, std::size_t width) {
  return fmt::format("{:>{}}", count == 0 ? "-" : fmt::format("{}", count), width);
}

std::string transactions_text(const RehearsalResult& result, const Terminal& terminal) {
  std::string text = heading(
      terminal, "quiet: measured against the timing model, ms",
      fmt::format("  {} {:>6} {:>9} {:>9} {:>9} {:>9}  verdict", name_cell("transaction", 18),
                  "sent", "duration", "expected", "longest R", "bound R"));
  for (const engine::RehearsedTransaction& t : result.transactions) {
    const bool good = t.verdict == TransactionVerdict::good;
    const bool idle = t.verdict == TransactionVerdict::not_run && !t.predicted;
    std::string verdict(to_string(t.verdict));
    if (t.verdict == TransactionVerdict::failing) {
      verdict += fmt::format(": {} of {} good", t.quiet.good, t.quiet.sent);
    }
    text +=
        fmt::format("  {} {} {} {} {} {}  {}\n", name_cell(t.name, 18), count_cell(t.quiet.sent, 6),
                    ms_cell(t.quiet.services.median(), 9), ms_cell(t.expected, 9),
                    ms_cell(t.quiet.responses.greatest(), 9), ms_cell(t.bound, 9),
                    tinted(terminal, good || idle ? Tint::none : Tint::red, verdict));
  }
  return text +
         tinted(
             terminal, Tint::dim,
             "  duration: median from its turn to the end; R: response, from release to the end") +
         "\n\n";
}

std::string blocks_text(const model::ResolvedPlan& plan, const RehearsalResult& result,
                        const Terminal& terminal) {
  if (result.blocks.empty()) return {};
  std::size_t arrived = 0;
  std::size_t driven = 0;
  std::string rest;
  for (const engine::RehearsedBlock& block : result.blocks) {
    const auto is = [&](BlockVerdict v) { return block.first == v || block.last == v; };
    const bool whole =
        !is(BlockVerdict::wrong) && !is(BlockVerdict::not_carried) && !is(BlockVerdict::left_alone);
    if (whole) {
      is(BlockVerdict::driven) ? ++driven : ++arrived;
      continue;
    }
    rest += fmt::format("  {} {:<6} first {}, last {}\n",
                        name_cell(plan.exchange.find(block.transaction)->name, 18),
                        block.is_read ? "read" : "write", to_string(block.first),
                        to_string(block.last));
  }
  std::string text =
      tinted(terminal, Tint::bold, "blocks: first and last word changed at its source");
  text += fmt::format("\n  {} of {} arrived where the plan says", arrived, result.blocks.size());
  if (driven > 0) {
    text += fmt::format("; at {} others copies or transactions put their values over ours", driven);
  }
  return text + "\n" + rest + "\n";
}

std::string faults_text(const model::ResolvedPlan& plan, const RehearsalResult& result,
                        const Terminal& terminal) {
  if (result.faults.empty()) return {};
  std::string text =
      heading(terminal, "faults: noticed, and recovered from without help",
              fmt::format("  {} {} {:>9} {:>9} {:>10} {:>10}  verdict", name_cell("slave", 14),
                          name_cell("fault", 14), "at s", "for s", "noticed ms", "back ms"));
  for (const engine::RehearsedFault& each : result.faults) {
    const engine::Fault& fault = each.fault;
    const bool lasts = fault.until == model::Duration::max();
    text += fmt::format(
        "  {} {} {:>9.1f} {:>9} {} {}  {}\n",
        name_cell(plan.target_name({fault.is_peer, fault.index, 0}), 14),
        name_cell(std::string(to_string(fault.kind)), 14), model::to_ms(fault.at) / 1000,
        lasts ? "-" : fmt::format("{:.1f}", model::to_ms(fault.until - fault.at) / 1000),
        ms_cell(each.noticed, 10), ms_cell(each.recovered, 10),
        tinted(terminal, each.good ? Tint::none : Tint::red, each.good ? "good" : "bad"));
  }
  return text + "\n";
}

std::string heartbeats_text_of(const model::ResolvedPlan& plan, const RehearsalResult& result,
                               const Terminal& terminal) {
  if (result.heartbeats.empty()) return {};
  std::string text =
      heading(terminal, "heartbeats: stopped once, and going on; ms",
              fmt::format("  {} {:>8} {:>9} {:>10} {:>10} {:>10}  verdict", name_cell("name", 18),
                          "changes", "apart", "alarm", "latest", "cleared"));
  for (const engine::RehearsedHeartbeat& beat : result.heartbeats) {
    const std::string verdict = !beat.watched           ? "not carried to who watches it"
                                : beat.good             ? "good"
                                : beat.false_alarms > 0 ? "false alarms"
                                : !beat.alarm           ? "no alarm"
                                : !beat.cleared         ? "stays in alarm"
                                                        : "late";
    text += fmt::format(
        "  {} {} {} {} {} {}  {}\n", name_cell(plan.exchange.heartbeats[beat.heartbeat].name, 18),
        count_cell(beat.changes_seen, 8), ms_cell(beat.longest_gap, 9), ms_cell(beat.alarm, 10),
        ms_cell(beat.latest_alarm, 10), ms_cell(beat.cleared, 10),
        tinted(terminal, beat.good || !beat.watched ? Tint::none : Tint::red, verdict));
  }
  return text + "\n";
}

}  // namespace

std::string rehearsal_text(const model::ResolvedPlan& plan, const RehearsalResult& result,
                           const Terminal& terminal) {
  std::string text = transactions_text(result, terminal) + blocks_text(plan, result, terminal) +
                     faults_text(plan, result, terminal) +
                     heartbeats_text_of(plan, result, terminal);
  for (const engine::Field::Tripped& each : result.watchdogs) {
    text += fmt::format("watchdog of {} tripped after {:.1f} s{} although nothing was wrong\n",
                        shown(plan.plan.slaves[each.slave].name), model::to_ms(each.at) / 1000,
                        each.times > 1 ? fmt::format(", {} times", each.times) : "");
  }
  std::uint64_t sent = 0;
  std::uint64_t good = 0;
  for (const engine::RehearsedTransaction& t : result.transactions) {
    sent += t.all.sent;
    good += t.all.good;
  }
  text += odd_wires_text(result.odd);
  text +=
      fmt::format("{} requests in {:.1f} s of plant time, {} good; every one accounted for: {}\n",
                  sent, model::to_ms(result.lasted) / 1000, good, result.accounted ? "yes" : "NO");
  const bool passed = result.passed;
  text += tinted(terminal, passed ? Tint::green : Tint::red,
                 result.stopped ? "stopped before its end"
                 : passed       ? "rehearsal passed"
                                : "rehearsal failed");
  return text + "\n";
}

}  // namespace greymet::cli
