// A TCP connection -> frames, whichever way they are wrapped: with an MBAP header, or as RTU frames
// with their checksum, as gateways speak that hand on what they are given.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <utility>
#include <vector>

#include "capture/mbap_cutter.h"
#include "capture/rtu_cutter.h"
#include "modbus/frame.h"
#include "model/strong.h"

namespace greymet::capture {

// Both directions of one connection. How frames are wrapped is told by the first that is whole, and
// anew behind bytes that are none: a right checksum is worth more than what looks like a header.
// Keeps some 2,500 bytes at most.
class StreamCutter {
 public:
  // `first` and `last`: when the pieces with its first and its last byte came.
  using FrameSink = std::function<void(const modbus::Frame& frame, bool is_request, Duration first,
                                       Duration last)>;

  // `after_gap`: bytes of this direction are missing before these.
  void add(Duration time, modbus::ByteView bytes, bool from_client, bool after_gap,
           const FrameSink& sink);
  // rtu or tcp, as it was last; nothing before the first frame.
  [[nodiscard]] std::optional<modbus::Framing> framing() const { return seen_; }
  // Bytes that were no frame, what waits for its end aside.
  [[nodiscard]] std::uint64_t lost_bytes() const;

 private:
  // One direction.
  struct Way {
    explicit Way(modbus::Direction way) : direction(way), rtu(way) {}
    modbus::Direction direction;
    MbapCutter mbap;
    RtuCutter rtu;
    // While it is not known how frames are wrapped: what came, piece by piece.
    std::vector<std::pair<Duration, modbus::Bytes>> pieces;
  };
  void find_out(Way& way, const FrameSink& sink);
  void cut(Way& way, Duration time, modbus::ByteView bytes, bool after_gap, const FrameSink& sink);

  Way requests_{modbus::Direction::request};
  Way replies_{modbus::Direction::reply};
  std::optional<modbus::Framing> framing_;
  std::optional<modbus::Framing> seen_;
  std::uint64_t lost_ = 0;  // while nobody knew
};

}  // namespace greymet::capture
