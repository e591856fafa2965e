// A changed plan as edits of the one it was made from. Not for use outside this folder.
#pragma once

#include <string>

#include "model/finding.h"
#include "model/plan.h"

namespace greymet::packing::internal {

// What tune changes: periods and phases of transactions; timeouts, retries, park and rates of
// lines; timeouts, retries and lines of slaves and gateways; a line that is new. Both plans list
// the same things in the same order, new lines last.
[[nodiscard]] model::Fix edits_between(const model::Plan& before, const model::Plan& after,
                                       std::string title);

// What the file can say of a changed plan: rows and slaves that are written once change together.
void change_together(const model::Plan& before, model::Plan& after);

}  // namespace greymet::packing::internal
