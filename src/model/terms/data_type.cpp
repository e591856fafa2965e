#include "model/data_type.h"

#include <array>
#include <charconv>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

struct KindName {
  TypeKind kind;
  std::string_view name;
  std::uint32_t registers;
};

constexpr std::array kind_names{
    KindName{TypeKind::boolean, "bool", 1}, KindName{TypeKind::u16, "u16", 1},
    KindName{TypeKind::i16, "i16", 1},      KindName{TypeKind::u32, "u32", 2},
    KindName{TypeKind::i32, "i32", 2},      KindName{TypeKind::u64, "u64", 4},
    KindName{TypeKind::i64, "i64", 4},      KindName{TypeKind::f32, "f32", 2},
    KindName{TypeKind::f64, "f64", 4},      KindName{TypeKind::bcd16, "bcd16", 1},
    KindName{TypeKind::bcd32, "bcd32", 2},  KindName{TypeKind::bits, "bits", 1},
};

constexpr std::uint32_t longest_text = 250;  // characters: what one request can read

}  // namespace

std::optional<DataType> data_type_from(std::string_view text) {
  for (const KindName& entry : kind_names) {
    if (equal_in_any_case(entry.name, text)) return DataType{entry.kind, 0};
  }
  if (equal_in_any_case(text.substr(0, 5), "text(") && text.ends_with(")")) {
    const std::string_view number = text.substr(5, text.size() - 6);
    std::uint32_t characters = 0;
    const auto [end, error] =
        std::from_chars(number.data(), number.data() + number.size(), characters);
    if (error == std::errc() && end == number.data() + number.size() && characters >= 1 &&
        characters <= longest_text) {
      return DataType{TypeKind::text, characters};
    }
  }
  return std::nullopt;
}

std::string to_text(DataType type) {
  if (type.kind == TypeKind::text) return fmt::format("text({})", type.characters);
  for (const KindName& entry : kind_names) {
    if (entry.kind == type.kind) return std::string(entry.name);
  }
  return {};
}

std::uint32_t registers_of(DataType type) {
  if (type.kind == TypeKind::text) return (type.characters + 1) / 2;
  for (const KindName& entry : kind_names) {
    if (entry.kind == type.kind) return entry.registers;
  }
  return 1;
}

bool is_multi_register(DataType type) {
  return registers_of(type) > 1;
}

std::optional<WordOrder> word_order_from(std::string_view text) {
  for (WordOrder order : {WordOrder::abcd, WordOrder::cdab, WordOrder::badc, WordOrder::dcba}) {
    if (equal_in_any_case(to_string(order), text)) return order;
  }
  return std::nullopt;
}

std::string_view to_string(WordOrder order) {
  switch (order) {
    case WordOrder::abcd: return "ABCD";
    case WordOrder::cdab: return "CDAB";
    case WordOrder::badc: return "BADC";
    case WordOrder::dcba: return "DCBA";
  }
  return {};
}

}  // namespace greymet::model
