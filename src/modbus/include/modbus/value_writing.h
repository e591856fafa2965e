// From a number as people write it to the words of a register: rounded to what the type can hold,
// said where it was, refused where it cannot be.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "modbus/value_codec.h"

namespace greymet::modbus {

// How a value lies in registers: engineering value = raw x factor + offset.
struct ValueForm {
  model::DataType type;
  double factor = 1;
  double offset = 0;
  std::optional<double> min;  // engineering; what may be written
  std::optional<double> max;
};

// What is written for it.
struct WrittenValue {
  RawValue raw;
  std::string text;      // what the device then has, in engineering units, with all its digits
  bool rounded = false;  // which is not quite what was asked for
};

// "33.5", "-4", "true", "PUMP 3" for a type; whole numbers without factor and offset exactly. Fails
// with one line for what is no such value, or beyond the type or the range; with `beyond_range` the
// range (not the type) may be left.
[[nodiscard]] tl::expected<WrittenValue, std::string> value_to_write(std::string_view text,
                                                                     const ValueForm& form,
                                                                     bool beyond_range = false);

}  // namespace greymet::modbus
