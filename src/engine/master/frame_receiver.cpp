#include "engine/frame_receiver.h"

#include <algorithm>

namespace greymet::engine {

using modbus::Framing;
using Kind = ReceivedJunk::Kind;

namespace {

constexpr std::size_t most_kept = 1024;
constexpr std::size_t shortest_rtu = 4;
constexpr std::size_t longest_ascii = 2 * (modbus::longest_pdu + 2) + 3;  // unit, PDU, LRC
constexpr std::size_t mbap_before_length_counts = 6;
constexpr std::byte colon{':'};

}  // namespace

void FrameReceiver::receive(Duration now, modbus::ByteView bytes, Received& out) {
  while (!bytes.empty()) {
    if (broken_) {
      out.junk.push_back({Kind::noise, bytes.size()});
      return;
    }
    // requests: what came before a silence and was no frame does not begin one
    if (direction_ == modbus::Direction::request && framing_ == Framing::rtu && silence_at() &&
        *silence_at() <= now) {
      look_at_silence(out);
    }
    const std::size_t taken = std::min(bytes.size(), most_kept);
    buffer_.insert(buffer_.end(), bytes.begin(),
                   bytes.begin() + static_cast<std::ptrdiff_t>(taken));
    times_.resize(buffer_.size(), now);
    bytes = bytes.subspan(taken);
    looked_ = false;
    cut(out);
    if (buffer_.size() > most_kept) drop(buffer_.size() - most_kept / 4, Kind::noise, out);
  }
}

void FrameReceiver::look_at_silence(Received& out) {
  looked_ = true;
  if (framing_ != Framing::rtu) return;
  const modbus::ByteView all(buffer_);
  for (std::size_t from = 0; from + shortest_rtu <= all.size(); ++from) {
    const modbus::ByteView rest = all.subspan(from);
    const auto length = modbus::expected_length(rest, framing_, direction_);
    // of a function we do not know only all that came can be the frame
    if (length ? *length != rest.size() : from != 0) continue;
    auto frame = modbus::decode_frame(rest, framing_);
    if (!frame) continue;
    if (from > 0) drop(from, Kind::noise, out);
    take(buffer_.size(), std::move(*frame), out);
    return;
  }
  if (direction_ == modbus::Direction::request) forget(out);
}

void FrameReceiver::forget(Received& out) {
  if (!buffer_.empty()) drop(buffer_.size(), kind_of_rest(), out);
  broken_ = false;
  looked_ = true;
}

void FrameReceiver::cut(Received& out) {
  switch (framing_) {
    case Framing::rtu: return hears_replies_ ? cut_both(out) : cut_rtu(out);
    case Framing::ascii: return cut_ascii(out);
    case Framing::tcp: return cut_tcp(out);
  }
}

void FrameReceiver::cut_rtu(Received& out) {
  while (true) {
    const auto length = modbus::expected_length(buffer_, framing_, direction_);
    if (!length || *length > buffer_.size()) return;
    auto frame = modbus::decode_frame(modbus::ByteView(buffer_).first(*length), framing_);
    if (!frame) return;  // noise may stand before it: the silence will tell
    take(*length, std::move(*frame), out);
  }
}

// The first frame of either direction whose length and checksum are right; with hundreds of bytes
// at most to look through, as long as a frame is.
void FrameReceiver::cut_both(Received& out) {
  for (std::size_t from = 0; from + shortest_rtu <= buffer_.size();) {
    const modbus::ByteView rest = modbus::ByteView(buffer_).subspan(from);
    bool found = false;
    for (const auto direction : {modbus::Direction::request, modbus::Direction::reply}) {
      const auto length = modbus::expected_length(rest, framing_, direction);
      if (!length || *length > rest.size()) continue;
      auto frame = modbus::decode_frame(rest.first(*length), framing_);
      if (!frame) continue;
      if (from > 0) drop(from, Kind::noise, out);
      take(*length, std::move(*frame), out, direction == modbus::Direction::reply);
      found = true;
      break;
    }
    from = found ? 0 : from + 1;
  }
}

void FrameReceiver::cut_ascii(Received& out) {
  while (!buffer_.empty()) {
    const auto start = std::find(buffer_.begin(), buffer_.end(), colon);
    if (start != buffer_.begin()) {
      drop(static_cast<std::size_t>(start - buffer_.begin()), Kind::noise, out);
      continue;
    }
    // a colon inside a frame begins a new one
    const auto again = std::find(buffer_.begin() + 1, buffer_.end(), colon);
    const auto feed = std::find(buffer_.begin() + 1, again, std::byte{'\n'});
    const auto end = feed == again ? again : feed + 1;
    const auto length = static_cast<std::size_t>(end - buffer_.begin());
    if (feed != again) {
      auto frame = modbus::decode_frame(modbus::ByteView(buffer_).first(length), framing_);
      frame ? take(length, std::move(*frame), out) : drop(length, Kind::bad_checksum, out);
    } else if (again != buffer_.end() || length > longest_ascii) {
      drop(length, Kind::cut_short, out);
    } else {
      return;
    }
  }
}

void FrameReceiver::cut_tcp(Received& out) {
  while (true) {
    const auto length = modbus::expected_length(buffer_, framing_, direction_);
    if (!length) return;
    if (buffer_[2] != std::byte{0} || buffer_[3] != std::byte{0}) {
      drop(buffer_.size(), Kind::bad_protocol, out);
      broken_ = true;
      return;
    }
    const std::size_t announced = *length - mbap_before_length_counts;
    if (announced < 2 || announced > modbus::longest_pdu + 1) {
      drop(buffer_.size(), Kind::absurd_length, out);
      broken_ = true;
      return;
    }
    if (*length > buffer_.size()) return;
    auto frame = modbus::decode_frame(modbus::ByteView(buffer_).first(*length), framing_);
    frame ? take(*length, std::move(*frame), out) : drop(*length, Kind::bad_checksum, out);
  }
}

Kind FrameReceiver::kind_of_rest() const {
  if (framing_ != Framing::rtu) return Kind::cut_short;
  const auto length = modbus::expected_length(buffer_, framing_, direction_);
  if (!length) return buffer_.size() < shortest_rtu ? Kind::cut_short : Kind::noise;
  return *length > buffer_.size() ? Kind::cut_short : Kind::bad_checksum;
}

void FrameReceiver::take(std::size_t bytes, modbus::Frame frame, Received& out, bool is_reply) {
  ReceivedFrame received;
  received.is_reply = is_reply;
  received.frame = std::move(frame);
  received.raw.assign(buffer_.begin(), buffer_.begin() + static_cast<std::ptrdiff_t>(bytes));
  received.first_byte = times_.front();
  received.last_byte = times_[bytes - 1];
  out.frames.push_back(std::move(received));
  erase(bytes);
}

void FrameReceiver::drop(std::size_t bytes, Kind kind, Received& out) {
  out.junk.push_back({kind, bytes});
  erase(bytes);
}

void FrameReceiver::erase(std::size_t bytes) {
  buffer_.erase(buffer_.begin(), buffer_.begin() + static_cast<std::ptrdiff_t>(bytes));
  times_.erase(times_.begin(), times_.begin() + static_cast<std::ptrdiff_t>(bytes));
}

}  // namespace greymet::engine
