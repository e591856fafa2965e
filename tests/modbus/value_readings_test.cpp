#include "modbus/value_readings.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <bit>

#include <fmt/format.h>

using namespace greymet;
using namespace greymet::modbus;

namespace {

ValueQuestion question(const std::string& words, const std::string& type) {
  ValueQuestion q;
  q.words = *words_from_hex({words});
  q.type = *model::data_type_from(type);
  return q;
}

// "ABCD 123.456 *": order, value, a star where it is plausible.
std::vector<std::string> readings(const ValueQuestion& q) {
  std::vector<std::string> out;
  const auto found = read_in_all_orders(q);
  if (!found) return {"! " + found.error()};
  for (const ValueReading& r : *found) {
    out.push_back(fmt::format("{} {}{}", to_string(r.order),
                              r.raw ? to_text(*r.raw, q.type) : "- " + r.problem,
                              r.plausible ? " *" : ""));
  }
  return out;
}

using Lines = std::vector<std::string>;

}  // namespace

TEST_CASE("a float in four orders, the plausible one marked") {
  // 0x42F6E979 is 123.456 in IEEE 754: sign 0, exponent 133, 1.9290001 x 2^6
  ValueQuestion q = question("42F6 E979", "f32");
  CHECK(readings(q).front() == "ABCD 123.456");
  q.near = "123.4";
  CHECK(readings(q).front() == "ABCD 123.456 *");
  q.words = {0xE979, 0x42F6};
  CHECK(readings(q).at(1) == "CDAB 123.456 *");
  CHECK(readings(q).at(0).find('*') == std::string::npos);
  q.words = {0xF642, 0x79E9};
  CHECK(readings(q).at(2) == "BADC 123.456 *");
  q.words = {0x79E9, 0xF642};
  CHECK(readings(q).at(3) == "DCBA 123.456 *");
  // 5 % off is a display that rounds; 6 % is another value
  q.near = "117.6";
  CHECK(readings(q).at(3).ends_with("*"));
  q.near = "116.4";
  CHECK_FALSE(readings(q).at(3).ends_with("*"));
}

TEST_CASE("scaling, integers, BCD, bits and text") {
  ValueQuestion q = question("04D2", "u16");
  CHECK(readings(q) == Lines{"ABCD 1234"});
  q.factor = 0.1;
  q.offset = -40;
  q.near = "83.4";  // 1234 x 0.1 - 40
  CHECK(readings(q) == Lines{"ABCD 1234 *"});
  CHECK(read_in_all_orders(q)->front().engineering == Approx(83.4));
  CHECK(readings(question("FFFE", "i16")) == Lines{"ABCD -2"});
  CHECK(readings(question("1234 5678", "bcd32")).at(0) == "ABCD 12345678");
  CHECK(readings(question("1234 5678", "bcd32")).at(1) == "CDAB 56781234");
  CHECK(readings(question("12AB", "bcd16")).at(0).find("- 12AB is not BCD") != std::string::npos);
  CHECK(readings(question("8001", "bits")) == Lines{"ABCD 1000000000000001"});
  ValueQuestion bit = question("0008", "bool");
  bit.bit = 3;
  CHECK(readings(bit) == Lines{"ABCD true"});
  ValueQuestion text = question("5055 4D50 2033", "text(6)");
  text.near = "PUMP 3";
  CHECK(readings(text) == Lines{"ABCD PUMP 3 *", "CDAB PUMP 3 *", "BADC UPPM3", "DCBA UPPM3"});
  // 64 bits: the first pair says register order
  CHECK(readings(question("0001 0002 0003 0004", "u64")) ==
        Lines{fmt::format("ABCD {}", 0x0001000200030004ULL),
              fmt::format("CDAB {}", 0x0004000300020001ULL),
              fmt::format("BADC {}", 0x0100020003000400ULL),
              fmt::format("DCBA {}", 0x0400030002000100ULL)});
}

TEST_CASE("wrong questions are one line") {
  CHECK(readings(question("42F6", "f32")) ==
        Lines{"! f32 takes 2 registers, 1 given; write e.g. 42F6 E979 for f32"});
  ValueQuestion q = question("42F6 E979", "f32");
  q.near = "hot";
  CHECK(readings(q) == Lines{"! 'hot' is no number; write e.g. --near 123.4"});
  CHECK(words_from_hex({"4GF6"}).error().find("'4GF6' is no register word") == 0);
  CHECK_FALSE(words_from_hex({"42F6E"}).has_value());
  CHECK_FALSE(words_from_hex({}).has_value());
  CHECK_FALSE(words_from_hex({" , "}).has_value());
  CHECK_FALSE(words_from_hex({std::string(4 * 126, '0')}).has_value());
  CHECK(words_from_hex({std::string(4 * 125, '0')})->size() == 125);
  CHECK(words_from_hex({" 42F6, ,\t1 ", "", "2"}) ==
        std::vector<std::uint16_t>{0x42F6, 1, 2});  // separators between, before and behind
  CHECK(*words_from_hex({"0x42F6,0xE979"}) == *words_from_hex({"42F6E979"}));
}

TEST_CASE("the order in which a value was written is the plausible one") {
  rc::prop("f32 and i32", [] {
    const auto order = *rc::gen::element(model::WordOrder::abcd, model::WordOrder::cdab,
                                         model::WordOrder::badc, model::WordOrder::dcba);
    const auto value = *rc::gen::inRange(1, 1'000'000);
    for (const char* type : {"f32", "i32"}) {
      ValueQuestion q;
      q.type = *model::data_type_from(type);
      const RawValue raw = std::string(type) == "f32" ? RawValue(static_cast<double>(value))
                                                      : RawValue(std::int64_t{value});
      q.words = *encode_value(raw, q.type, order);
      q.near = std::to_string(value);
      bool marked = false;
      const auto found = read_in_all_orders(q);
      RC_ASSERT(found.has_value());
      for (const ValueReading& r : *found) {
        if (r.order == order) marked = r.plausible;
        if (r.plausible) RC_ASSERT(*r.engineering == Approx(value));
      }
      RC_ASSERT(marked);
    }
  });
}
