// Durations as they are written in plans: a number and a unit.
#pragma once

#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "model/strong.h"

namespace greymet::model {

// The longest duration a plan may state (31 days); keeps all sums far from overflow.
inline constexpr Duration longest_duration = std::chrono::hours(24 * 31);

// Reads "200ms", "1.5s", "50us", "2min", "1h". The text of the error says what was expected.
// A bare number is refused: "100" has meant both a tenth of a second and a second.
[[nodiscard]] tl::expected<Duration, std::string> parse_duration(std::string_view text);

// The shortest text that reads back as the same duration: "1500ms", "2s", "50us".
[[nodiscard]] std::string to_text(Duration duration);

// Milliseconds for messages and tables, rounded to a thousandth, no trailing zeros: "51.823 ms".
[[nodiscard]] std::string in_ms(Duration duration);
[[nodiscard]] double to_ms(Duration duration);
// The same without the unit: "51.823".
[[nodiscard]] std::string ms_digits(Duration duration);
// Three digits, rounded up, whole milliseconds from 100 on and microseconds at the finest: "51.9",
// "2031"; for limits that people compare with what they see.
[[nodiscard]] std::string ms_at_most(Duration duration);
// A number to a thousandth, no trailing zeros: "44.79"; in powers of ten where it is very large.
[[nodiscard]] std::string shortest_digits(double value);

}  // namespace greymet::model
