// What several commands print.
#pragma once

#include <optional>

#include "checks/check.h"
#include "cli/terminal.h"
#include "files/plan_loader.h"
#include "timing/report.h"

namespace greymet::timing {
struct Why;
}

namespace greymet::engine {
struct RehearsalResult;
}

namespace greymet::cli {

// Findings in compiler style, each with its source line and a caret.
void print_findings(const files::LoadedPlan& loaded, const model::Findings& findings,
                    const Terminal& terminal);
// "2 errors, 1 warning, no notes"
[[nodiscard]] std::string tally_text(const checks::Tally& tally);

// The timing of all lines as text, at most `width` columns where that is 80 or more. `legend`: with
// what each column is.
[[nodiscard]] std::string timing_text(const model::ResolvedPlan& plan,
                                      const timing::TimingReport& report, const Terminal& terminal,
                                      bool legend);

// How one bound is made up, for `timing --why`.
[[nodiscard]] std::string why_text(const model::ResolvedPlan& plan,
                                   const timing::TimingReport& report, const timing::Why& why,
                                   const Terminal& terminal);
// The parts below the lines: noticing a stop, paths, silent slaves; and what their columns mean.
[[nodiscard]] std::string supervision_text(const model::ResolvedPlan& plan,
                                           const timing::TimingReport& report,
                                           const Terminal& terminal);
[[nodiscard]] std::string supervision_legend(const model::ResolvedPlan& plan,
                                             const timing::TimingReport& report,
                                             const Terminal& terminal);

// What a rehearsal measured.
[[nodiscard]] std::string rehearsal_text(const model::ResolvedPlan& plan,
                                         const engine::RehearsalResult& result,
                                         const Terminal& terminal);

// All rules that need no timing.
[[nodiscard]] checks::RuleSelection rules_without_time();

// A plan that a command other than check can work on, or the exit status it must end with. P
// errors are printed in full; other errors are mentioned in one line.
struct UsablePlan {
  files::LoadedPlan loaded;
  model::Findings findings;
  std::optional<int> refused;
};
// `rules`: which rules to ask; those about time cost a simulation. `beside`: a folder with files of
// the plan that do not lie beside it; empty: none.
[[nodiscard]] UsablePlan load_usable_plan(const std::string& path, const Terminal& terminal,
                                          const checks::RuleSelection& rules = rules_without_time(),
                                          const std::string& beside = {});

// What rehearse or run left in that folder, or that file itself; nothing where it cannot be read.
struct MeasuredFile {
  std::string name;
  std::string text;
};
[[nodiscard]] std::optional<MeasuredFile> measured_file(const std::string& path);
// Lets what that file or folder measured count in place of what the plan states; or says why not,
// and returns the exit status. Nothing happens where `path` is empty.
[[nodiscard]] std::optional<int> take_measured(const std::string& path, files::LoadedPlan& loaded,
                                               const Terminal& terminal);
// What was measured, and where it is longer than what the plan states; empty where nothing was.
[[nodiscard]] std::string measured_text(const model::ResolvedPlan& plan, const Terminal& terminal);

}  // namespace greymet::cli
