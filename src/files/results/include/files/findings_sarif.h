// Findings as SARIF 2.1.0 (Static Analysis Results Interchange Format, OASIS), for code review
// systems.
#pragma once

#include <string>

#include "files/plan_loader.h"
#include "model/finding.h"

namespace greymet::files {

// One run with the rules that were broken, the files looked at, and one result a finding. Columns
// count code points. Paths are relative where the plan's is. The remedy stands behind the message.
[[nodiscard]] std::string findings_sarif(const LoadedPlan& loaded, const model::Findings& findings,
                                         std::string_view version);

}  // namespace greymet::files
