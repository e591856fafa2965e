// Small values of the model: durations, types, formats, names, function codes.
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <algorithm>

#include "model/data_type.h"
#include "model/duration_text.h"
#include "model/finding.h"
#include "model/function_code.h"
#include "model/nearest_name.h"
#include "model/serial_settings.h"

using namespace greymet::model;
using namespace std::chrono_literals;

TEST_CASE("durations are read with their unit and to the nanosecond") {
  CHECK(parse_duration("200ms") == Duration(200ms));
  CHECK(parse_duration("1.5s") == Duration(1500ms));
  CHECK(parse_duration("50us") == Duration(50us));
  CHECK(parse_duration("2min") == Duration(2min));
  CHECK(parse_duration("1h") == Duration(1h));
  CHECK(parse_duration("0ms") == Duration(0));
  CHECK(parse_duration("0.000001ms") == Duration(1));
  CHECK(parse_duration("2 s") == Duration(2s));
  CHECK(parse_duration("744h") == longest_duration);
}

TEST_CASE("what is no duration is refused with the reason") {
  const auto reason = [](const char* text) { return parse_duration(text).error(); };
  CHECK(reason("100") == "'100' has no unit; write \"100ms\" or \"100s\", as meant");
  CHECK(reason("100 parsecs") == "'100 parsecs' has no unit we know; use us, ms, s, min or h");
  CHECK(reason("ms") ==
        "'ms': expected a duration in quotes with its unit, such as \"200ms\", \"1.5s\" or "
        "\"2min\"");
  CHECK(reason("1.s").substr(0, 6) == "'1.s':");
  CHECK(reason("-1s").substr(0, 6) == "'-1s':");
  CHECK(reason("745h") == "'745h' is longer than 31 days");
  CHECK(reason("99999999999999999999s") == "'99999999999999999999s' is longer than 31 days");
  CHECK(reason("0.1ns") == "'0.1ns' is finer than a nanosecond");
  CHECK(reason("0.12345678901s") == "at most 9 decimals");
}

TEST_CASE("a duration written out reads back as itself") {
  rc::prop("round trip", [] {
    const auto ns = *rc::gen::inRange<std::int64_t>(0, longest_duration.count());
    RC_ASSERT(parse_duration(to_text(Duration(ns))) == Duration(ns));
  });
  CHECK(in_ms(Duration(51'822'917)) == "51.823 ms");
  CHECK(in_ms(200ms) == "200 ms");
  CHECK(in_ms(1500us) == "1.5 ms");
  // limits are rounded up to three digits, and never down
  const std::vector<std::pair<std::int64_t, std::string>> limits{{0, "0"},
                                                                 {1, "0.001"},
                                                                 {51'822'917, "51.9"},
                                                                 {51'900'000, "51.9"},
                                                                 {99'950'001, "100"},
                                                                 {99'900'001, "100"},
                                                                 {100'000'000, "100"},
                                                                 {100'000'001, "101"},
                                                                 {2'030'005'000, "2031"},
                                                                 {5'123'400, "5.13"},
                                                                 {513'400, "0.514"},
                                                                 {13'272'906'000, "13273"}};
  for (const auto& [ns, text] : limits) {
    CHECK(ms_at_most(Duration(ns)) == text);
    CHECK(std::stod(text) * 1e6 >= static_cast<double>(ns));
  }
}

TEST_CASE("types know their registers") {
  const std::vector<std::pair<const char*, std::uint32_t>> rows{
      {"bool", 1},  {"u16", 1},   {"i16", 1},     {"u32", 2},    {"i32", 2},
      {"u64", 4},   {"i64", 4},   {"f32", 2},     {"f64", 4},    {"bits", 1},
      {"bcd16", 1}, {"bcd32", 2}, {"text(1)", 1}, {"text(7)", 4}};
  for (const auto& [name, registers] : rows) {
    INFO(name);
    const auto type = data_type_from(name);
    REQUIRE(type.has_value());
    CHECK(registers_of(*type) == registers);
    CHECK(is_multi_register(*type) == (registers > 1));
    CHECK(to_text(*type) == name);
  }
  for (const char* wrong :
       {"", "u8", "text", "text()", "text(0)", "text(251)", "text(1", "text(x)", "f 32"}) {
    INFO(wrong);
    CHECK_FALSE(data_type_from(wrong).has_value());
  }
  CHECK(data_type_from("F32") == data_type_from("f32"));
  CHECK(data_type_from("TEXT(7)") == data_type_from("text(7)"));
}

TEST_CASE("character formats count their bits") {
  const std::vector<std::pair<const char*, int>> rows{
      {"8E1", 11}, {"8N2", 11}, {"8N1", 10}, {"7E1", 10}, {"7N2", 10}, {"8O2", 12}, {"7N1", 9}};
  for (const auto& [name, bits] : rows) {
    INFO(name);
    const auto format = character_format_from(name);
    REQUIRE(format.has_value());
    CHECK(bits_per_character(*format) == bits);
    CHECK(to_text(*format) == name);
  }
  for (const char* wrong : {"", "8E", "9E1", "8X1", "8E3", "8-E-1", "8E11"}) {
    CHECK_FALSE(character_format_from(wrong).has_value());
  }
  CHECK(to_text(*character_format_from("8e1")) == "8E1");
}

TEST_CASE("the edit distance agrees with a slow recursion") {
  // The textbook recursion of optimal string alignment, without any table.
  struct Slow {
    static std::size_t distance(std::string_view a, std::string_view b) {
      if (a.empty()) return b.size();
      if (b.empty()) return a.size();
      std::size_t best = distance(a.substr(1), b) + 1;
      best = std::min(best, distance(a, b.substr(1)) + 1);
      best = std::min(best, distance(a.substr(1), b.substr(1)) + (a[0] == b[0] ? 0 : 1));
      if (a.size() > 1 && b.size() > 1 && a[0] == b[1] && a[1] == b[0]) {
        best = std::min(best, distance(a.substr(2), b.substr(2)) + 1);
      }
      return best;
    }
  };
  rc::prop("same distance", [] {
    const auto word =
        rc::gen::resize(6, rc::gen::container<std::string>(rc::gen::element('a', 'b', 'c')));
    const std::string a = *word;
    const std::string b = *word;
    RC_ASSERT(edit_distance(a, b) == Slow::distance(a, b));
  });
}

TEST_CASE("the nearest name is the first of those with the fewest edits, and near enough") {
  rc::prop("as asking every name", [] {
    const auto word =
        rc::gen::resize(9, rc::gen::container<std::string>(rc::gen::element('a', 'b', 'c')));
    const std::string name = *word;
    const auto words = *rc::gen::resize(8, rc::gen::container<std::vector<std::string>>(word));
    const std::vector<std::string_view> known(words.begin(), words.end());
    // a third of the letters may be wrong, one at least and three at most
    const std::size_t near = std::clamp<std::size_t>(name.size() / 3, 1, 3);
    std::optional<std::string> expected;
    for (std::size_t distance = 0; distance <= near && !expected; ++distance) {
      for (const std::string& candidate : words) {
        if (!expected && edit_distance(name, candidate) == distance) expected = candidate;
      }
    }
    RC_ASSERT(nearest_name(name, known) == expected);
  });
  const std::vector<std::string_view> known{"timeout"};
  CHECK(nearest_or_example("tmeout", known) == " (did you mean 'timeout'?)");
  CHECK(nearest_or_example("volt", known) == "; write e.g. timeout");
  CHECK(nearest_or_example("volt", {}).empty());
}

TEST_CASE("a slip of the pen finds the name that was meant") {
  const std::vector<std::string_view> known{"timeout", "retries", "pause", "baud"};
  CHECK(nearest_name("tiemout", known) == "timeout");
  CHECK(nearest_name("retrys", known) == "retries");
  CHECK(nearest_name("bauds", known) == "baud");
  CHECK_FALSE(nearest_name("voltage", known).has_value());
  CHECK_FALSE(nearest_name("x", {}).has_value());
  CHECK(did_you_mean("tiemout", known) == " (did you mean 'timeout'?)");
  CHECK(did_you_mean("voltage", known).empty());
}

TEST_CASE("functions carry the limits of the standard") {
  // V1.1b3, the quantity rows of sections 6.1 to 6.17
  struct Row {
    int number;
    Area area;
    std::uint32_t most_read;
    std::uint32_t most_write;
  };
  const std::vector<Row> rows{{1, Area::coil, 2000, 0},
                              {2, Area::discrete_input, 2000, 0},
                              {3, Area::holding_register, 125, 0},
                              {4, Area::input_register, 125, 0},
                              {5, Area::coil, 0, 1},
                              {6, Area::holding_register, 0, 1},
                              {15, Area::coil, 0, 1968},
                              {16, Area::holding_register, 0, 123},
                              {22, Area::holding_register, 0, 1},
                              {23, Area::holding_register, 125, 121}};
  CHECK(all_functions().size() == rows.size());
  for (const Row& row : rows) {
    INFO(row.number);
    const auto code = function_code_from(row.number);
    REQUIRE(code.has_value());
    CHECK(traits_of(*code).area == row.area);
    CHECK(traits_of(*code).most_read == row.most_read);
    CHECK(traits_of(*code).most_write == row.most_write);
  }
  for (const int other : {0, 7, 8, 17, 20, 24, 43, 255, -3}) CHECK_FALSE(function_code_from(other));
}

TEST_CASE("rule codes and their texts agree") {
  CHECK(rule_code_from("F02") == RuleCode::F02);
  CHECK(rule_code_from("D03") == RuleCode::D03);
  CHECK_FALSE(rule_code_from("F99").has_value());
  CHECK_FALSE(rule_code_from("").has_value());
}
