// The families of rules. Each function appends its findings; none depends on another's.
#pragma once

#include <vector>

#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

// What rules work on, and what they know of each other.
struct RuleInput {
  const model::ResolvedPlan& plan;
  // Per transaction: it asks for more than one request can carry (F02, F06), or its function and
  // area disagree (F01): rules about its exact range would only repeat that.
  std::vector<bool> range_is_wrong;
};

void check_settings(const RuleInput& in, model::Findings& out);       // S
void check_functions(RuleInput& in, model::Findings& out);            // F01 to F08, F14; fills in
void check_addresses(const RuleInput& in, model::Findings& out);      // F09 to F13, M09
void check_memory(const RuleInput& in, model::Findings& out);         // M01, M02, M06, M10
void check_device_memory(const RuleInput& in, model::Findings& out);  // M04, M05
void check_packing(const RuleInput& in, model::Findings& out);        // M07, M08

}  // namespace greymet::checks
