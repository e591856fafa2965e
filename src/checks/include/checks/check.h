// check: a resolved plan in, findings out.
#pragma once

#include <memory>
#include <stop_token>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

#include "model/finding.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::timing {
struct TimingReport;
}

namespace greymet::checks {

// Which rules are wanted: families ("F") and single rules ("M02"). Empty: all, but family A, which
// tries many plans, only with `assumptions`.
struct RuleSelection {
  std::vector<std::string> picked;
  bool assumptions = false;
  [[nodiscard]] bool includes(model::RuleCode code) const;
};

// Reads "F,M02". The error is one line naming the offending text.
[[nodiscard]] tl::expected<RuleSelection, std::string> parse_rule_selection(std::string_view text);

// Most findings that come back; of more, one says how many are left out.
inline constexpr std::size_t most_findings = 20'000;

// Runs the rules and joins their findings with those of reading (`found`): consequences of one
// cause are silenced (Finding::explains), accepted findings are left out and explain nothing, the
// rest is sorted by place and cut. Once `stop` is requested no further rule is begun: what comes
// back is then not the whole answer. `timing`, if not null, receives the timing that rules asked
// for; nothing where none did.
[[nodiscard]] model::Findings check(const model::ResolvedPlan& resolved, model::Findings found,
                                    const RuleSelection& selection = {},
                                    const std::stop_token& stop = {},
                                    std::shared_ptr<const timing::TimingReport>* timing = nullptr);

// As `check` gives them: files that the plan names first, what rests on assumptions last.
void sort_by_place(model::Findings& findings);

// How many findings of each severity there are.
struct Tally {
  std::size_t errors = 0;
  std::size_t warnings = 0;
  std::size_t notes = 0;
};
[[nodiscard]] Tally tally_of(const model::Findings& findings);

}  // namespace greymet::checks
