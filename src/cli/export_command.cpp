#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "files/exchange_export.h"
#include "files/output_folder.h"

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
  auto folder = files::OutputFolder::open(options.out, options.force);
  if (!folder) {
    terminal.err << fmt::format("greymet: {}\n", folder.error().message);
    return exit_unreachable;
  }
  const model::ResolvedPlan& plan = usable.loaded.plan;
  const std::pair<std::string, std::string> results[] = {
      {"exchange.json", files::exchange_json(plan)}, {"exchange.csv", files::exchange_csv(plan)}};
  for (const auto& [name, content] : results) {
    const auto done = folder->write(name, content);
    if (!done) {
      terminal.err << fmt::format("greymet: {}\n", done.error().message);
      return exit_unreachable;
    }
    terminal.out << fmt::format("wrote {}/{}\n", folder->path(), name);
  }
  terminal.out << fmt::format("{} transactions, fingerprint {}\n", plan.transactions.size(),
                              files::fingerprint_of(plan));
  return exit_fine;
}

}  // namespace greymet::cli
