// What cells of a maker's table say of a value: its type and length, how it is scaled, who may
// write it. Not for use outside this folder.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "headings.h"
#include "model/address.h"
#include "model/data_type.h"
#include "model/register_map.h"

namespace greymet::files::internal {

// A type as far as a cell tells it.
struct TypeCell {
  std::optional<model::DataType> type;
  // Whole or real number, of a length that the cell leaves open: "unsigned", "float", "INT".
  enum class Family : std::uint8_t { none, whole, whole_unsigned, whole_signed, real, text, bcd };
  Family family = Family::none;
  bool is_int = false;               // "INT": 16 bits to controllers, 32 to other languages
  std::optional<std::uint32_t> bit;  // "BIT 3"
  std::string address;               // "BIT 3 of 40012"
};
// Nothing where it is no type.
[[nodiscard]] std::optional<TypeCell> type_cell_from(std::string_view text);

// What a length says where its heading does not: registers, bytes or bits?
struct Length {
  std::uint32_t number = 0;
  Counted counted = Counted::unsaid;
};
// "2", "2 words", "32 bit", "4 bytes"
[[nodiscard]] std::optional<Length> length_from(std::string_view text, Counted heading);

// The registers that a length says by itself; nothing where 2 or 4 may be registers or bytes.
[[nodiscard]] std::optional<std::uint32_t> registers_of_length(const Length& length);
// The type of a family that takes so much; nothing where there is none, or two are possible.
[[nodiscard]] std::optional<model::DataType> type_of_length(const TypeCell& cell,
                                                            const Length& length);
// The length alone: u16, u32 or u64, bool for one bit.
[[nodiscard]] std::optional<model::DataType> unsigned_of(const Length& length);

// A number that scales, and what else stood in its cell.
struct ScaleCell {
  std::string factor;     // as a map writes it
  bool is_plain = true;   // a bare number: whether it multiplies or divides is not said
  bool is_power = false;  // a negative whole number: 10 to the power of it, most likely
  std::string unit;       // "0.1 °C"
};
// "0.1", "1/10", "/10", "x0.1", "*10", "10^-1", "0.1 °C/digit", "0,5". Nothing where it is none.
[[nodiscard]] std::optional<ScaleCell> scale_cell_from(std::string_view text);
// 1 / the number: "10" -> "0.1". Nothing for 0 and what is no number.
[[nodiscard]] std::optional<std::string> inverse_of(const std::string& number);
// 10^-n as a map writes it.
[[nodiscard]] std::string power_of_ten(int exponent);

// "0..100", "-40 to 125", "0 – 65535"
struct RangeCell {
  std::string min;
  std::string max;
};
[[nodiscard]] std::optional<RangeCell> range_cell_from(std::string_view text);

// Functions that a cell names: "3", "03/06", "FC 3, 16", "R: 04", "Read Holding Registers (3)".
[[nodiscard]] std::vector<int> functions_from(std::string_view text);
// The area and the access that they give; nothing of what they do not tell. `several`: more than
// one area reads so.
struct AreaByFunctions {
  std::optional<model::Area> area;
  std::string access;
  bool several = false;
};
[[nodiscard]] AreaByFunctions area_by_functions(const std::vector<int>& functions);

// "Holding", "Halteregister", "4x", "Input" of words or of bits.
[[nodiscard]] std::optional<model::Area> area_cell_from(std::string_view text, bool of_bits);
// "r", "w", "rw"
[[nodiscard]] std::optional<std::string> access_cell_from(std::string_view text);

// "Flow [m3/h]", "Power, kW": takes a unit off the end of a name. Empty where there is none.
[[nodiscard]] std::string take_unit(std::string& name);

}  // namespace greymet::files::internal
