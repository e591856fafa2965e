// Ranges of a controller's memory, as areas count them and as bits of the store they lie in; what
// they mean for a plan says model/memory_layout.h.
#pragma once

#include <compare>
#include <cstddef>
#include <cstdint>
#include <optional>

namespace greymet::model {

inline constexpr std::uint64_t bits_per_word = 16;

// Bits [first, end) of one store. The bits of a range with width < 16 are spread over words; such
// a range then stands for all bits between the first and the last.
struct BitRange {
  std::size_t store = 0;
  std::uint64_t first = 0;
  std::uint64_t end = 0;
  friend auto operator<=>(const BitRange&, const BitRange&) = default;
  friend bool operator==(const BitRange&, const BitRange&) = default;
};

[[nodiscard]] constexpr bool overlap(const BitRange& a, const BitRange& b) {
  return a.store == b.store && a.first < b.end && b.first < a.end;
}

// A range of words or bits in one area: numbers [number, number + count).
struct MemoryRange {
  std::size_t area = 0;
  std::int64_t number = 0;
  std::int64_t count = 0;
  std::optional<std::uint32_t> bit;  // one bit of one word
  bool assigned = false;             // placed by us: the plan named only the area
  BitRange bits;
};

}  // namespace greymet::model
