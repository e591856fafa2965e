#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "cli/results.h"
#include "files/exchange_export.h"
#include "files/exports.h"
#include "model/resolved_plan.h"

namespace greymet::cli {

int run_export(const ExportOptions& options, const Terminal& terminal) {
  const UsablePlan usable = load_usable_plan(options.plan, terminal, {});
  if (usable.refused) return *usable.refused;
  if (checks::tally_of(usable.findings).errors > 0) {
    model::Findings errors = usable.findings;
    std::erase_if(errors, [](const auto& f) { return f.severity != model::Severity::error; });
    print_findings(usable.loaded, errors,
                   plain_terminal(terminal.err, terminal.err, terminal.width));
    terminal.err << "greymet: nothing is exported while check reports an error\n";
    return exit_findings;
  }
  const model::ResolvedPlan& plan = usable.loaded.plan;
  ResultWriter writer(options.out, options.force, terminal);
  for (const files::Export& each : files::all_exports()) {
    writer.write(std::string(each.file), each.make(plan));
  }
  if (const int status = writer.finish(); status != exit_fine) return status;
  terminal.out << fmt::format("{} transactions, fingerprint {}\n", plan.transactions.size(),
                              files::fingerprint_of(plan));
  return exit_fine;
}

}  // namespace greymet::cli
