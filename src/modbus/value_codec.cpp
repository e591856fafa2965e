#include "modbus/value_codec.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <limits>

#include <fmt/format.h>

namespace greymet::modbus {

using model::DataType;
using model::TypeKind;
using model::WordOrder;

namespace {

constexpr std::uint32_t bits_per_register = 16;

bool swaps_bytes(WordOrder order) {
  return order == WordOrder::badc || order == WordOrder::dcba;
}
bool low_register_first(WordOrder order) {
  return order == WordOrder::cdab || order == WordOrder::dcba;
}

std::uint16_t swapped(std::uint16_t word) {
  return static_cast<std::uint16_t>(word << 8 | word >> 8);
}

// Registers -> one number, high register first.
std::uint64_t join(std::span<const std::uint16_t> registers, WordOrder order) {
  std::uint64_t value = 0;
  for (std::size_t i = 0; i < registers.size(); ++i) {
    std::uint16_t word = registers[low_register_first(order) ? registers.size() - 1 - i : i];
    if (swaps_bytes(order)) word = swapped(word);
    value = value << bits_per_register | word;
  }
  return value;
}

std::vector<std::uint16_t> split(std::uint64_t value, std::size_t count, WordOrder order) {
  std::vector<std::uint16_t> registers(count);
  for (std::size_t i = 0; i < count; ++i) {
    auto word = static_cast<std::uint16_t>(value >> (bits_per_register * (count - 1 - i)));
    if (swaps_bytes(order)) word = swapped(word);
    registers[low_register_first(order) ? count - 1 - i : i] = word;
  }
  return registers;
}

// Word orders describe values of several registers; one register is big-endian by the standard.
WordOrder effective(WordOrder order, std::size_t registers) {
  return registers == 1 ? WordOrder::abcd : order;
}

std::int64_t sign_extended(std::uint64_t value, std::uint32_t bits) {
  const std::uint32_t shift = 64 - bits;
  return static_cast<std::int64_t>(value << shift) >> shift;
}

tl::expected<std::uint64_t, std::string> from_bcd(std::uint64_t digits, std::uint32_t count) {
  std::uint64_t value = 0;
  for (std::uint32_t i = count; i-- > 0;) {
    const std::uint64_t digit = digits >> (4 * i) & 0xf;
    if (digit > 9) return tl::unexpected(fmt::format("{:0{}X} is not BCD", digits, count));
    value = value * 10 + digit;
  }
  return value;
}

std::uint64_t to_bcd(std::uint64_t value, std::uint32_t count) {
  std::uint64_t digits = 0;
  for (std::uint32_t i = 0; i < count; ++i, value /= 10) digits |= value % 10 << (4 * i);
  return digits;
}

std::string decode_text(std::span<const std::uint16_t> registers, std::uint32_t characters,
                        WordOrder order) {
  std::string text;
  for (std::uint16_t word : registers) {
    const std::uint16_t ordered = swaps_bytes(order) ? swapped(word) : word;
    text.push_back(static_cast<char>(ordered >> 8));
    text.push_back(static_cast<char>(ordered & 0xff));
  }
  text.resize(characters);
  const std::size_t last = text.find_last_not_of(std::string_view("\0 ", 2));
  text.resize(last == std::string::npos ? 0 : last + 1);
  return text;
}

template <class T>
const T* as(const RawValue& value) {
  return std::get_if<T>(&value);
}

// An unsigned or non-negative signed value.
std::optional<std::uint64_t> as_unsigned(const RawValue& value) {
  if (const auto* u = as<std::uint64_t>(value)) return *u;
  if (const auto* i = as<std::int64_t>(value); i != nullptr && *i >= 0) {
    return static_cast<std::uint64_t>(*i);
  }
  return std::nullopt;
}

std::optional<std::int64_t> as_signed(const RawValue& value) {
  if (const auto* i = as<std::int64_t>(value)) return *i;
  if (const auto* u = as<std::uint64_t>(value);
      u != nullptr && *u <= static_cast<std::uint64_t>(std::numeric_limits<std::int64_t>::max())) {
    return static_cast<std::int64_t>(*u);
  }
  return std::nullopt;
}

tl::expected<std::uint64_t, std::string> unsigned_within(const RawValue& value,
                                                         std::uint64_t most) {
  const auto number = as_unsigned(value);
  if (!number || *number > most) return tl::unexpected(fmt::format("does not fit 0 to {}", most));
  return *number;
}

tl::expected<std::uint64_t, std::string> signed_within(const RawValue& value, std::uint32_t bits) {
  const auto number = as_signed(value);
  const std::int64_t most =
      bits == 64 ? std::numeric_limits<std::int64_t>::max() : (std::int64_t{1} << (bits - 1)) - 1;
  if (!number || *number > most || *number < -most - 1) {
    return tl::unexpected(fmt::format("does not fit {} to {}", -most - 1, most));
  }
  return static_cast<std::uint64_t>(*number);
}

// The bits of a value, high register first.
tl::expected<std::uint64_t, std::string> bits_of(const RawValue& value, DataType type) {
  const auto* real = as<double>(value);
  switch (type.kind) {
    case TypeKind::u16:
    case TypeKind::bits: return unsigned_within(value, 0xffff);
    case TypeKind::u32: return unsigned_within(value, 0xffffffff);
    case TypeKind::u64: return unsigned_within(value, std::numeric_limits<std::uint64_t>::max());
    case TypeKind::i16: return signed_within(value, 16);
    case TypeKind::i32: return signed_within(value, 32);
    case TypeKind::i64: return signed_within(value, 64);
    case TypeKind::bcd16:
      return unsigned_within(value, 9'999).map([](auto v) { return to_bcd(v, 4); });
    case TypeKind::bcd32:
      return unsigned_within(value, 99'999'999).map([](auto v) { return to_bcd(v, 8); });
    case TypeKind::f32:
      if (real == nullptr) return tl::unexpected(std::string("is no floating-point number"));
      return std::bit_cast<std::uint32_t>(static_cast<float>(*real));
    case TypeKind::f64:
      if (real == nullptr) return tl::unexpected(std::string("is no floating-point number"));
      return std::bit_cast<std::uint64_t>(*real);
    case TypeKind::boolean:
    case TypeKind::text: break;
  }
  return tl::unexpected(std::string("is of another kind"));
}

}  // namespace

tl::expected<RawValue, std::string> decode_value(std::span<const std::uint16_t> registers,
                                                 DataType type, WordOrder order,
                                                 std::uint32_t bit) {
  const std::size_t needed = model::registers_of(type);
  if (registers.size() != needed) {
    return tl::unexpected(
        fmt::format("{} takes {} registers, {} given", to_text(type), needed, registers.size()));
  }
  if (type.kind == TypeKind::text) {
    return RawValue(decode_text(registers, type.characters, order));
  }
  const std::uint64_t raw = join(registers, effective(order, needed));
  switch (type.kind) {
    case TypeKind::boolean:
      if (bit >= bits_per_register) return tl::unexpected(fmt::format("no bit {} in a word", bit));
      return RawValue((raw >> bit & 1) != 0);
    case TypeKind::i16: return RawValue(sign_extended(raw, 16));
    case TypeKind::i32: return RawValue(sign_extended(raw, 32));
    case TypeKind::i64: return RawValue(static_cast<std::int64_t>(raw));
    case TypeKind::f32:
      return RawValue(static_cast<double>(std::bit_cast<float>(static_cast<std::uint32_t>(raw))));
    case TypeKind::f64: return RawValue(std::bit_cast<double>(raw));
    case TypeKind::bcd16: return from_bcd(raw, 4).map([](auto v) { return RawValue(v); });
    case TypeKind::bcd32: return from_bcd(raw, 8).map([](auto v) { return RawValue(v); });
    case TypeKind::u16:
    case TypeKind::u32:
    case TypeKind::u64:
    case TypeKind::bits:
    case TypeKind::text: break;
  }
  return RawValue(raw);
}

tl::expected<std::vector<std::uint16_t>, std::string> encode_value(const RawValue& value,
                                                                   DataType type, WordOrder order,
                                                                   std::uint32_t bit) {
  const std::size_t count = model::registers_of(type);
  if (type.kind == TypeKind::text) {
    const auto* text = as<std::string>(value);
    if (text == nullptr || text->size() > type.characters) {
      return tl::unexpected(fmt::format("does not fit {}", to_text(type)));
    }
    std::string padded = *text;
    padded.resize(2 * count, '\0');
    std::vector<std::uint16_t> registers;
    for (std::size_t i = 0; i < padded.size(); i += 2) {
      const auto word = static_cast<std::uint16_t>(static_cast<unsigned char>(padded[i]) << 8 |
                                                   static_cast<unsigned char>(padded[i + 1]));
      registers.push_back(swaps_bytes(order) ? swapped(word) : word);
    }
    return registers;
  }
  if (type.kind == TypeKind::boolean) {
    const auto* on = as<bool>(value);
    if (on == nullptr || bit >= bits_per_register) {
      return tl::unexpected(std::string("needs true or false and a bit from 0 to 15"));
    }
    return split(*on ? std::uint64_t{1} << bit : 0, 1, effective(order, 1));
  }
  const auto raw = bits_of(value, type);
  if (!raw) return tl::unexpected(raw.error());
  return split(*raw, count, effective(order, count));
}

void reorder(std::span<std::uint16_t> registers, WordOrder from, WordOrder to) {
  if (registers.size() < 2) return;  // one register is big-endian by the standard
  if (low_register_first(from) != low_register_first(to)) {
    std::reverse(registers.begin(), registers.end());
  }
  if (swaps_bytes(from) == swaps_bytes(to)) return;
  for (std::uint16_t& word : registers) word = swapped(word);
}

std::optional<double> engineering_value(const RawValue& raw, const model::Point& point) {
  std::optional<double> number;
  if (const auto* on = as<bool>(raw)) number = *on ? 1 : 0;
  if (const auto* u = as<std::uint64_t>(raw)) number = static_cast<double>(*u);
  if (const auto* i = as<std::int64_t>(raw)) number = static_cast<double>(*i);
  if (const auto* real = as<double>(raw)) number = *real;
  if (!number) return std::nullopt;
  return *number * point.factor + point.offset;
}

std::optional<std::int64_t> whole_number(const RawValue& raw) {
  if (const auto* on = as<bool>(raw)) return *on ? 1 : 0;
  if (const auto* i = as<std::int64_t>(raw)) return *i;
  const auto* u = as<std::uint64_t>(raw);
  if (u == nullptr || *u > static_cast<std::uint64_t>(INT64_MAX)) return std::nullopt;
  return static_cast<std::int64_t>(*u);
}

}  // namespace greymet::modbus
