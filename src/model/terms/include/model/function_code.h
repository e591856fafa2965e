// The function codes that move registers and bits (V1.1b3, sections 6.1 to 6.17).
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>

#include "model/address.h"

namespace greymet::model {

// Those that a plan can use (V1.1b3, section 6); the numbers are those of the wire.
enum class FunctionCode : std::uint8_t {
  read_coils = 1,
  read_discrete_inputs = 2,
  read_holding_registers = 3,
  read_input_registers = 4,
  write_single_coil = 5,
  write_single_register = 6,
  write_multiple_coils = 15,
  write_multiple_registers = 16,
  mask_write_register = 22,
  read_write_multiple_registers = 23,
};

// What one request of a function can carry; 0 where it does not read or write at all.
struct FunctionTraits {
  FunctionCode code;
  std::string_view name;
  Area area;                 // the area it works on
  std::uint32_t most_read;   // registers or bits of one reply
  std::uint32_t most_write;  // registers or bits of one request
  std::string_view clause;   // of V1.1b3
};

[[nodiscard]] std::optional<FunctionCode> function_code_from(std::int64_t number);
[[nodiscard]] const FunctionTraits& traits_of(FunctionCode code);
[[nodiscard]] std::span<const FunctionTraits> all_functions();
[[nodiscard]] inline bool reads(FunctionCode code) {
  return traits_of(code).most_read > 0;
}
[[nodiscard]] inline bool writes(FunctionCode code) {
  return traits_of(code).most_write > 0;
}
[[nodiscard]] constexpr int number_of(FunctionCode code) {
  return static_cast<int>(code);
}
// True for 5, 6 and 22, which write one register or bit.
[[nodiscard]] bool writes_single(FunctionCode code);

}  // namespace greymet::model
