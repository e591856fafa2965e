// From measured durations to the facts they are made of.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "model/resolved_plan.h"

namespace greymet::timing {

// Of one transaction, from its turn to its end, gap included; good answers alone.
struct MeasuredDuration {
  std::string transaction;
  std::uint64_t answers = 0;
  model::Duration median{};
  model::Duration longest{};
};

// The reply times that these durations show: what is left of them when frames, gaps, network and
// gateway have taken their typical time (docs/timing-model.md, "Measured"). With them no longest
// duration is below a measured one. Of several
// transactions of a slave the longest counts. A longest that the plan states stays where it is
// longer: a measurement refutes a maximum, and proves none. Transactions that the plan does not
// have, of peers and without answers are passed over.
[[nodiscard]] model::Measurement measured_facts(const model::ResolvedPlan& plan, std::string source,
                                                const std::vector<MeasuredDuration>& durations);

}  // namespace greymet::timing
