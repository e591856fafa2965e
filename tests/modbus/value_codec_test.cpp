#include "modbus/value_codec.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <limits>

using namespace greymet::modbus;
using greymet::model::DataType;
using greymet::model::TypeKind;
using greymet::model::WordOrder;

namespace {

using Registers = std::vector<std::uint16_t>;
DataType type(const char* name) {
  return *greymet::model::data_type_from(name);
}

}  // namespace

TEST_CASE("values in registers, by hand") {
  struct Row {
    Registers registers;
    const char* type;
    WordOrder order;
    RawValue value;
  };
  using enum WordOrder;
  // 123.4562... = 0x42F6E979; 0x11223344 shows where each byte goes
  const std::vector<Row> rows{
      {{0x42F6, 0xE979}, "f32", abcd, static_cast<double>(123.456F)},
      {{0xE979, 0x42F6}, "f32", cdab, static_cast<double>(123.456F)},
      {{0xF642, 0x79E9}, "f32", badc, static_cast<double>(123.456F)},
      {{0x79E9, 0xF642}, "f32", dcba, static_cast<double>(123.456F)},
      {{0x1122, 0x3344}, "u32", abcd, std::uint64_t{0x11223344}},
      {{0x3344, 0x1122}, "u32", cdab, std::uint64_t{0x11223344}},
      {{0x2211, 0x4433}, "u32", badc, std::uint64_t{0x11223344}},
      {{0x4433, 0x2211}, "u32", dcba, std::uint64_t{0x11223344}},
      {{0xFFFF, 0xFFFE}, "i32", abcd, std::int64_t{-2}},
      {{0x0001, 0x0002, 0x0003, 0x0004}, "u64", abcd, std::uint64_t{0x0001000200030004}},
      {{0x0004, 0x0003, 0x0002, 0x0001}, "u64", cdab, std::uint64_t{0x0001000200030004}},
      {{0x0100, 0x0200, 0x0300, 0x0400}, "u64", badc, std::uint64_t{0x0001000200030004}},
      {{0xFFFF}, "i16", abcd, std::int64_t{-1}},
      {{0xFFFF}, "u16", cdab, std::uint64_t{0xFFFF}},
      {{0x1234}, "u16", dcba, std::uint64_t{0x1234}},  // one register has no word order
      {{0x1234}, "bcd16", abcd, std::uint64_t{1234}},
      {{0x1234, 0x5678}, "bcd32", abcd, std::uint64_t{12345678}},
      {{0x5678, 0x1234}, "bcd32", cdab, std::uint64_t{12345678}},
      {{0x4142, 0x4300}, "text(4)", abcd, std::string("ABC")},
      {{0x4241, 0x0043}, "text(4)", badc, std::string("ABC")},
      {{0x4142, 0x2020}, "text(4)", cdab, std::string("AB")},
      {{0x4142, 0x4344}, "text(3)", abcd, std::string("ABC")},
  };
  for (const Row& row : rows) {
    INFO(row.type << " " << to_string(row.order));
    const auto decoded = decode_value(row.registers, type(row.type), row.order);
    REQUIRE(decoded.has_value());
    CHECK(*decoded == row.value);
  }
  CHECK(decode_value(Registers{0x0008}, type("bool"), abcd, 3) == RawValue(true));
  CHECK(decode_value(Registers{0x0008}, type("bool"), abcd, 2) == RawValue(false));
}

TEST_CASE("what is no value is refused") {
  CHECK(decode_value(Registers{1}, type("f32"), WordOrder::abcd).error() ==
        "f32 takes 2 registers, 1 given");
  CHECK(decode_value(Registers{0x12A4}, type("bcd16"), WordOrder::abcd).error() ==
        "12A4 is not BCD");
  CHECK(decode_value(Registers{1}, type("bool"), WordOrder::abcd, 16).error() ==
        "no bit 16 in a word");
  const auto refuses = [](const RawValue& value, const char* name) {
    return !encode_value(value, type(name), WordOrder::abcd).has_value();
  };
  CHECK(refuses(std::uint64_t{65536}, "u16"));
  CHECK(refuses(std::int64_t{-1}, "u16"));
  CHECK(refuses(std::int64_t{32768}, "i16"));
  CHECK(refuses(std::int64_t{-32769}, "i16"));
  CHECK_FALSE(refuses(std::int64_t{32767}, "i16"));
  CHECK_FALSE(refuses(std::int64_t{-32768}, "i16"));
  CHECK_FALSE(refuses(std::uint64_t{65535}, "u16"));
  CHECK_FALSE(refuses(std::int64_t{-2147483648LL}, "i32"));
  CHECK(refuses(std::int64_t{-2147483649LL}, "i32"));
  CHECK_FALSE(refuses(std::int64_t{2147483647LL}, "i32"));
  CHECK(refuses(std::int64_t{2147483648LL}, "i32"));
  CHECK_FALSE(refuses(std::numeric_limits<std::int64_t>::min(), "i64"));
  CHECK_FALSE(refuses(std::uint64_t{9999}, "bcd16"));
  CHECK(*encode_value(true, type("bool"), WordOrder::abcd, 15) == Registers{0x8000});
  CHECK_FALSE(encode_value(true, type("bool"), WordOrder::abcd, 16).has_value());
  CHECK(refuses(std::uint64_t{10000}, "bcd16"));
  CHECK(refuses(std::uint64_t{1}, "f32"));
  CHECK(refuses(1.5, "u16"));
  CHECK(refuses(std::string("ABCDE"), "text(4)"));
  CHECK(refuses(std::string("A"), "u16"));
  CHECK(refuses(std::numeric_limits<std::uint64_t>::max(), "i64"));
}

TEST_CASE("values survive the registers in every order") {
  rc::prop("encode, decode", [] {
    const WordOrder order =
        *rc::gen::element(WordOrder::abcd, WordOrder::cdab, WordOrder::badc, WordOrder::dcba);
    const auto survives = [order](const RawValue& value, const char* name) {
      const auto registers = encode_value(value, type(name), order);
      RC_ASSERT(registers.has_value());
      RC_ASSERT(registers->size() == greymet::model::registers_of(type(name)));
      RC_ASSERT(*decode_value(*registers, type(name), order) == value);
    };
    survives(std::uint64_t{*rc::gen::arbitrary<std::uint16_t>()}, "u16");
    survives(std::int64_t{*rc::gen::arbitrary<std::int16_t>()}, "i16");
    survives(std::uint64_t{*rc::gen::arbitrary<std::uint32_t>()}, "u32");
    survives(std::int64_t{*rc::gen::arbitrary<std::int32_t>()}, "i32");
    survives(*rc::gen::arbitrary<std::uint64_t>(), "u64");
    survives(*rc::gen::arbitrary<std::int64_t>(), "i64");
    survives(*rc::gen::inRange<std::uint64_t>(0, 10'000), "bcd16");
    survives(*rc::gen::inRange<std::uint64_t>(0, 100'000'000), "bcd32");
    survives(static_cast<double>(*rc::gen::arbitrary<float>()), "f32");
    survives(*rc::gen::arbitrary<double>(), "f64");
    const auto text =
        *rc::gen::resize(12, rc::gen::container<std::string>(rc::gen::inRange('!', '~')));
    survives(text, "text(12)");
    survives(text, "text(13)");
  });
}

TEST_CASE("engineering values are raw x factor + offset") {
  greymet::model::Point point;
  point.factor = 0.1;
  point.offset = -20;
  CHECK(engineering_value(std::uint64_t{250}, point) == Approx(5.0));
  CHECK(engineering_value(std::int64_t{-10}, point) == Approx(-21.0));
  CHECK(engineering_value(2.0, point) == Approx(-19.8));
  CHECK(engineering_value(true, point) == Approx(-19.9));
  CHECK_FALSE(engineering_value(std::string("A"), point).has_value());
}
