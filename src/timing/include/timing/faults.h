// What goes wrong in a simulation: devices that do not answer or refuse, and damaged frames.
#pragma once

#include <cstdint>
#include <vector>

#include "model/strong.h"

namespace greymet::timing {

// What a faulty device does with every request.
enum class FaultKind : std::uint8_t {
  silent,     // no answer: the request fails in all its tries
  exception,  // refuses: an exception reply, which is an answer but carries no data
};

// One device that is faulty from `from` until `until`.
struct DeviceFault {
  std::size_t device = 0;  // into TimingModel::devices
  FaultKind kind = FaultKind::silent;
  model::Duration from{};
  model::Duration until = model::Duration::max();
};

// All that goes wrong. Each frame, request or reply, on any medium, is lost or damaged with
// probability `frame_error_rate` (0..1), independently of all others; the try it belongs to then
// fails by its timeout. Broadcasts are not answered, so nobody notices.
struct Faults {
  std::vector<DeviceFault> devices;
  double frame_error_rate = 0;
  bool park = true;  // false: as if no line had `park`

  [[nodiscard]] bool any() const { return !devices.empty() || frame_error_rate > 0; }
};

// Probability that one try fails: its request or its reply is lost.
[[nodiscard]] constexpr double try_failure_probability(double frame_error_rate) {
  return 1 - (1 - frame_error_rate) * (1 - frame_error_rate);
}

}  // namespace greymet::timing
