// How long failed tries can keep a change of a bit from its consumer. Not for use outside this
// folder; docs/timing-model.md has the formulas and why they hold.
#pragma once

#include <vector>

#include "timing/heartbeats.h"

namespace greymet::timing::internal {

// What up to `lost` failed tries on the carrier's queue can do, counted for each smaller number of
// them too. The carrier must have a `delay`.
class FailureGaps {
 public:
  FailureGaps(const Carrier& carrier, std::int64_t lost);

  // G: from a change just after a sample to the completion that carries it.
  [[nodiscard]] Duration longest_gap() const { return gaps_.back(); }
  // The longest time between two changes that the consumer sees, its scan and the producer's
  // included.
  [[nodiscard]] Duration longest_unchanged(const HeartbeatTimes& times) const;

 private:
  void count_cyclic(const Carrier& carrier, std::int64_t lost);
  void count_continuous(const Carrier& carrier, std::int64_t lost);

  std::int64_t lost_;
  std::vector<Duration> gaps_;  // for 0, 1, ... failed tries; the last one for all of them
};

}  // namespace greymet::timing::internal
