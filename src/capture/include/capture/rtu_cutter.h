// A TCP stream of RTU frames -> frames, from wherever the capture begins. Silences say nothing
// there: frames are told by length and checksum (MODBUS over Serial Line V1.02, section 2.5.1).
#pragma once

#include <functional>
#include <vector>

#include "capture/mbap_cutter.h"
#include "modbus/frame.h"
#include "model/strong.h"

namespace greymet::capture {

// Whether a frame begins some bytes: all of it is there, it cannot, or more bytes will tell.
enum class FrameStart : std::uint8_t { whole, none, unclear };
// With a right checksum. A function that we do not know is a frame where it is all of the bytes.
[[nodiscard]] FrameStart starts_as_rtu(modbus::ByteView bytes, modbus::Direction direction);
// Protocol 0, and a length that a unit and a PDU have.
[[nodiscard]] FrameStart starts_as_mbap(modbus::ByteView bytes);

// One direction of one connection. Keeps 600 bytes at most.
class RtuCutter {
 public:
  using FrameSink = MbapCutter::FrameSink;

  explicit RtuCutter(modbus::Direction direction) : direction_(direction) {}
  // `after_gap`: bytes are missing before these; what was begun is dropped then. What begins no
  // frame is passed over up to the first that is whole.
  void add(Duration time, modbus::ByteView bytes, bool after_gap, const FrameSink& sink);
  // Bytes that were no frame.
  [[nodiscard]] std::uint64_t lost_bytes() const { return lost_; }

 private:
  void drop(std::size_t bytes);
  void erase(std::size_t bytes);

  modbus::Direction direction_;
  modbus::Bytes buffer_;
  std::vector<Duration> times_;  // parallel: when each byte came
  std::uint64_t lost_ = 0;
};

}  // namespace greymet::capture
