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

// The reply time that a slave showed.
struct MeasuredReply {
  std::size_t slave = 0;  // into Plan::slaves
  model::Delay reply;     // typical: of the median; max: of the longest that was seen
  std::uint64_t answers = 0;
};

// What is left of the durations when frames, gaps, network and gateway have taken their typical
// time (docs/timing-model.md, "Measured"). Of several transactions of a slave the longest counts.
// Transactions that the plan does not have, of peers and without answers are passed over.
[[nodiscard]] std::vector<MeasuredReply> measured_replies(
    const model::ResolvedPlan& plan, const std::vector<MeasuredDuration>& durations);

// The same as facts in place of the plan's: with them no longest duration is below a measured one.
// A longest that the plan states stays where it is longer: a measurement refutes a maximum, and
// proves none.
[[nodiscard]] model::Measurement measured_facts(const model::ResolvedPlan& plan, std::string source,
                                                const std::vector<MeasuredDuration>& durations);

}  // namespace greymet::timing
