// Offsets that are spread evenly, for what is examined at many of them. Not for use outside this
// folder.
#pragma once

#include <cmath>
#include <cstddef>

#include "model/strong.h"

namespace greymet::timing::internal {

// Multiples of these, modulo 1, fill the unit interval evenly: the golden ratio's for one offset
// (Weyl), powers of the plastic number's for two more that have to be independent of it.
inline constexpr double golden = 0.6180339887498949;
inline constexpr double plastic = 0.7548776662466927;
inline constexpr double plastic_2 = 0.5698402909980532;

// Positions of scans and toggles against the exchange that a simulation is looked at from.
inline constexpr std::size_t offsets_examined = 16;

// 0 <= fraction < 1
[[nodiscard]] inline double fraction(double value) {
  return value - std::floor(value);
}

[[nodiscard]] inline model::Duration part_of(model::Duration whole, double share) {
  return model::Duration(static_cast<std::int64_t>(static_cast<double>(whole.count()) * share));
}

}  // namespace greymet::timing::internal
