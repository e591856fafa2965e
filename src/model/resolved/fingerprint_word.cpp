#include "model/fingerprint_word.h"

#include <algorithm>
#include <charconv>

namespace greymet::model {

std::uint16_t fingerprint_word_of(std::string_view fingerprint) {
  constexpr std::size_t digits = 4;
  const std::size_t colon = fingerprint.find(':');
  fingerprint.remove_prefix(colon == std::string_view::npos ? 0 : colon + 1);
  std::uint16_t word = 0;
  for (std::size_t at = 0; at + digits <= fingerprint.size() && word == 0; at += digits) {
    constexpr int hexadecimal = 16;
    (void)std::from_chars(&fingerprint[at], &fingerprint[at] + digits, word, hexadecimal);
  }
  return std::max<std::uint16_t>(word, 1);
}

}  // namespace greymet::model
