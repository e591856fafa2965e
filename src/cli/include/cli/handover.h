// A plan with all that exports and the report are made of.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "cli/print.h"
#include "exports/exports.h"

namespace greymet::cli {

// Keeps what an ExportInput refers to; the plan has to outlive it.
struct Handover {
  model::PointList points;
  timing::TimingReport timing;
  std::vector<std::optional<model::Duration>> ages;
  const model::ResolvedPlan& plan;
  const model::Findings& findings;

  [[nodiscard]] exports::ExportInput input() const;
};

// Refuses a plan that moves more values than can be listed. The status to end with, or nothing.
[[nodiscard]] std::optional<int> refuse_too_many(const model::PointList& points,
                                                 const Terminal& terminal);

// With longest durations alone, as exports need it; `timing` gives the whole report instead.
[[nodiscard]] Handover handover_of(const UsablePlan& usable,
                                   std::optional<timing::TimingReport> timing = {});

// More transactions than exports and reports have memory for. The status to end with, or nothing.
[[nodiscard]] std::optional<int> refuse_too_large(const UsablePlan& usable, std::string_view what,
                                                  const Terminal& terminal);

// The plan of an export: no error may be left in it, and it must not be too large. Says why not,
// and gives the status.
[[nodiscard]] std::optional<int> refuse_errors(const UsablePlan& usable, std::string_view what,
                                               const Terminal& terminal);

}  // namespace greymet::cli
