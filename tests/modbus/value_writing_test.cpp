// From numbers as people write them to words: exact where nothing scales, rounded and said else,
// refused beyond the type.
#include "modbus/value_writing.h"

#include <cmath>
#include <random>

#include <catch2/catch.hpp>

#include "modbus/value_readings.h"

using namespace greymet;
using modbus::value_to_write;
using modbus::ValueForm;
using model::TypeKind;

namespace {

ValueForm form_of(TypeKind kind, double factor = 1, double offset = 0) {
  return {{kind, 0}, factor, offset, {}, {}};
}
std::string written_as(const std::string& text, const ValueForm& form) {
  const auto written = value_to_write(text, form);
  if (!written) return "refused: " + written.error();
  const auto words = modbus::encode_value(written->raw, form.type, model::WordOrder::abcd);
  if (!words) return "not encoded: " + words.error();
  std::string hex;
  for (const std::uint16_t word : *words) {
    char digits[6];
    (void)std::snprintf(digits, sizeof digits, "%04X", word);
    hex += (hex.empty() ? "" : " ") + std::string(digits);
  }
  return hex + (written->rounded ? " rounded to " + written->text : "");
}

}  // namespace

TEST_CASE("values as they are written") {
  CHECK(written_as("335", form_of(TypeKind::u16)) == "014F");
  CHECK(written_as("33.5", form_of(TypeKind::i16, 0.1)) == "014F");
  CHECK(written_as("33.54", form_of(TypeKind::i16, 0.1)) == "014F rounded to 33.5");
  CHECK(written_as("-4", form_of(TypeKind::i16)) == "FFFC");
  CHECK(written_as("+4", form_of(TypeKind::i16)) == "0004");
  CHECK(written_as("-40", form_of(TypeKind::u16, 1, -40)) == "0000");
  // 123.456 is 42F6E979, 0.1 is 3DCCCCCD as a REAL
  CHECK(written_as("123.456", form_of(TypeKind::f32)) == "42F6 E979");
  CHECK(written_as("0.1", form_of(TypeKind::f32)) == "3DCC CCCD");
  CHECK(written_as("98765432101", form_of(TypeKind::u64)) == "0000 0016 FEE0 E525");
  CHECK(written_as("18446744073709551615", form_of(TypeKind::u64)) == "FFFF FFFF FFFF FFFF");
  CHECK(written_as("9007199254740993", form_of(TypeKind::i64)) == "0020 0000 0000 0001");
  CHECK(written_as("1234", form_of(TypeKind::bcd16)) == "1234");
}

TEST_CASE("what a type cannot hold is refused with what it can") {
  CHECK(written_as("65536", form_of(TypeKind::u16)) ==
        "refused: 65536 does not fit u16: it holds 0 to 65535");
  CHECK(written_as("-1", form_of(TypeKind::u16)) ==
        "refused: -1 does not fit u16: it holds 0 to 65535");
  CHECK(written_as("3276.8", form_of(TypeKind::i16, 0.1)) ==
        "refused: 3276.8 does not fit i16: it holds -3276.8 to 3276.7");
  CHECK(written_as("9.3e18", form_of(TypeKind::i64)).starts_with("refused: "));
  CHECK(written_as("18446744073709551616", form_of(TypeKind::u64)).starts_with("refused: "));
  CHECK(written_as("1e39", form_of(TypeKind::f32)).starts_with("refused: "));
  CHECK(written_as("10000", form_of(TypeKind::bcd16)).starts_with("refused: "));
  for (const char* text : {"", "nan", "inf", "12,5", "0x10", "1 2", "twelve", "12.5.6"}) {
    INFO(text);
    CHECK(written_as(text, form_of(TypeKind::f32)).starts_with("refused: "));
  }
  ValueForm ranged = form_of(TypeKind::i16);
  ranged.min = -60;
  ranged.max = 60;
  CHECK(written_as("61", ranged) ==
        "refused: 61 is outside -60 to 60, the range that the map states");
  CHECK(value_to_write("61", ranged, true));
  CHECK_FALSE(value_to_write("40000", ranged, true));  // the type holds what it holds
  CHECK(std::get<bool>(value_to_write("on", form_of(TypeKind::boolean))->raw));
  CHECK_FALSE(value_to_write("2", form_of(TypeKind::boolean)));
}

TEST_CASE("what is written reads back as what was said to be written") {
  std::mt19937_64 random(20261130);
  for (const TypeKind kind : {TypeKind::u16, TypeKind::i16, TypeKind::u32, TypeKind::i32,
                              TypeKind::u64, TypeKind::i64, TypeKind::f32, TypeKind::f64}) {
    for (int i = 0; i < 300; ++i) {
      const double factor = std::array{1.0, 0.1, 0.01, 0.5, -1.0, 10.0}[random() % 6];
      const double offset = std::array{0.0, -40.0, 12.5}[random() % 3];
      const double value = (static_cast<double>(random() % 2'000'000) - 1e6) /
                           std::array{1.0, 10.0, 1000.0}[random() % 3];
      char text[40];
      (void)std::snprintf(text, sizeof text, "%.*g", 12, value);
      const ValueForm form = form_of(kind, factor, offset);
      const auto written = value_to_write(text, form);
      if (!written) continue;
      const auto words = modbus::encode_value(written->raw, form.type, model::WordOrder::cdab);
      REQUIRE(words);
      const auto back = modbus::decode_value(*words, form.type, model::WordOrder::cdab);
      REQUIRE(back);
      CHECK(modbus::same_number(modbus::engineering_digits(*back, form.type, factor, offset),
                                written->text));
      // no further off than half a step, or than a REAL can tell
      const bool real = kind == TypeKind::f32 || kind == TypeKind::f64;
      const double off = std::abs(std::stod(written->text) - std::stod(text));
      CHECK(off <= (real ? 1e-6 * std::max(std::abs(value - offset), 1.0)
                         : std::abs(factor) / 2 + 1e-9 * std::abs(value)));
      CHECK(written->rounded == !modbus::same_number(text, written->text));
    }
  }
}
