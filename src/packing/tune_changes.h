// Changes to a plan that may cure a line. Not for use outside this folder.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "model/resolved_plan.h"
#include "packing/tune.h"
#include "timing/report.h"

namespace greymet::packing::internal {

// One way of changing a plan, in growing sizes; the first size that cures is the one to propose,
// and between it and the one before, where there is more than one step, what lies there.
struct Remedy {
  TuneKind kind = TuneKind::phases;
  struct Size {
    std::string text;
    std::string cost;
    std::function<void(model::Plan&)> apply;
    std::int64_t amount = 0;  // in steps, where sizes lie on a scale
    bool rests_on_defaults = false;
  };
  std::vector<Size> sizes;                      // least change first
  std::int64_t present = 0;                     // the amount today, where sizes lie on a scale
  std::function<Size(std::int64_t)> of_amount;  // any size on the scale; empty where there is none
};

// What may be tried on a line: `plan` holds the transactions of its island alone, `report` is of
// that plan, `queue` the line's queue in it; both must outlive the remedies.
[[nodiscard]] std::vector<Remedy> remedies_for(const model::ResolvedPlan& plan,
                                               const timing::TimingReport& report,
                                               std::size_t queue);

}  // namespace greymet::packing::internal
