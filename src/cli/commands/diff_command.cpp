#include <memory>

#include <fmt/format.h>

#include "cli/handover.h"
#include "cli/print.h"
#include "exports/exchange_diff.h"
#include "files/exchange_export.h"
#include "files/plan_loader.h"
#include "files/table_csv.h"
#include "line/command_line.h"
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
  for (const UsablePlan* plan : {&old, &now}) {
    if (const auto refused = refuse_too_large(*plan, "compared", terminal)) return *refused;
  }
  const auto changes = exports::exchange_changes(files::exchange_json(old.loaded.plan),
                                                 files::exchange_json(now.loaded.plan));
  if (!changes) return usage_error(terminal, changes.error());
  std::vector<exports::TimingChange> timing;
  if (!changes->empty()) {
    timing = exports::timing_changes(timing::analyse_longest(old.loaded.plan),
                                     timing::analyse_longest(now.loaded.plan));
  }
  terminal.out << (options.format == "json"  ? exports::diff_json(*changes, timing)
                   : options.format == "csv" ? files::table_csv(exports::changes_table(*changes))
                                             : diff_text(*changes, timing, terminal));
  return changes->empty() ? exit_fine : exit_findings;
}

Action declare_diff(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<DiffOptions>();
  command.add_option("OLD", options->old_plan, "the plan as it was")->required();
  command.add_option("NEW", options->new_plan, "the plan as it is now")->required();
  command.add_option("--beside", options->beside, beside_help)->type_name("DIR");
  add_format(command, options->format, {csv_format});
  return [options, &terminal] { return run_diff(*options, terminal); };
}

}  // namespace greymet::cli
