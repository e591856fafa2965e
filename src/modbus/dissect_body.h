// Unit and PDU of a frame, field by field: shared by the framings. Not for use outside this folder.
#pragma once

#include <algorithm>

#include <fmt/format.h>

#include "modbus/dissect.h"

namespace greymet::modbus::internal {

// The number that big-endian bytes make; at most four of them.
[[nodiscard]] inline unsigned value_of(ByteView bytes) {
  unsigned value = 0;
  for (std::byte b : bytes) value = value << 8U | std::to_integer<unsigned>(b);
  return value;
}

// Walks over the bytes of a unit and its PDU, one field after the other. Bytes that are missing
// make a last, wrong field; the frame's own error names them.
class Walker {
 public:
  Walker(ByteView body, std::vector<Field>& fields) : body_(body), fields_(fields) {}

  [[nodiscard]] std::size_t left() const { return body_.size() - at_; }
  [[nodiscard]] std::size_t at() const { return at_; }

  // Takes up to `count` bytes; nothing if none is left.
  std::optional<unsigned> take(std::size_t count, std::string name, bool is_number = true) {
    const std::size_t there = std::min(count, left());
    if (there == 0) return std::nullopt;
    const ByteView bytes = body_.subspan(at_, there);
    Field field{at_, {bytes.begin(), bytes.end()}, std::move(name), {}, there < count};
    if (there < count) {
      field.value = fmt::format("cut off: {} of {} bytes", there, count);
    } else if (is_number) {
      field.value = fmt::format("{}", value_of(bytes));
    }
    at_ += there;
    fields_.push_back(std::move(field));
    if (there < count) return std::nullopt;
    return is_number ? std::optional(value_of(bytes)) : 0U;
  }
  void describe(std::string value) { fields_.back().value = std::move(value); }
  void mark_wrong() { fields_.back().wrong = true; }
  void rest(std::string name) {
    if (left() == 0) return;
    take(left(), std::move(name), false);
    fields_.back().wrong = true;
    fields_.back().value = "more than the frame should have";
  }

 private:
  ByteView body_;
  std::size_t at_ = 0;
  std::vector<Field>& fields_;
};

// Appends unit, function, and what the function brings. `body` is the frame without header and
// checksum; positions count from its first byte.
void walk_body(ByteView body, Direction direction, std::optional<std::uint16_t> first,
               std::vector<Field>& fields);

}  // namespace greymet::modbus::internal
