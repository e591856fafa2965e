// Types of values in registers, and the order of their words.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "model/strong.h"

namespace greymet::model {

// Kinds of values. bcd: four bits a decimal digit; bits: a word of 16 that are no number.
enum class TypeKind : std::uint8_t {
  boolean,
  u16,
  i16,
  u32,
  i32,
  u64,
  i64,
  f32,
  f64,
  bcd16,
  bcd32,
  text,
  bits,
};

// A type of value; `characters` is used by text alone.
struct DataType {
  TypeKind kind = TypeKind::u16;
  std::uint32_t characters = 0;
  friend bool operator==(const DataType&, const DataType&) = default;
};

// The order in which the bytes of a 32-bit value arrive. ABCD: high register first, high byte
// first. For 64 bits the first pair says register order, a swap inside the pair byte order.
enum class WordOrder : std::uint8_t { abcd, cdab, badc, dcba };

// In any case of letters.
[[nodiscard]] std::optional<DataType> data_type_from(std::string_view text);
[[nodiscard]] std::string to_text(DataType type);
// Registers that one value takes; 1 for a boolean (in a register, or as a bit of its own).
[[nodiscard]] std::uint32_t registers_of(DataType type);
// True where the word order matters.
[[nodiscard]] bool is_multi_register(DataType type);

// In any case of letters.
[[nodiscard]] std::optional<WordOrder> word_order_from(std::string_view text);
[[nodiscard]] std::string_view to_string(WordOrder order);

}  // namespace greymet::model
