#include "files/text_encoding.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "files/map_import.h"

using namespace greymet;
using files::decode_text;
using files::Encoding;

namespace {

// UTF-16 of code points, written out.
std::string utf16(const std::vector<std::uint32_t>& points, bool little, bool mark) {
  std::string out;
  const auto unit = [&](std::uint32_t u) {
    const char high = static_cast<char>(u >> 8U);
    const char low = static_cast<char>(u & 0xFFU);
    out += little ? low : high;
    out += little ? high : low;
  };
  if (mark) unit(0xFEFF);
  for (const std::uint32_t p : points) {
    if (p < 0x10000) {
      unit(p);
    } else {
      unit(0xD800 + ((p - 0x10000) >> 10U));
      unit(0xDC00 + ((p - 0x10000) & 0x3FFU));
    }
  }
  return out;
}

// UTF-8 of one code point, written out.
std::string utf8(std::uint32_t p) {
  const auto tail = [&](unsigned shift) { return static_cast<char>(0x80U | (p >> shift & 0x3FU)); };
  if (p < 0x80) return {static_cast<char>(p)};
  if (p < 0x800) return {static_cast<char>(0xC0U | p >> 6U), tail(0)};
  if (p < 0x10000) return {static_cast<char>(0xE0U | p >> 12U), tail(6), tail(0)};
  return {static_cast<char>(0xF0U | p >> 18U), tail(12), tail(6), tail(0)};
}

}  // namespace

TEST_CASE("texts are decoded by their mark or by what they can be") {
  CHECK(decode_text("\xEF\xBB\xBFpoint")->text == "point");
  CHECK(decode_text("21 \xB0"
                    "C")
            ->text ==
        "21 \xC2\xB0"
        "C");
  CHECK(decode_text("21 \xB0"
                    "C")
            ->encoding == Encoding::windows_1252);
  CHECK(decode_text("5 \x80")->text == "5 \xE2\x82\xAC");
  CHECK(decode_text("21 \xC2\xB0"
                    "C")
            ->encoding == Encoding::utf8);
  CHECK(decode_text(std::string("p\0o\0,\0", 6))->text == "po,");
  CHECK(decode_text(std::string("\0p\0o\0,", 6))->encoding == Encoding::utf16_big);
  CHECK(decode_text("")->text.empty());
}

TEST_CASE("what is no text is refused at its byte") {
  const auto refused = [](const std::string& bytes) { return decode_text(bytes).error().message; };
  CHECK(refused(std::string("point\0x", 7)) ==
        "is no text: byte 6 is 0x00; save the table as UTF-8");
  CHECK(refused("a\x81") == "is no text: byte 2 is 0x81; save the table as UTF-8");
  CHECK(refused("\x07\xB0") == "is no text: byte 1 is 0x07; save the table as UTF-8");
  CHECK(refused("a\x1b[2J") == "is no text: byte 2 is 0x1B; save the table as UTF-8");
  CHECK(refused("\xFF\xFEx") == "is no text: byte 3 is 0x78; save the table as UTF-8");
  CHECK(refused(std::string("\xFF\xFE\x00\xD8", 4)) ==
        "is no text: byte 3 is 0x00; save the table as UTF-8");
}

TEST_CASE("what is stored is what was written, in every encoding") {
  rc::prop("code points come through", [] {
    const auto points = *rc::gen::container<std::vector<std::uint32_t>>(rc::gen::oneOf(
        rc::gen::inRange<std::uint32_t>(0x20, 0x7F), rc::gen::inRange<std::uint32_t>(0xA0, 0xD800),
        rc::gen::inRange<std::uint32_t>(0xE000, 0x11000)));
    std::string expected;
    for (const std::uint32_t p : points) expected += utf8(p);
    for (const bool little : {true, false}) {
      const auto decoded = decode_text(utf16(points, little, true));
      RC_ASSERT(decoded.has_value());
      RC_ASSERT(decoded->text == expected);
    }
    RC_ASSERT(decode_text("\xEF\xBB\xBF" + expected)->text == expected);
  });
  rc::prop("any bytes are text or refused", [](const std::string& bytes) {
    const auto decoded = decode_text(bytes);
    if (!decoded) return;
    RC_ASSERT(decoded->text.find('\0') == std::string::npos);
  });
}

TEST_CASE("UTF-16 without a mark is known where two in five characters are those of ASCII") {
  // "pH," and three letters of another script, again and again: one half
  std::vector<std::uint32_t> points;
  for (int i = 0; i < 20; ++i) points.insert(points.end(), {'p', 'H', ',', 0x43F, 0x0434, 0x0436});
  std::string wanted;
  for (const std::uint32_t p : points) wanted += utf8(p);
  for (const bool little : {true, false}) {
    const auto decoded = decode_text(utf16(points, little, false));
    REQUIRE(decoded);
    CHECK(decoded->encoding == (little ? Encoding::utf16_little : Encoding::utf16_big));
    CHECK(decoded->text == wanted);
  }
}

TEST_CASE("a map keeps the characters of its table") {
  const std::string table =
      "point,area,address,type,unit,note\r\ntemp,hr,0,i16,\xB0"
      "C,\x93quoted\x94\r\n";
  const auto map = files::import_map("m.csv", table);
  REQUIRE(map.has_value());
  CHECK(map->notes.front() == "it is read as Windows-1252, and stored as UTF-8");
  CHECK(map->csv.find("temp,hr,0,i16,\xC2\xB0"
                      "C,\xE2\x80\x9Cquoted\xE2\x80\x9D\r\n") != std::string::npos);
  // and those that a terminal would not get
  const auto soft = files::import_map(
      "m.csv", "point,area,address,type,note\r\na,hr,0,i16,soft\xC2\xADhyphen\r\n");
  CHECK(soft->csv.find("soft\xC2\xADhyphen") != std::string::npos);
}

TEST_CASE("headings over nothing and thousands of short rows come to no more than there is") {
  std::string table = "point,area,address,type";
  for (int i = 0; i < 8000; ++i) table += ",c" + std::to_string(i);
  table += "\r\n";
  for (int i = 0; i < 4000; ++i)
    table += "p" + std::to_string(i) + ",hr," + std::to_string(i) + ",u16,x\r\n";
  const auto map = files::import_map("m.csv", table);
  REQUIRE(map.has_value());
  CHECK(map->csv.size() < 2 * table.size());
  CHECK(map->csv.starts_with("point,area,address,type,c0\r\n"));
}
