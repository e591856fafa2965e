// Values that move by themselves, so that a served plant looks alive.
//
// A generator is a pure function of the time since the start, in engineering units.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <utility>

#include "model/register_map.h"
#include "model/strong.h"

namespace greymet::engine {

using model::Duration;

// How a value moves; what each takes stands at Generator.
enum class GeneratorKind : std::uint8_t { constant, ramp, sine, walk, count, square };

// constant VALUE · ramp FROM TO PERIOD · sine LOW HIGH PERIOD · walk LOW HIGH STEP (a step a
// second) · count STEP EVERY · square LOW HIGH PERIOD
struct Generator {
  GeneratorKind kind = GeneratorKind::constant;
  double a = 0;
  double b = 0;
  double step = 0;    // walk, count
  Duration period{};  // the others; of a count: from one step to the next
  std::uint64_t seed = 0;

  [[nodiscard]] double value_at(Duration now) const;
  // The least and greatest value it ever has; of a count the infinite one.
  [[nodiscard]] std::pair<double, double> reach() const;
};

// "sine 20 80 30s". Fails with what is expected.
[[nodiscard]] tl::expected<Generator, std::string> generator_from(std::string_view text);

// What suits a point that nobody spoke of: read-only numbers wander within their range, counters
// count, bits change now and then, what can be written stays at its least value.
[[nodiscard]] Generator default_generator(const model::Point& point, bool moves);

}  // namespace greymet::engine
