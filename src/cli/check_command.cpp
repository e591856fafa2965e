#include <fmt/format.h>

#include "cli/commands.h"
#include "cli/print.h"
#include "files/findings_sarif.h"
#include "files/result_json.h"
#include "model/resolved_plan.h"

namespace greymet::cli {

int run_check(const CheckOptions& options, const Terminal& terminal) {
  checks::RuleSelection selection;
  if (!options.rules.empty()) {
    auto parsed = checks::parse_rule_selection(options.rules);
    if (!parsed) {
      terminal.err << fmt::format("greymet: --rules {}\n", parsed.error());
      return exit_usage;
    }
    selection = std::move(*parsed);
  }
  const files::LoadedPlan loaded = files::load_plan(options.plan, files::disk_files());
  const model::Findings findings = checks::check(loaded.plan, loaded.findings, selection);
  const checks::Tally tally = checks::tally_of(findings);
  if (options.format == "sarif") {
    terminal.out << files::findings_sarif(loaded, findings, GREYMET_VERSION);
  } else if (options.format == "json") {
    terminal.out << files::findings_json(loaded, findings);
  } else {
    print_findings(loaded, findings, terminal);
    const model::Plan& plan = loaded.plan.plan;
    terminal.out << fmt::format(
        "{}: {} transactions, {} slaves, {} lines, {} connections checked: {}\n",
        shown(options.plan), plan.transactions.size(), plan.slaves.size(), plan.lines.size(),
        loaded.plan.exchange.connections.size(),
        findings.empty() ? "nothing to report" : tally_text(tally));
  }
  if (loaded.unreadable) return exit_usage;
  return tally.errors > 0 ? exit_findings : exit_fine;
}

}  // namespace greymet::cli
