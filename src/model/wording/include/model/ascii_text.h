// Kinds of ASCII characters, whatever the locale, and how much of a text a message quotes.
#pragma once

#include <algorithm>
#include <optional>
#include <string_view>

namespace greymet::model {

[[nodiscard]] constexpr bool is_digit(char c) {
  return c >= '0' && c <= '9';
}
[[nodiscard]] constexpr bool is_letter(char c) {
  return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}

// Equal but for the case of ASCII letters.
[[nodiscard]] constexpr bool equal_in_any_case(std::string_view a, std::string_view b) {
  const auto small = [](char c) {
    return c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  };
  return std::equal(a.begin(), a.end(), b.begin(), b.end(),
                    [small](char x, char y) { return small(x) == small(y); });
}

// One digit or more, nothing else.
[[nodiscard]] constexpr bool all_digits(std::string_view text) {
  return !text.empty() && std::all_of(text.begin(), text.end(), is_digit);
}

// 0 to 15.
[[nodiscard]] constexpr std::optional<unsigned> hex_digit_value(char c) {
  if (is_digit(c)) return static_cast<unsigned>(c - '0');
  if (c >= 'a' && c <= 'f') return static_cast<unsigned>(c - 'a' + 10);
  if (c >= 'A' && c <= 'F') return static_cast<unsigned>(c - 'A' + 10);
  return std::nullopt;
}

// What a message quotes of a text that may be of any length.
inline constexpr std::size_t longest_quoted = 60;
[[nodiscard]] constexpr std::string_view quoted_start(std::string_view text) {
  return text.substr(0, longest_quoted);
}

}  // namespace greymet::model
