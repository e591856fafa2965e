// A value that somebody states for a place: a point of a slave, or a word, bit or tag
// of a controller.
#pragma once

#include <optional>
#include <string>

#include "engine/generator.h"
#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::engine {

// The place.
struct ValueSpot {
  std::optional<std::size_t> slave;
  std::size_t point = 0;  // into the slave's map
  model::ControllerIndex controller;
  std::optional<model::MemoryRange> memory;  // one word, one bit, or what a tag takes
  // How a tag's words are a value; a plain word or bit without.
  std::optional<model::Point> as;
  std::string where;   // as it was written
  model::Range place;  // there

  [[nodiscard]] bool same_place(const ValueSpot& other) const;
};

// What is to be there, from when on.
struct StatedValue {
  ValueSpot at;
  std::optional<Generator> generator;  // a number is a constant
  std::optional<std::string> text;     // of a text point
  std::optional<Duration> from;        // since the start of the run; at the start if left out
  std::string written;                 // the value, as it was written

  [[nodiscard]] bool moves() const {
    return generator && generator->kind != GeneratorKind::constant;
  }
};

}  // namespace greymet::engine
