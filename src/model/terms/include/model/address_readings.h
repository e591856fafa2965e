// Every way in which people may mean one address text.
//
// A plan's own reading is model/address.h; this is for the question "what could this number in the
// manual be": counted from 0 or from 1, decimal or hexadecimal, plain or a reference.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/address.h"

namespace greymet::model {

// How a meaning counts: what it says all by itself, or a manual's plain numbers.
enum class Counting : std::uint8_t { stated, from_0, from_1 };

// One way to read a text.
struct AddressMeaning {
  std::string how;  // "reference", "hexadecimal, counted from 1"
  Counting counting = Counting::stated;
  std::optional<Area> area;  // open where the text does not say
  Offset offset;
  std::optional<std::uint32_t> bit;
};

// The clause for a text that no area goes with.
inline constexpr std::string_view doubt_of_area =
    "it does not say which of the four areas is meant";

// All meanings of a text, the most literal first.
struct AddressMeanings {
  std::vector<AddressMeaning> meanings;
  std::vector<std::string> doubts;  // why it is ambiguous, a clause each; empty: it is not
};

// Reads every numeric notation. Fails for names of points and of memory, and for what is none; the
// remedy gives an example of the right form. Surrounding quotes are taken off.
[[nodiscard]] tl::expected<AddressMeanings, AddressError> meanings_of(std::string_view text);

}  // namespace greymet::model
