#include "timing/character.h"

#include <chrono>

namespace greymet::timing {
namespace {

constexpr std::int64_t nanoseconds_per_second = 1'000'000'000;
constexpr std::int64_t fastest_with_counted_gap = 19200;
constexpr Duration fixed_gap = std::chrono::microseconds(1750);

constexpr std::int64_t divide_up(std::int64_t a, std::int64_t b) {
  return (a + b - 1) / b;
}

}  // namespace

double CharacterTiming::character_ms() const {
  return 1000.0 * model::bits_per_character(format) / static_cast<double>(baud);
}

Duration CharacterTiming::characters(std::uint32_t count) const {
  const std::int64_t bits = std::int64_t{count} * model::bits_per_character(format);
  return Duration(divide_up(bits * nanoseconds_per_second, baud));
}

Duration CharacterTiming::frame_gap() const {
  if (mode == model::SerialMode::ascii) return Duration{};
  if (baud > fastest_with_counted_gap) return fixed_gap;
  return Duration(
      divide_up(7LL * model::bits_per_character(format) * nanoseconds_per_second, 2 * baud));
}

}  // namespace greymet::timing
