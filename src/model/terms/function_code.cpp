#include "model/function_code.h"

#include <array>

namespace greymet::model {
namespace {

// Quantities: V1.1b3, the "Quantity of ..." rows of each request.
constexpr std::array<FunctionTraits, 10> traits{{
    {FunctionCode::read_coils, "read coils", Area::coil, 2000, 0, "6.1"},
    {FunctionCode::read_discrete_inputs, "read discrete inputs", Area::discrete_input, 2000, 0,
     "6.2"},
    {FunctionCode::read_holding_registers, "read holding registers", Area::holding_register, 125, 0,
     "6.3"},
    {FunctionCode::read_input_registers, "read input registers", Area::input_register, 125, 0,
     "6.4"},
    {FunctionCode::write_single_coil, "write single coil", Area::coil, 0, 1, "6.5"},
    {FunctionCode::write_single_register, "write single register", Area::holding_register, 0, 1,
     "6.6"},
    {FunctionCode::write_multiple_coils, "write multiple coils", Area::coil, 0, 1968, "6.11"},
    {FunctionCode::write_multiple_registers, "write multiple registers", Area::holding_register, 0,
     123, "6.12"},
    {FunctionCode::mask_write_register, "mask write register", Area::holding_register, 0, 1,
     "6.16"},
    {FunctionCode::read_write_multiple_registers, "read/write multiple registers",
     Area::holding_register, 125, 121, "6.17"},
}};

}  // namespace

std::optional<FunctionCode> function_code_from(std::int64_t number) {
  for (const FunctionTraits& entry : traits) {
    if (number_of(entry.code) == number) return entry.code;
  }
  return std::nullopt;
}

const FunctionTraits& traits_of(FunctionCode code) {
  for (const FunctionTraits& entry : traits) {
    if (entry.code == code) return entry;
  }
  return traits.front();  // every enumerator has its row: see function_code_test
}

std::span<const FunctionTraits> all_functions() {
  return traits;
}

bool writes_single(FunctionCode code) {
  return code == FunctionCode::write_single_coil || code == FunctionCode::write_single_register ||
         code == FunctionCode::mask_write_register;
}

}  // namespace greymet::model
