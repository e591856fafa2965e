#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "exports/exchange_diff.h"
#include "files/exchange_export.h"
#include "files/plan_loader.h"
#include "model/resolved_plan.h"

namespace greymet::cli {
namespace {

std::string diff_text(const std::vector<exports::Change>& changes,
                      const std::vector<exports::TimingChange>& timing, const Terminal& terminal) {
  if (changes.empty() && timing.empty()) return "no difference in the exchange\n";
  std::string text;
  for (const exports::Change& change : changes) text += shown(to_text(change)) + "\n";
  if (!timing.empty()) {
    text += tinted(terminal, Tint::bold, "what it does to timing") + "\n";
    for (const exports::TimingChange& change : timing) {
      text += "  " + shown(to_text(change)) + "\n";
    }
  }
  return text;
}

}  // namespace

int run_diff(const DiffOptions& options, const Terminal& terminal) {
  const UsablePlan old =
      load_usable_plan(options.old_plan, terminal, rules_without_time(), options.beside);
  if (old.refused) return *old.refused;
  const UsablePlan now =
      load_usable_plan(options.new_plan, terminal, rules_without_time(), options.beside);
  if (now.refused) return *now.refused;
  const auto changes = exports::exchange_changes(files::exchange_json(old.loaded.plan),
                                                 files::exchange_json(now.loaded.plan));
  if (!changes) return usage_error(terminal, changes.error());
  std::vector<exports::TimingChange> timing;
  if (!changes->empty()) {
    timing = exports::timing_changes(timing::analyse_longest(old.loaded.plan),
                                     timing::analyse_longest(now.loaded.plan));
  }
  terminal.out << (options.format == "json" ? exports::diff_json(*changes, timing)
                                            : diff_text(*changes, timing, terminal));
  return changes->empty() ? exit_fine : exit_findings;
}

}  // namespace greymet::cli
