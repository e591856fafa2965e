// Characters and silences on a serial line.
//
// MODBUS over Serial Line V1.02: section 2.5.1.1 for t3.5 (3.5 characters up to 19200 baud, fixed
// 1.750 ms above), section 2.5.2.1 for ASCII, which has no silent interval between frames.
#pragma once

#include <cstdint>

#include "model/serial_settings.h"
#include "model/strong.h"

namespace greymet::timing {

using model::Duration;

// A line's speed, enough to time any frame. All durations are rounded up to whole nanoseconds.
struct CharacterTiming {
  model::SerialMode mode = model::SerialMode::rtu;
  std::int64_t baud = 19200;  // > 0
  model::CharacterFormat format;

  // Time of one character, exact, in milliseconds.
  [[nodiscard]] double character_ms() const;
  // Time of `count` characters sent without a pause.
  [[nodiscard]] Duration characters(std::uint32_t count) const;
  // The silence that ends a frame: t3.5 in RTU, 0 in ASCII.
  [[nodiscard]] Duration frame_gap() const;
};

}  // namespace greymet::timing
