// The tables of a resolved plan: what is set, what is sent, what lies where, what is wrong.
#pragma once

#include <optional>
#include <vector>

#include "model/finding.h"
#include "model/memory_report.h"
#include "model/point_list.h"
#include "tables/table.h"

namespace greymet::checks {
struct RuleEntry;
}

namespace greymet::tables {

// One row a slave: how it is reached, and what to set on it.
[[nodiscard]] Table slaves_table(const model::ResolvedPlan& plan);

// One row a serial line that a controller is master of, a connection that it opens, or a way in
// which it answers: what to set on the controller.
[[nodiscard]] Table masters_table(const model::ResolvedPlan& plan);

// One row a transaction, in list order, grouped by nothing.
[[nodiscard]] Table transactions_table(const model::ResolvedPlan& plan);

// One row a value at one place of a controller; `ages` are parallel to the rows of the list.
[[nodiscard]] Table points_table(const model::ResolvedPlan& plan, const model::PointList& list,
                                 const std::vector<std::optional<Duration>>& ages);

// One row a range of a controller's memory that somebody uses, or that is free.
[[nodiscard]] Table memory_table(const model::ResolvedPlan& plan,
                                 const model::MemoryReport& report);
// One row a range of a slave's registers or bits that a transaction moves.
[[nodiscard]] Table registers_table(const model::ResolvedPlan& plan,
                                    const model::MemoryReport& report);

// One row a finding. `files` are the names that places count through.
[[nodiscard]] Table findings_table(const std::vector<std::string>& files,
                                   const model::Findings& findings);
// What the plan accepts, and what could not be judged.
[[nodiscard]] Table accepts_table(const model::ResolvedPlan& plan);
[[nodiscard]] Table not_judged_table(const model::ResolvedPlan& plan);
// What defaults stand for: one row a kind and value, whether anybody asks for it or not.
[[nodiscard]] Table assumed_table(const model::ResolvedPlan& plan);
// What was measured and counts in place of what is stated or assumed.
[[nodiscard]] Table measured_facts_table(const model::ResolvedPlan& plan);

// Rules of the catalogue.
[[nodiscard]] Table rules_table(const std::vector<const checks::RuleEntry*>& entries);

}  // namespace greymet::tables
