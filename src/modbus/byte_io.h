// Reading and writing big-endian fields with every length checked: used by the codecs here.
#pragma once

#include <fmt/format.h>

#include "modbus/pdu.h"

namespace greymet::modbus::internal {

inline constexpr std::size_t mbap_length = 7;  // transaction, protocol, length, unit
inline constexpr std::size_t crc_length = 2;

[[nodiscard]] inline tl::unexpected<DecodeError> refuse(DecodeFault fault, std::size_t at,
                                                        std::string_view field,
                                                        std::string message) {
  return tl::unexpected(DecodeError{fault, at, std::string(field), std::move(message)});
}

// Appends fields to bytes.
class Writer {
 public:
  void byte(std::uint32_t value) { bytes_.push_back(static_cast<std::byte>(value & 0xff)); }
  void word(std::uint32_t value) {
    byte(value >> 8);
    byte(value);
  }
  void packed_bits(const std::vector<bool>& bits) {
    for (std::size_t i = 0; i < bits.size(); i += 8) {
      std::uint32_t packed = 0;
      for (std::size_t k = i; k < bits.size() && k < i + 8; ++k) {
        packed |= (bits[k] ? 1U : 0U) << (k - i);
      }
      byte(packed);
    }
  }
  [[nodiscard]] Bytes take() { return std::move(bytes_); }

 private:
  Bytes bytes_;
};

// Takes fields off bytes; the first field that is cut short is remembered and all later reads
// give 0, so that a decoder may read on and ask once.
class Reader {
 public:
  explicit Reader(ByteView bytes) : bytes_(bytes) {}

  std::uint8_t byte(std::string_view field) {
    if (!need(1, field)) return 0;
    return std::to_integer<std::uint8_t>(bytes_[at_++]);
  }
  std::uint16_t word(std::string_view field) {
    if (!need(2, field)) return 0;
    const auto high = std::to_integer<std::uint32_t>(bytes_[at_]);
    const auto low = std::to_integer<std::uint32_t>(bytes_[at_ + 1]);
    at_ += 2;
    return static_cast<std::uint16_t>(high << 8 | low);
  }
  std::vector<std::uint16_t> words(std::size_t count, std::string_view field) {
    std::vector<std::uint16_t> out;
    if (!need(2 * count, field)) return out;
    for (std::size_t i = 0; i < count; ++i) out.push_back(word(field));
    return out;
  }
  std::vector<bool> bits(std::size_t count, std::string_view field) {
    std::vector<bool> out;
    if (!need((count + 7) / 8, field)) return out;
    for (std::size_t i = 0; i < count; ++i) {
      const auto packed = std::to_integer<std::uint32_t>(bytes_[at_ + i / 8]);
      out.push_back((packed >> (i % 8) & 1U) != 0);
    }
    at_ += (count + 7) / 8;
    return out;
  }
  void fail(DecodeFault fault, std::size_t at, std::string_view field, std::string message) {
    if (!error_) error_ = DecodeError{fault, at, std::string(field), std::move(message)};
  }
  [[nodiscard]] std::size_t at() const { return at_; }
  [[nodiscard]] std::size_t left() const { return bytes_.size() - at_; }
  [[nodiscard]] bool failed() const { return error_.has_value(); }
  // The error, also if bytes are left over.
  [[nodiscard]] std::optional<DecodeError> finish() {
    if (!error_ && left() > 0) {
      fail(DecodeFault::surplus, at_, "end", fmt::format("{} bytes too many", left()));
    }
    return error_;
  }

 private:
  bool need(std::size_t count, std::string_view field) {
    if (error_) return false;
    if (left() >= count) return true;
    fail(DecodeFault::cut_short, at_, field,
         fmt::format("cut short: {} bytes expected, {} left", count, left()));
    return false;
  }

  ByteView bytes_;
  std::size_t at_ = 0;
  std::optional<DecodeError> error_;
};

}  // namespace greymet::modbus::internal
