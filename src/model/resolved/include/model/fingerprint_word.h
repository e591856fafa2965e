// The short form of an exchange's fingerprint, as a controller keeps it.
#pragma once

#include <cstdint>
#include <string_view>

namespace greymet::model {

// Its first four digits as a number, or the next four that are not all 0. Never 0, which is what
// memory holds that nobody has written. `fingerprint`: "sha256:" and 64 hexadecimal digits.
[[nodiscard]] std::uint16_t fingerprint_word_of(std::string_view fingerprint);

}  // namespace greymet::model
