#include "capture/rtu_cutter.h"

#include <algorithm>

namespace greymet::capture {

using modbus::Framing;

namespace {

constexpr std::size_t most_kept = 600;  // two of the longest frames, and more
constexpr std::size_t shortest_rtu = 4;

// How long the frame is that begins these bytes; nothing where none does, or not all of it.
std::optional<std::size_t> whole_length(modbus::ByteView bytes, modbus::Direction direction) {
  const std::size_t length =
      modbus::expected_length(bytes, Framing::rtu, direction).value_or(bytes.size());
  if (length < shortest_rtu || length > bytes.size()) return std::nullopt;
  if (!modbus::decode_frame(bytes.first(length), Framing::rtu)) return std::nullopt;
  return length;
}

}  // namespace

FrameStart starts_as_rtu(modbus::ByteView bytes, modbus::Direction direction) {
  if (whole_length(bytes, direction)) return FrameStart::whole;
  const auto length = modbus::expected_length(bytes, Framing::rtu, direction);
  const bool more_tells = length ? *length > bytes.size() : bytes.size() < shortest_rtu;
  return more_tells ? FrameStart::unclear : FrameStart::none;
}

FrameStart starts_as_mbap(modbus::ByteView bytes) {
  constexpr std::size_t before_unit = 6;
  if (bytes.size() < before_unit) return FrameStart::unclear;
  const auto word = [&](std::size_t at) {
    return std::to_integer<unsigned>(bytes[at]) << 8U | std::to_integer<unsigned>(bytes[at + 1]);
  };
  const unsigned length = word(4);
  if (word(2) != 0 || length < 2 || length > modbus::longest_pdu + 1) return FrameStart::none;
  return bytes.size() >= before_unit + length ? FrameStart::whole : FrameStart::unclear;
}

void RtuCutter::erase(std::size_t bytes) {
  const auto count = static_cast<std::ptrdiff_t>(bytes);
  buffer_.erase(buffer_.begin(), buffer_.begin() + count);
  times_.erase(times_.begin(), times_.begin() + count);
}

void RtuCutter::drop(std::size_t bytes) {
  lost_ += bytes;
  erase(bytes);
}

void RtuCutter::add(Duration time, modbus::ByteView bytes, bool after_gap, const FrameSink& sink) {
  if (after_gap) drop(buffer_.size());
  while (!bytes.empty()) {
    const modbus::ByteView piece = bytes.first(std::min(bytes.size(), most_kept / 2));
    bytes = bytes.subspan(piece.size());
    buffer_.insert(buffer_.end(), piece.begin(), piece.end());
    times_.resize(buffer_.size(), time);
    std::size_t from = 0;
    while (from < buffer_.size()) {
      const modbus::ByteView rest = modbus::ByteView(buffer_).subspan(from);
      const auto length = whole_length(rest, direction_);
      if (!length) {
        // what may still become a frame at the begin is waited for; else the next one is looked for
        if (from == 0 && starts_as_rtu(rest, direction_) == FrameStart::unclear) break;
        ++from;
        continue;
      }
      drop(from);
      from = 0;
      auto frame = modbus::decode_frame(modbus::ByteView(buffer_).first(*length), Framing::rtu);
      if (frame) sink(*frame, times_.front(), times_[*length - 1]);
      erase(*length);
    }
    if (buffer_.size() > most_kept) drop(buffer_.size() - most_kept / 2);
  }
}

}  // namespace greymet::capture
