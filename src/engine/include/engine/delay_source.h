// Delays of lines, networks and slaves, as one run takes them.
#pragma once

#include <algorithm>
#include <random>

#include "model/network.h"
#include "timing/simulation.h"

namespace greymet::engine {

// Typical ones, the longest, or random ones between shortest and longest; the same for a seed.
class DelaySource {
 public:
  DelaySource(timing::Durations kind, std::uint64_t seed) : kind_(kind), random_(seed) {}

  [[nodiscard]] model::Duration draw(model::Duration shortest, model::Duration typical,
                                     model::Duration longest) {
    switch (kind_) {
      case timing::Durations::typical: return typical;
      case timing::Durations::longest: return longest;
      case timing::Durations::random: break;
    }
    return model::Duration(std::uniform_int_distribution<std::int64_t>(
        shortest.count(), std::max(shortest, longest).count())(random_));
  }
  [[nodiscard]] model::Duration draw(const model::Delay& delay) {
    return draw(delay.min, delay.typical, delay.max);
  }
  [[nodiscard]] std::mt19937_64& random() { return random_; }

 private:
  timing::Durations kind_;
  std::mt19937_64 random_;
};

}  // namespace greymet::engine
