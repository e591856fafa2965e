// One question on a wire, told apart from others.
#pragma once

#include <compare>
#include <cstdint>
#include <string>

namespace greymet::capture {

// What one request asks, and of whom.
struct AskKey {
  std::string wire;
  std::uint8_t unit = 0;
  std::uint8_t function = 0;
  std::uint32_t offset = 0;  // of what is read, where the function reads
  std::uint32_t count = 0;
  std::uint32_t write_offset = 0;  // function 23
  std::uint32_t write_count = 0;
  friend auto operator<=>(const AskKey&, const AskKey&) = default;
  friend bool operator==(const AskKey&, const AskKey&) = default;
};
// "function 3, hr:10..13 of unit 12 at line north"
[[nodiscard]] std::string to_text(const AskKey& key);

}  // namespace greymet::capture
