// Small strong types: numbers that must not be mixed up do not convert into each other.
#pragma once

#include <chrono>
#include <compare>
#include <cstdint>
#include <ratio>

#include "model/saturating.h"

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

// Times are whole nanoseconds, and sums of stated ones stay at 146 years, which is longer than
// anything.
using Duration = std::chrono::duration<Saturating, std::nano>;

// For arithmetic on plain numbers.
[[nodiscard]] constexpr std::int64_t in_ns(Duration d) {
  return d.count();
}

}  // namespace greymet::model
