// Rounding of times to what recurs: scans, releases, the steps in which people write durations.
#pragma once

#include "model/strong.h"

namespace greymet::model {

// The last of the times offset + k x step (any integer k) that is not after `t`; `t` itself where
// there is no step.
[[nodiscard]] constexpr Duration boundary_until(Duration t, Duration step, Duration offset = {}) {
  if (step <= Duration{}) return t;
  const Duration past = ((t - offset) % step + step) % step;
  return t - past;
}

// The first of them that is not before `t`.
[[nodiscard]] constexpr Duration boundary_from(Duration t, Duration step, Duration offset = {}) {
  const Duration until = boundary_until(t, step, offset);
  return until == t ? t : until + step;
}

// The nearest multiples of `step`, both ways.
[[nodiscard]] constexpr Duration rounded_down(Duration value, Duration step) {
  return boundary_until(value, step);
}
[[nodiscard]] constexpr Duration rounded_up(Duration value, Duration step) {
  return boundary_from(value, step);
}

}  // namespace greymet::model
