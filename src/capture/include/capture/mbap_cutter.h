// A TCP stream -> frames with an MBAP header, from wherever the capture begins.
#pragma once

#include <functional>
#include <vector>

#include "modbus/frame.h"
#include "model/strong.h"

namespace greymet::capture {

using model::Duration;

// One direction of one connection. Keeps at most one frame, 260 bytes.
class MbapCutter {
 public:
  // `first` and `last`: when the pieces with its first and its last byte came.
  using FrameSink = std::function<void(const modbus::Frame& frame, Duration first, Duration last)>;

  // `after_gap`: bytes are missing before these. What was begun is dropped then, and a frame is
  // looked for at the begin of a piece, where masters and slaves begin theirs.
  void add(Duration time, modbus::ByteView bytes, bool after_gap, const FrameSink& sink);
  // Bytes that were no frame.
  [[nodiscard]] std::uint64_t lost_bytes() const { return lost_; }

 private:
  std::vector<std::byte> buffer_;
  Duration first_{};
  std::uint64_t lost_ = 0;
};

}  // namespace greymet::capture
