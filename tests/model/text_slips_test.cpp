// What people mean who write as another program would.
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/duration_text.h"
#include "model/text_slips.h"

using namespace greymet::model;

namespace {

// The right text, with a '?' behind it where it is not certain; "-" where nothing is known.
std::string text_of(const std::optional<Meant>& meant) {
  return meant ? meant->text + (meant->certain ? "" : "?") : "-";
}

using Rows = std::vector<std::pair<const char*, const char*>>;

}  // namespace

TEST_CASE("what office programs put into texts becomes plain") {
  CHECK(without_typography("a\xC2\xA0"
                           "b") == "a b");
  CHECK(without_typography("\xE2\x80\x9Cx\xE2\x80\x9D") == "\"x\"");
  CHECK(without_typography("\xEF\xBC\xB1\xEF\xBC\x91") == "Q1");
  CHECK(without_typography("8\xE2\x80\x93"
                           "9\xE2\x80\x8B") == "8-9");
  CHECK_FALSE(without_typography("K\xC3\xBChler \xC2\xB5").has_value());
  CHECK_FALSE(without_typography("plain").has_value());
}

TEST_CASE("durations of other hands") {
  for (const auto& [text, meant] : Rows{{"1,5s", "1.5s"},
                                        {"200 msec", "200ms"},
                                        {"T#2s", "2s"},
                                        {"time#500MS", "500ms"},
                                        {"1m", "1min?"},
                                        {"2 Minutes", "2min"},
                                        {".5s", "0.5s"},
                                        {"3\xC2\xB5s", "3us"},
                                        {"1,500ms", "1.500ms?"},
                                        {"200MS", "200ms"},
                                        {"1h", "-"},
                                        {"1.2.3s", "-"},
                                        {"soon", "-"},
                                        {"", "-"},
                                        {"5", "-"}}) {
    INFO(text);
    CHECK(text_of(meant_duration(text)) == meant);
  }
}

TEST_CASE("numbers of other countries") {
  for (const auto& [text, meant] : Rows{{"1,5", "1.5"},
                                        {"0,125", "0.125"},
                                        {"3,600", "3.600?"},
                                        {"1,234,567", "1234567"},
                                        {"1.234.567", "1234567"},
                                        {"1.234,5", "1234.5"},
                                        {"1,234.5", "1234.5"},
                                        {"10 000", "10000"},
                                        {"10'000", "10000"},
                                        {"-1,5", "-1.5"},
                                        {",5", "0.5"},
                                        {"\xEF\xBC\x91\xEF\xBC\x92", "12"},
                                        {"12", "-"},
                                        {"1,2,3", "-"},
                                        {"x", "-"},
                                        {"", "-"},
                                        {"1,,5", "-"},
                                        {"--5", "-"}}) {
    INFO(text);
    CHECK(text_of(meant_number(text)) == meant);
  }
}

TEST_CASE("whole numbers with signs for thousands") {
  for (const auto& [text, meant] : Rows{{"19.200", "19200"},
                                        {"19,200", "19200"},
                                        {"1 000 000", "1000000"},
                                        {"19.2", "-"},
                                        {"1.20", "-"},
                                        {"12", "-"},
                                        {" 12 ", "12"}}) {
    INFO(text);
    CHECK(text_of(meant_whole_number(text)) == meant);
  }
}

TEST_CASE("addresses with letters for digits") {
  for (const auto& [text, meant] : Rows{{"400o1", "40001?"},
                                        {"4l097", "41097?"},
                                        {"hr:1O", "hr:10?"},
                                        {"1OOh", "100h?"},
                                        {"4096", "-"},
                                        {"pool", "-"},
                                        {"7x", "-"},
                                        {"", "-"}}) {
    INFO(text);
    CHECK(text_of(meant_address(text)) == meant);
  }
}

TEST_CASE("types, access, areas, formats and orders by other names") {
  for (const auto& [text, meant] : Rows{{"REAL", "f32"},
                                        {"uint16", "u16"},
                                        {"DINT", "i32"},
                                        {"INT", "i16?"},
                                        {"Float 64", "f64"},
                                        {"string[10]", "text(10)"},
                                        {"string(7)", "text(7)"},
                                        {"long", "i32?"},
                                        {"LREAL", "f64"},
                                        {"qword", "-"},
                                        {"", "-"}}) {
    INFO(text);
    CHECK(text_of(meant_type(text)) == meant);
  }
  for (const auto& [text, meant] : Rows{{"R/W", "rw"},
                                        {"RO", "r"},
                                        {"read only", "r"},
                                        {"Write", "w"},
                                        {"W/R", "rw"},
                                        {"x", "-"}}) {
    INFO(text);
    CHECK(text_of(meant_access(text)) == meant);
  }
  for (const auto& [text, meant] : Rows{{"4x", "hr"},
                                        {"Holding Registers", "hr"},
                                        {"3x", "ir"},
                                        {"coils", "co"},
                                        {"input", "ir?"},
                                        {"1x", "di"},
                                        {"5x", "-"}}) {
    INFO(text);
    CHECK(text_of(meant_area(text)) == meant);
  }
  for (const auto& [text, meant] : Rows{{"8-E-1", "8E1"},
                                        {"8 even 1", "8E1"},
                                        {"N,8,2", "8N2"},
                                        {"8n1", "8N1"},
                                        {"9E1", "-"},
                                        {"8E", "-"}}) {
    INFO(text);
    CHECK(text_of(meant_format(text)) == meant);
  }
  for (const auto& [text, meant] :
       Rows{{"3412", "CDAB"}, {"big endian", "ABCD?"}, {"cd-ab", "CDAB"}, {"ABDC", "-"}}) {
    INFO(text);
    CHECK(text_of(meant_word_order(text)) == meant);
  }
}

TEST_CASE("what is meant is right, and is not meant otherwise again") {
  rc::prop("a duration that is meant can be read", [] {
    const auto text =
        *rc::gen::container<std::string>(rc::gen::elementOf(std::string("0123.,msTh#inuec ")));
    const auto meant = meant_duration(text);
    if (!meant) return;
    RC_ASSERT(parse_duration(meant->text).has_value());
    RC_ASSERT(!meant_duration(meant->text).has_value());
  });
  rc::prop("a number that is meant has one sign and digits", [] {
    const auto text =
        *rc::gen::container<std::string>(rc::gen::elementOf(std::string("0123456,.' -")));
    const auto meant = meant_number(text);
    if (!meant) return;
    RC_ASSERT(meant->text.find_first_not_of("-0123456789.") == std::string::npos);
    RC_ASSERT(std::count(meant->text.begin(), meant->text.end(), '.') <= 1);
    RC_ASSERT(!meant_number(meant->text).has_value());
  });
  rc::prop("plain text stays", [] {
    const auto text = *rc::gen::container<std::string>(rc::gen::arbitrary<char>());
    const auto plain = without_typography(text);
    if (plain) RC_ASSERT(!without_typography(*plain).has_value());
  });
}
