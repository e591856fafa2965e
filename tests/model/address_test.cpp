#include "model/address.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <fmt/format.h>

using namespace greymet::model;

namespace {

// "hr:4096", "plain 12", "hr:40.3"; or the message of the error after "!"
std::string dump(const AddressText& text, Numbering numbering) {
  const auto reading = read_address(text, numbering);
  if (!reading) return "! " + reading.error().message;
  std::string out = reading->area ? std::string(short_name(*reading->area)) + ":" : "plain ";
  out += fmt::format("{}", reading->offset);
  if (reading->bit) out += fmt::format(".{}", *reading->bit);
  return out;
}

struct Row {
  const char* text;
  bool plain_digits;
  Numbering numbering;
  const char* expected;
};

}  // namespace

TEST_CASE("every notation reads as the protocol address") {
  constexpr auto from_0 = Numbering::from_0;
  constexpr auto from_1 = Numbering::from_1;
  constexpr auto reference = Numbering::reference;
  const std::vector<Row> rows{
      // explicit: always counts from 0, whatever the manual does
      {"hr:4096", false, from_0, "hr:4096"},
      {"hr:4096", false, from_1, "hr:4096"},
      {"hr:0x1000", false, reference, "hr:4096"},
      {"co:12", false, from_0, "co:12"},
      {"di:1000h", false, from_0, "di:4096"},
      {"ir:16#1000", false, from_0, "ir:4096"},
      {"hr:40.3", false, from_0, "hr:40.3"},
      // references: 5 or 6 digits, counting from 1
      {"44097", false, from_0, "hr:4096"},
      {"404097", false, from_0, "hr:4096"},
      {"00001", false, from_0, "co:0"},
      {"10001", false, from_1, "di:0"},
      {"30001", false, from_0, "ir:0"},
      {"465536", false, from_0, "hr:65535"},
      {"ref:44097", true, from_0, "hr:4096"},
      {"ref:40041.3", false, from_0, "hr:40.3"},
      {"40000", false, from_0,
       "! '40000' is no reference: 5 or 6 digits, the first 0, 1, 3 or 4, the number behind it "
       "from 1 to 9999"},
      {"24097", false, from_0,
       "! '24097' is no reference: 5 or 6 digits, the first 0, 1, 3 or 4, the number behind it "
       "from 1 to 9999"},
      {"465537", false, from_0,
       "! '465537' is no reference: 5 or 6 digits, the first 0, 1, 3 or 4, the number behind it "
       "from 1 to 65536"},
      {"1234567", false, from_0,
       "! '1234567' is no reference: 5 or 6 digits, the first 0, 1, 3 or 4, the number behind it "
       "from 1 to 65536"},
      // plain numbers: read by the numbering
      {"4096", true, from_0, "plain 4096"},
      {"40001", true, from_0, "plain 40001"},
      {"4097", true, from_1, "plain 4096"},
      {"H1000", false, from_0, "plain 4096"},
      {"1000h", false, from_1, "plain 4095"},
      {"16#1000", false, from_0, "plain 4096"},
      {"0x1000", true, from_0, "plain 4096"},
      {"44097", true, reference, "hr:4096"},
      {"0", true, from_1, "! 0 does not exist where the manual counts from 1"},
      {"97", true, reference, "! '97' is no reference: it has 2 digits, a reference has 5 or 6"},
      {"0x61", true, reference,
       "! '0x61' is hexadecimal, but this slave's addresses are references"},
      {"70000", true, from_0, "plain 70000"},
      // what is none
      {"", true, from_0, "! '' is not an address"},
      {"hr:", false, from_0, "! 'hr:' is not an address"},
      {"hx:12", false, from_0, "! 'hx:12' is not an address"},
      {"coil:12", false, from_0, "! 'coil:12' is not an address"},
      {"-5", true, from_0, "! '-5' is not an address"},
      {"12x", true, from_0, "! '12x' is not an address"},
      {"0xFFFFFFFFFF", true, from_0, "! '0xFFFFFFFFFF' is not an address"},
      {"ref:", false, from_0,
       "! '' is no reference: 5 or 6 digits, the first 0, 1, 3 or 4, the number behind it from 1 "
       "to 65536"},
  };
  for (const Row& row : rows) {
    INFO(row.text << " under " << to_string(row.numbering));
    CHECK(dump({row.text, row.plain_digits}, row.numbering) == row.expected);
  }
}

TEST_CASE("hexadecimal texts and names are told apart") {
  CHECK(looks_like_hex_number("H1000"));
  CHECK(looks_like_hex_number("H2"));
  CHECK_FALSE(looks_like_hex_number("Head"));
  CHECK_FALSE(looks_like_hex_number("H"));
  CHECK(is_point_name("grain_moisture"));
  CHECK_FALSE(is_point_name("12"));
  CHECK_FALSE(is_point_name(""));
}

TEST_CASE("five digits cannot name what lies behind 9999") {
  CHECK(reference5({Area::holding_register, {9998}}) == "49999");
  CHECK_FALSE(reference5({Area::holding_register, {9999}}).has_value());
  CHECK(reference6({Area::coil, {0}}) == "000001");
}

TEST_CASE("an address in a remedy is written as the user writes") {
  const Address address{Area::holding_register, {4096}};
  CHECK(to_plan_text(address, Notation::plain, Numbering::from_0) == "4096");
  CHECK(to_plan_text(address, Notation::plain, Numbering::from_1) == "4097");
  CHECK(to_plan_text(address, Notation::plain, Numbering::reference) == "\"404097\"");
  CHECK(to_plan_text(address, Notation::reference, Numbering::from_0) == "\"404097\"");
  CHECK(to_plan_text(address, Notation::explicit_offset, Numbering::from_1) == "\"hr:4096\"");
}

TEST_CASE("every way of writing an address reads back as the same address") {
  rc::prop("round trip", [](std::uint16_t offset) {
    const Area area = *rc::gen::element(Area::coil, Area::discrete_input, Area::input_register,
                                        Area::holding_register);
    const Address address{area, {offset}};
    const auto reads_back = [&](const std::string& text, bool plain, Numbering numbering) {
      const auto reading = read_address({text, plain}, numbering);
      RC_ASSERT(reading.has_value());
      RC_ASSERT(reading->offset == offset);
      RC_ASSERT(!reading->area || *reading->area == area);
    };
    reads_back(to_text(address), false, Numbering::from_1);
    reads_back(reference6(address), false, Numbering::from_0);
    reads_back("ref:" + reference6(address), true, Numbering::from_0);
    if (const auto five = reference5(address)) reads_back(*five, true, Numbering::reference);
    reads_back(fmt::format("0x{:X}", offset), true, Numbering::from_0);
    reads_back(fmt::format("{:X}h", offset).insert(0, "0"), false, Numbering::from_0);
    reads_back(fmt::format("H{:04X}", offset), false, Numbering::from_0);
    for (const Numbering numbering : {Numbering::from_0, Numbering::from_1, Numbering::reference}) {
      for (const Notation like :
           {Notation::plain, Notation::reference, Notation::explicit_offset}) {
        std::string text = to_plan_text(address, like, numbering);
        const bool quoted = text.front() == '"';
        if (quoted) text = text.substr(1, text.size() - 2);
        reads_back(text, !quoted, numbering);
      }
    }
  });
}
