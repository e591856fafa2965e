#include "capture/stream_cutter.h"

namespace greymet::capture {

using modbus::Direction;
using modbus::Framing;

namespace {

constexpr std::size_t most_undecided = 600;  // two of the longest frames, and more

modbus::Bytes joined(const std::vector<std::pair<Duration, modbus::Bytes>>& pieces) {
  modbus::Bytes out;
  for (const auto& [time, bytes] : pieces) out.insert(out.end(), bytes.begin(), bytes.end());
  return out;
}

}  // namespace

std::uint64_t StreamCutter::lost_bytes() const {
  return lost_ + requests_.mbap.lost_bytes() + requests_.rtu.lost_bytes() +
         replies_.mbap.lost_bytes() + replies_.rtu.lost_bytes();
}

void StreamCutter::add(Duration time, modbus::ByteView bytes, bool from_client, bool after_gap,
                       const FrameSink& sink) {
  Way& way = from_client ? requests_ : replies_;
  if (framing_) return cut(way, time, bytes, after_gap, sink);
  if (after_gap) {
    lost_ += joined(way.pieces).size();
    way.pieces.clear();
  }
  way.pieces.emplace_back(time, modbus::Bytes(bytes.begin(), bytes.end()));
  find_out(way, sink);
}

// A request for two registers from 0 on looks like a header too ("01 03 00 00 00 02 ..."): its
// checksum tells.
void StreamCutter::find_out(Way& way, const FrameSink& sink) {
  const modbus::Bytes all = joined(way.pieces);
  const FrameStart rtu = starts_as_rtu(all, way.direction);
  const FrameStart mbap = starts_as_mbap(all);
  if (rtu == FrameStart::whole) {
    framing_ = Framing::rtu;
  } else if (mbap == FrameStart::whole) {
    framing_ = Framing::tcp;
  } else if ((rtu == FrameStart::none && mbap == FrameStart::none) || all.size() > most_undecided) {
    // the middle of a frame, or something else: the next piece may begin one
    lost_ += all.size();
    way.pieces.clear();
  }
  if (!framing_) return;
  seen_ = framing_;
  // what came the other way waited for the same; in the order in which it came
  const bool replies_first = !replies_.pieces.empty() && !requests_.pieces.empty() &&
                             replies_.pieces.front().first < requests_.pieces.front().first;
  Way* const first = replies_first ? &replies_ : &requests_;
  for (Way* each : {first, replies_first ? &requests_ : &replies_}) {
    const auto pieces = std::move(each->pieces);
    each->pieces.clear();
    for (const auto& [time, bytes] : pieces) cut(*each, time, bytes, false, sink);
  }
}

void StreamCutter::cut(Way& way, Duration time, modbus::ByteView bytes, bool after_gap,
                       const FrameSink& sink) {
  const bool is_request = way.direction == Direction::request;
  const auto tell = [&](const modbus::Frame& frame, Duration first, Duration last) {
    sink(frame, is_request, first, last);
  };
  const std::uint64_t before = lost_bytes();
  if (seen_ == Framing::rtu) {
    way.rtu.add(time, bytes, after_gap, tell);
  } else {
    way.mbap.add(time, bytes, after_gap, tell);
  }
  if (lost_bytes() != before) framing_.reset();
}

}  // namespace greymet::capture
