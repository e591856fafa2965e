#include "model/duration_text.h"

#include <array>
#include <cmath>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

struct TimeUnit {
  std::string_view name;
  std::int64_t nanoseconds;
};

// Longest names first where one is the tail of another.
constexpr std::array units{
    TimeUnit{"ms", 1'000'000},       TimeUnit{"us", 1'000},        TimeUnit{"ns", 1},
    TimeUnit{"min", 60'000'000'000}, TimeUnit{"s", 1'000'000'000}, TimeUnit{"h", 3'600'000'000'000},
};

constexpr std::string_view expected_form =
    "expected a duration in quotes with its unit, such as \"200ms\", \"1.5s\" or \"2min\"";

}  // namespace

tl::expected<Duration, std::string> parse_duration(std::string_view text) {
  std::size_t pos = 0;
  std::int64_t whole = 0;
  constexpr std::int64_t too_large = 10'000'000'000'000'000;
  for (; pos < text.size() && is_digit(text[pos]); ++pos) {
    whole = whole * 10 + (text[pos] - '0');
    if (whole > too_large) {
      return tl::unexpected(fmt::format("'{}' is longer than 31 days", text.substr(0, 40)));
    }
  }
  const bool has_whole = pos > 0;
  std::int64_t fraction = 0;
  std::int64_t scale = 1;
  bool bad_fraction = false;
  if (has_whole && pos < text.size() && text[pos] == '.') {
    const std::size_t point = pos++;
    for (; pos < text.size() && is_digit(text[pos]); ++pos) {
      if (scale >= 1'000'000'000) return tl::unexpected(std::string("at most 9 decimals"));
      fraction = fraction * 10 + (text[pos] - '0');
      scale *= 10;
    }
    bad_fraction = pos == point + 1;
  }
  while (pos < text.size() && text[pos] == ' ') ++pos;
  const std::string_view unit_name = text.substr(pos);
  if (!has_whole || bad_fraction) {
    return tl::unexpected(fmt::format("'{}': {}", text.substr(0, 40), expected_form));
  }
  if (unit_name.empty()) {
    return tl::unexpected(
        fmt::format("'{}' has no unit; write \"{}ms\" or \"{}s\", as meant", text, text, text));
  }
  for (const TimeUnit& unit : units) {
    if (unit.name != unit_name) continue;
    if (whole > longest_duration.count() / unit.nanoseconds) {
      return tl::unexpected(fmt::format("'{}' is longer than 31 days", text.substr(0, 40)));
    }
    // fraction < scale <= 1e9 and a unit of at most 3.6e12 ns: split to stay within 64 bits
    const std::int64_t per_step = unit.nanoseconds / scale;
    const std::int64_t rest = unit.nanoseconds % scale;
    if ((fraction * rest) % scale != 0) {
      return tl::unexpected(fmt::format("'{}' is finer than a nanosecond", text));
    }
    return Duration(whole * unit.nanoseconds + fraction * per_step + fraction * rest / scale);
  }
  return tl::unexpected(
      fmt::format("'{}' has no unit we know; use us, ms, s, min or h", text.substr(0, 40)));
}

std::string to_text(Duration duration) {
  const std::int64_t ns = duration.count();
  if (ns != 0 && ns % 1'000'000'000 == 0) return fmt::format("{}s", ns / 1'000'000'000);
  if (ns % 1'000'000 == 0) return fmt::format("{}ms", ns / 1'000'000);
  if (ns % 1'000 == 0) return fmt::format("{}us", ns / 1'000);
  return fmt::format("{}ns", ns);
}

double to_ms(Duration duration) {
  return static_cast<double>(duration.count()) / 1e6;
}

std::string shortest_digits(double value) {
  constexpr double longest = 1e15;
  if (!(std::abs(value) < longest)) return fmt::format("{:g}", value);
  std::string text = fmt::format("{:.3f}", value);
  text.erase(text.find_last_not_of('0') + 1);
  if (text.back() == '.') text.pop_back();
  return text;
}

std::string ms_digits(Duration duration) {
  return shortest_digits(to_ms(duration));
}

std::string in_ms(Duration duration) {
  return ms_digits(duration) + " ms";
}

std::string ms_at_most(Duration duration) {
  constexpr std::int64_t per_ms = 1'000'000;
  constexpr std::int64_t finest = 1'000;
  std::int64_t step = per_ms;
  while (step > finest && duration < Duration(100 * step)) step /= 10;
  const std::int64_t ns = duration.count();
  const std::int64_t steps = ns / step + (ns % step > 0 ? 1 : 0);
  return shortest_digits(static_cast<double>(steps) * static_cast<double>(step) / per_ms);
}

}  // namespace greymet::model
