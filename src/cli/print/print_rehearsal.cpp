#include <algorithm>

#include <fmt/format.h>

#include "cli/print.h"
#include "cli/table_cells.h"
#include "cli/table_text.h"
#include "cli/wire_files.h"
#include "engine/rehearsal.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "tables/measured_tables.h"

namespace greymet::cli {

using engine::BlockVerdict;
using engine::RehearsalResult;

namespace {

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

}  // namespace

std::string rehearsal_text(const model::ResolvedPlan& plan, const RehearsalResult& result,
                           const Terminal& terminal) {
  std::string text =
      table_text("transactions: measured against the timing model while nothing was wrong, ms",
                 tables::measured_table(result.transactions), terminal) +
      "\n" + blocks_text(plan, result, terminal);
  if (!result.faults.empty()) {
    text += table_text("faults: noticed, and recovered from without help; ms",
                       tables::faults_table(plan, result.faults), terminal) +
            "\n";
  }
  if (!result.heartbeats.empty()) {
    text += table_text("heartbeats: stopped once, and going on; ms",
                       tables::rehearsed_heartbeats_table(plan, result.heartbeats), terminal) +
            "\n";
  }
  for (const engine::Field::Tripped& each : result.watchdogs) {
    text += fmt::format("watchdog of {} tripped after {:.1f} s{} although nothing was wrong\n",
                        shown(plan.plan.slaves[each.slave].name), model::to_ms(each.at) / 1000,
                        each.times > 1 ? fmt::format(", {} times", each.times) : "");
  }
  std::uint64_t sent = 0;
  std::uint64_t good = 0;
  for (const engine::MeasuredTransaction& t : result.transactions) {
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
  text += "\n";
  constexpr std::size_t most_reasons = 8;
  for (std::size_t i = 0; i < result.because.size() && i < most_reasons; ++i) {
    text += "  " + folded(shown(result.because[i]), 2, 4, terminal.width) + "\n";
  }
  if (result.because.size() > most_reasons) {
    text += fmt::format("  and {} more\n", result.because.size() - most_reasons);
  }
  return text;
}

}  // namespace greymet::cli
