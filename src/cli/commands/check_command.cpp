#include <algorithm>
#include <map>
#include <memory>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "checks/not_judged.h"
#include "cli/build_info.h"
#include "cli/print.h"
#include "cli/rewrite.h"
#include "files/cures.h"
#include "files/findings_sarif.h"
#include "files/result_json.h"
#include "files/table_csv.h"
#include "line/command_line.h"
#include "model/resolved_plan.h"
#include "tables/plan_tables.h"

namespace greymet::cli {

using model::counted;
using model::Finding;
using model::Findings;
using model::Severity;

namespace {

Severity least_of(const CheckOptions& options) {
  if (options.least == "error") return Severity::error;
  return options.least == "warning" ? Severity::warning : Severity::note;
}

// What stands where, the gravest first: for results longer than a screen.
void print_summary(const files::LoadedPlan& loaded, const Findings& findings,
                   const Terminal& terminal) {
  constexpr std::size_t short_enough = 12;
  constexpr std::size_t most_places = 4;
  if (findings.size() <= short_enough) return;
  std::map<std::pair<int, model::RuleCode>, std::vector<const Finding*>> rows;
  for (const Finding& f : findings) rows[{-static_cast<int>(f.severity), f.rule}].push_back(&f);
  std::string text = "\nWhat stands where:\n";
  for (const auto& [key, list] : rows) {
    std::string places;
    for (std::size_t i = 0; i < list.size() && i < most_places; ++i) {
      const std::string& name = loaded.sources[list[i]->place.file].name;
      places += fmt::format("{}{}:{}", i == 0 ? "" : ", ", name.substr(name.rfind('/') + 1),
                            list[i]->place.line);
    }
    if (list.size() > most_places) places += fmt::format(" and {} more", list.size() - most_places);
    text += fmt::format("  {:<7} {} {:>4}  {}\n", to_string(list.front()->severity),
                        to_string(key.second), list.size(), shown(places));
  }
  terminal.out << text << '\n';
}

void print_result(const CheckOptions& options, const files::LoadedPlan& loaded,
                  const Findings& findings, const Terminal& terminal) {
  Findings listed = findings;
  std::erase_if(listed, [&](const Finding& f) { return f.severity < least_of(options); });
  print_findings(loaded, listed, terminal);
  print_summary(loaded, listed, terminal);
  const model::Plan& plan = loaded.plan.plan;
  const std::size_t hidden = findings.size() - listed.size();
  terminal.out << fmt::format(
      "{}: {}, {}, {}, {} checked: {}{}\n", shown(options.plan),
      counted(plan.transactions.size(), "transaction"), counted(plan.slaves.size(), "slave"),
      counted(plan.lines.size(), "line"),
      counted(loaded.plan.exchange.connections.size(), "connection"),
      findings.empty() ? "nothing to report" : tally_text(checks::tally_of(findings)),
      hidden > 0 ? fmt::format(" ({} not shown)", hidden) : std::string());
  terminal.out << measured_text(loaded.plan, terminal);
  const std::string unjudged = checks::text_of(checks::not_judged(loaded.plan));
  if (!unjudged.empty()) {
    terminal.out << "not judged: " << folded(shown(unjudged), 12, 12, terminal.width) << '\n';
  }
}

int status_of(const files::LoadedPlan& loaded, const Findings& findings) {
  if (loaded.unreadable) return exit_usage;
  return checks::tally_of(findings).errors > 0 ? exit_findings : exit_fine;
}

void print_cures(const files::Cures& cures, bool offers, const Terminal& terminal) {
  for (const files::CuredFinding& done : cures.done) {
    const model::Range& place = done.finding.place;
    const bool known = place.file < cures.loaded.sources.size() && place.line > 0;
    terminal.out << fmt::format(
        "fixed {} {}{}: {}\n", to_string(done.finding.rule), shown(to_text(done.finding.subject)),
        known ? fmt::format(" ({}:{})", shown(cures.loaded.sources[place.file].name), place.line)
              : std::string(),
        shown(done.title));
  }
  for (const files::CuredFinding& left : cures.left) {
    terminal.out << fmt::format("left {} {}: to {} would bring {} {}: {}\n",
                                to_string(left.finding.rule), shown(to_text(left.finding.subject)),
                                shown(left.title), to_string(left.because->severity),
                                to_string(left.because->rule), shown(left.because->message));
  }
  if (cures.done.empty() && cures.left.empty()) {
    const bool any =
        std::any_of(cures.findings.begin(), cures.findings.end(), [](const Finding& f) {
          return std::any_of(f.fixes.begin(), f.fixes.end(),
                             [](const model::Fix& fix) { return !fix.is_question; });
        });
    terminal.out << (offers || !any
                         ? "no finding has a fix that could be carried out\n"
                         : "no finding has a certain fix; --fix=offers takes offers too\n");
  }
}

int run_fix(const CheckOptions& options, const checks::RuleSelection& selection,
            const Terminal& terminal) {
  const bool offers = options.fix == "offers";
  const files::Cures cures =
      files::carry_out_cures(options.plan, files::disk_files(), selection, offers);
  print_changes(cures.files, terminal);
  print_cures(cures, offers, terminal);
  if (!options.dry_run && !cures.files.empty()) {
    const int status = write_files(options.plan, cures.files, terminal);
    if (status != exit_fine) return status;
  }
  print_result(options, cures.loaded, cures.findings, terminal);
  return status_of(cures.loaded, cures.findings);
}

}  // namespace

int run_check(const CheckOptions& options, const Terminal& terminal) {
  checks::RuleSelection selection;
  selection.assumptions = true;
  if (!options.rules.empty()) {
    auto parsed = checks::parse_rule_selection(options.rules);
    if (!parsed) {
      terminal.err << fmt::format("greymet: --rules {}\n", parsed.error());
      return exit_usage;
    }
    selection = std::move(*parsed);
  }
  const bool as_text = options.format == "text";
  if (!options.fix.empty() && !as_text) {
    terminal.err << "greymet: --fix prints text; leave --format out\n";
    return exit_usage;
  }
  if (!options.fix.empty() && !options.measured.empty()) {
    terminal.err << "greymet: --fix works on what the plan states; leave --measured out\n";
    return exit_usage;
  }
  if (options.dry_run && options.fix.empty()) {
    terminal.err << "greymet: --dry-run belongs to --fix: greymet check PLAN --fix --dry-run\n";
    return exit_usage;
  }
  mend(options.plan, terminal);
  if (!options.fix.empty()) return run_fix(options, selection, terminal);
  files::LoadedPlan loaded = files::load_plan(options.plan, files::disk_files());
  if (const auto refused = take_measured(options.measured, loaded, terminal)) return *refused;
  Findings findings = checks::check(loaded.plan, loaded.findings, selection);
  if (!as_text) {
    std::erase_if(findings, [&](const Finding& f) { return f.severity < least_of(options); });
  }
  const bool curable = std::any_of(findings.begin(), findings.end(),
                                   [](const Finding& f) { return !f.fixes.empty(); });
  // cures are tried on what the plan states
  if (curable && !options.measured.empty()) {
    for (Finding& f : findings) f.fixes.clear();
  } else if (curable) {
    files::try_cures(loaded, checks::check(loaded.plan, loaded.findings), files::disk_files(),
                     findings, as_text ? files::work_for_words : files::work_for_data);
  }
  const int status = status_of(loaded, findings);
  if (as_text) {
    print_result(options, loaded, findings, terminal);
    return status;
  }
  if (options.format == "csv") {
    terminal.out << files::table_csv(tables::findings_table(files::source_names(loaded), findings));
  } else {
    terminal.out << (options.format == "sarif"
                         ? files::findings_sarif(loaded, findings, GREYMET_VERSION)
                         : files::findings_json(loaded, findings));
  }
  return status;
}

Action declare_check(CLI::App& command, const Terminal& terminal) {
  const auto options = std::make_shared<CheckOptions>();
  command.add_option("PLAN", options->plan, plan_help)->required();
  command.add_option("--rules", options->rules, "families and rules to run, e.g. F,M02")
      ->type_name("LIST");
  command
      .add_flag("--fix{certain}", options->fix,
                "carry out the fixes that can only mean one thing; --fix=offers: offers too, "
                "one by one")
      ->check(CLI::IsMember({"certain", "offers"}));
  command.add_flag("--dry-run", options->dry_run,
                   "with --fix: show what would change, and leave it");
  add_measured(command, options->measured);
  command.add_option("--least", options->least, "show no less than this: error, warning or note")
      ->check(CLI::IsMember({"error", "warning", "note"}))
      ->type_name("SEVERITY");
  add_format(command, options->format, {{"csv", "one line a finding"}, {"sarif", "SARIF 2.1.0"}});
  return [options, &terminal] { return run_check(*options, terminal); };
}

}  // namespace greymet::cli
