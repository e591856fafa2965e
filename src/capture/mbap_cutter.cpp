#include "capture/mbap_cutter.h"

#include <algorithm>

namespace greymet::capture {

namespace {

constexpr std::size_t header_bytes = 7;  // transaction, protocol, length, unit
constexpr std::size_t before_length = 6;

unsigned word_of(const std::vector<std::byte>& bytes, std::size_t at) {
  return std::to_integer<unsigned>(bytes[at]) << 8U | std::to_integer<unsigned>(bytes[at + 1]);
}

// Protocol 0, and a length that a unit and a PDU have.
bool like_a_header(const std::vector<std::byte>& bytes) {
  const unsigned length = word_of(bytes, 4);
  return word_of(bytes, 2) == 0 && length >= 2 && length <= modbus::longest_pdu + 1;
}

}  // namespace

void MbapCutter::add(Duration time, modbus::ByteView bytes, bool after_gap, const FrameSink& sink) {
  if (after_gap) {
    lost_ += buffer_.size();
    buffer_.clear();
  }
  while (!bytes.empty() || buffer_.size() >= header_bytes) {
    if (buffer_.empty()) first_ = time;
    // as many as tell the length, then the frame
    std::size_t wanted = header_bytes;
    if (buffer_.size() >= header_bytes) {
      if (!like_a_header(buffer_)) {
        // the rest of the piece may be anything: the next one begins a frame, or the one after it
        lost_ += buffer_.size() + bytes.size();
        buffer_.clear();
        return;
      }
      wanted = before_length + word_of(buffer_, 4);
    }
    if (buffer_.size() < wanted) {
      const std::size_t more = std::min(wanted - buffer_.size(), bytes.size());
      if (more == 0) return;
      buffer_.insert(buffer_.end(), bytes.begin(),
                     bytes.begin() + static_cast<std::ptrdiff_t>(more));
      bytes = bytes.subspan(more);
      if (wanted == header_bytes || buffer_.size() < wanted) {
        if (buffer_.size() < wanted) return;
        continue;
      }
    }
    modbus::Frame frame;
    frame.transaction = static_cast<std::uint16_t>(word_of(buffer_, 0));
    frame.unit = std::to_integer<std::uint8_t>(buffer_[6]);
    frame.pdu.assign(buffer_.begin() + header_bytes, buffer_.end());
    sink(frame, first_, time);
    buffer_.clear();
  }
}

}  // namespace greymet::capture
