// The same registers read in every word order, and which reading is plausible.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>

#include "modbus/value_codec.h"

namespace greymet::modbus {

// What the registers are to be read as, and what is known of the value.
struct ValueQuestion {
  std::vector<std::uint16_t> words;
  model::DataType type;
  std::uint32_t bit = 0;  // of a boolean
  double factor = 1;      // engineering value = raw x factor + offset
  double offset = 0;
  std::optional<std::string> near;  // what the device's own display shows; a number unless text
};

// One word order's reading.
struct ValueReading {
  model::WordOrder order = model::WordOrder::abcd;
  std::optional<RawValue> raw;        // none: these registers are no such value in this order
  std::optional<double> engineering;  // where the value is a number
  std::string engineering_text;       // the same with all its digits, as computed in decimals
  std::string problem;                // why there is none
  bool plausible = false;             // nearest to `near`, and near enough
};

// The largest deviation from `near` that passes as the same value: displays round.
inline constexpr double plausible_deviation = 0.05;

// One reading per order; a single one where the order plays no part (types of one register that are
// not text). Fails with one line for a wrong number of registers, or a `near` that is no number.
[[nodiscard]] tl::expected<std::vector<ValueReading>, std::string> read_in_all_orders(
    const ValueQuestion& question);

// Reads register words in decimal, 0 to 65535, or -32768 to -1 as displays of signed words show
// them.
[[nodiscard]] tl::expected<std::vector<std::uint16_t>, std::string> words_from_decimal(
    const std::vector<std::string>& texts);
// True if the words could have been meant as decimal ones: digits 0 to 9 alone, up to 65535.
[[nodiscard]] bool may_be_decimal(const std::vector<std::string>& texts);

// Reads register words in hexadecimal: "42F6 E979", "0x42F6,0xE979", "42F6E979".
[[nodiscard]] tl::expected<std::vector<std::uint16_t>, std::string> words_from_hex(
    const std::vector<std::string>& texts);

// raw x factor + offset of a finite number, computed in decimals, with all its digits.
[[nodiscard]] std::string engineering_digits(const RawValue& raw, model::DataType type,
                                             double factor, double offset);
// The two texts are the same number: "12.50" and "12.5". False where one is none.
[[nodiscard]] bool same_number(std::string_view a, std::string_view b);

// A raw value as text: "123.456", "true", "PUMP 3"; floating point with the fewest digits that read
// back the same.
[[nodiscard]] std::string to_text(const RawValue& value, model::DataType type);

}  // namespace greymet::modbus
