// Values in registers: every type of the register map in all four word orders.
//
// The standard moves 16-bit registers and says nothing about larger values; the four orders are
// what slaves do in practice. See model::WordOrder for the letters.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <tl/expected.hpp>
#include <variant>
#include <vector>

#include "model/data_type.h"
#include "model/register_map.h"

namespace greymet::modbus {

// A raw value: bool for booleans, unsigned and signed integers (BCD as its decimal number, bits as
// the word), floating point, text without trailing NULs and blanks.
using RawValue = std::variant<bool, std::uint64_t, std::int64_t, double, std::string>;

// Decodes registers_of(type) registers. Fails on a wrong number of registers and on digits above 9
// in BCD. For booleans in a register pass the bit.
[[nodiscard]] tl::expected<RawValue, std::string> decode_value(
    std::span<const std::uint16_t> registers, model::DataType type, model::WordOrder order,
    std::uint32_t bit = 0);

// Encodes a value; fails if it does not fit the type or is of the wrong kind.
[[nodiscard]] tl::expected<std::vector<std::uint16_t>, std::string> encode_value(
    const RawValue& value, model::DataType type, model::WordOrder order, std::uint32_t bit = 0);

// Brings the registers of one value from one order into another, as a controller or a gateway does.
void reorder(std::span<std::uint16_t> registers, model::WordOrder from, model::WordOrder to);

// raw x factor + offset, for values that are numbers; text gives nothing.
[[nodiscard]] std::optional<double> engineering_value(const RawValue& raw,
                                                      const model::Point& point);

// The raw value as a whole number, a boolean as 0 or 1; nothing for reals, texts, and what 63 bits
// cannot hold.
[[nodiscard]] std::optional<std::int64_t> whole_number(const RawValue& raw);

}  // namespace greymet::modbus
