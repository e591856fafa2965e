// Which function reaches an area, where nobody names one.
#pragma once

#include <optional>

#include "model/function_code.h"

namespace greymet::model {

// The function that reads an area (V1.1b3, 6.1 to 6.4).
[[nodiscard]] constexpr FunctionCode reading_function(Area area) {
  switch (area) {
    case Area::coil: return FunctionCode::read_coils;
    case Area::discrete_input: return FunctionCode::read_discrete_inputs;
    case Area::holding_register: return FunctionCode::read_holding_registers;
    case Area::input_register: return FunctionCode::read_input_registers;
  }
  return FunctionCode::read_holding_registers;
}

// The one that writes it, a single value or several; nothing for areas that can only be read.
[[nodiscard]] constexpr std::optional<FunctionCode> writing_function(Area area, bool single) {
  if (area == Area::coil) {
    return single ? FunctionCode::write_single_coil : FunctionCode::write_multiple_coils;
  }
  if (area == Area::holding_register) {
    return single ? FunctionCode::write_single_register : FunctionCode::write_multiple_registers;
  }
  return std::nullopt;
}

}  // namespace greymet::model
