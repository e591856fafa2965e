// Small strong types: numbers that must not be mixed up do not convert into each other.
#pragma once

#include <algorithm>
#include <chrono>
#include <compare>
#include <cstdint>

namespace greymet::model {

// A number that only meets its own kind. `Tag` is any type that names the kind.
template <class Tag, class Rep>
struct Strong {
  Rep value{};
  friend constexpr auto operator<=>(const Strong&, const Strong&) = default;
};

// 0-based protocol address within one area, 0..65535.
using Offset = Strong<struct OffsetTag, std::uint16_t>;
// Number of registers or bits; may exceed what one request can carry, so that rules can say so.
using Quantity = Strong<struct QuantityTag, std::uint32_t>;
// Unit (slave) address: 0..255 on TCP, 1..247 on a serial line, 0 for a broadcast.
using Unit = Strong<struct UnitTag, std::uint16_t>;

using Duration = std::chrono::nanoseconds;

// Stated times are added and multiplied with these where a plan may state any: sums saturate at
// some 18 years, which is longer than anything, and may themselves be added without overflow.
inline constexpr Duration longest_sum{std::int64_t{1} << 59};

// a, b >= 0
[[nodiscard]] constexpr Duration sum_of(Duration a, Duration b) {
  return std::min(longest_sum, std::min(a, longest_sum) + std::min(b, longest_sum));
}
// n, d >= 0
[[nodiscard]] constexpr Duration times(std::int64_t n, Duration d) {
  if (n <= 0 || d <= Duration{}) return Duration{};
  return d.count() > longest_sum.count() / n ? longest_sum : n * d;
}

}  // namespace greymet::model
