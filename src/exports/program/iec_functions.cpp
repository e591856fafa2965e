// The functions that a program needs to take values out of words and to put them there.
//
// Only what every system of IEC 61131-3 has is used, and no function that takes bits for a number,
// as systems differ there: reals are taken apart with exact arithmetic (multiplications by powers
// of two; IEEE 754-2008, 3.4).
#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "iec_program.h"
#include "model/ascii_text.h"

namespace greymet::exports {
namespace {

IecVariable of(const std::string& name, const std::string& type, const std::string& initial = {}) {
  return {name, {type, {}}, {}, initial, {}, {}};
}

IecPou function(const std::string& name, const std::string& returns, const std::string& comment,
                std::vector<IecVariable> in, std::vector<IecVariable> own,
                const std::string& body) {
  return {PouKind::function,
          name,
          returns,
          comment,
          {{IecSection::input, std::move(in)}, {IecSection::local, std::move(own)}},
          body};
}

// A format of IEEE 754 and the types that hold it.
struct Binary {
  std::string real;     // "REAL"
  std::string bits;     // "DWORD"
  std::string integer;  // "UDINT"
  int fraction = 0;     // bits of it
  int bias = 0;
  int longest_step = 0;  // powers of two that scale, halved until 1
  std::string largest;   // the largest finite number
};

const Binary single{"REAL", "DWORD", "UDINT", 23, 127, 64, "REAL#3.4028235E38"};
const Binary twice{"LREAL", "LWORD", "ULINT", 52, 1023, 512, "LREAL#1.7976931348623157E308"};

double power_of_two(int n) {
  double value = 1;
  for (int i = 0; i < n; ++i) value *= 2;
  return value;
}

std::string hex(std::uint64_t value) {
  return fmt::format("16#{:X}", value);
}

IecPou is_number(const Binary& b) {
  const std::uint64_t exponent = (std::uint64_t{2} * static_cast<unsigned>(b.bias) + 1)
                                 << b.fraction;
  return function(
      "GM_IS_" + b.real, "BOOL", "TRUE where the bits are a number: no NaN, not infinite",
      {of("bits", b.bits)}, {},
      fmt::format("  GM_IS_{} := (bits AND {}) <> {};\n", b.real, hex(exponent), hex(exponent)));
}

IecPou from_bits(const Binary& b) {
  const std::uint64_t mask = (std::uint64_t{1} << b.fraction) - 1;
  const std::uint64_t exponents = std::uint64_t{2} * static_cast<unsigned>(b.bias) + 1;
  const std::uint64_t sign = std::uint64_t{1} << (b.bits == "DWORD" ? 31 : 63);
  std::string body = fmt::format(
      "  exponent := {0}_TO_INT(SHR(bits, {1}) AND {2});\n"
      "  value := {3}_TO_{4}({0}_TO_{3}(bits AND {5})) / {6};\n"
      "  IF exponent = 0 THEN\n    exponent := 1;\n  ELSE\n    value := value + {4}#1.0;\n  "
      "END_IF;\n"
      "  exponent := exponent - {7};\n",
      b.bits, b.fraction, hex(exponents), b.integer, b.real, hex(mask),
      iec_real(b.real, power_of_two(b.fraction)), b.bias);
  for (int step = b.longest_step; step >= 1; step /= 2) {
    const std::string power = iec_real(b.real, power_of_two(step));
    body += fmt::format(
        "  IF exponent >= {0} THEN\n    value := value * {1};\n    exponent := exponent - {0};\n"
        "  ELSIF exponent <= -{0} THEN\n    value := value / {1};\n    exponent := exponent + "
        "{0};\n"
        "  END_IF;\n",
        step, power);
  }
  body += fmt::format(
      "  IF (bits AND {}) <> 16#0 THEN\n    value := -value;\n  END_IF;\n  GM_{} := value;\n",
      hex(sign), b.real);
  return function("GM_" + b.real, b.real, "the number whose bits these are (IEEE 754)",
                  {of("bits", b.bits)}, {of("exponent", "INT"), of("value", b.real)}, body);
}

IecPou to_bits(const Binary& b) {
  const std::uint64_t sign = std::uint64_t{1} << (b.bits == "DWORD" ? 31 : 63);
  const std::uint64_t exponents = std::uint64_t{2} * static_cast<unsigned>(b.bias) + 1;
  const std::uint64_t infinite = exponents << b.fraction;
  const std::uint64_t quiet = infinite | std::uint64_t{1} << (b.fraction - 1);
  const std::string name = "GM_" + b.real + "_BITS";
  std::string body = fmt::format(
      "  size := ABS(value);\n"
      "  IF value <> value THEN\n    bits := {};\n"
      "  ELSIF size > {} THEN\n    bits := {};\n"
      "  ELSIF size = {}#0.0 THEN\n    bits := 16#0;\n"
      "  ELSE\n    exponent := {};\n",
      hex(quiet), b.largest, hex(infinite), b.real, b.bias);
  // up to at least 1, or as far as the smallest exponent; then down below 2
  for (int step = b.longest_step; step >= 1; step /= 2) {
    const std::string power = iec_real(b.real, power_of_two(step));
    body += fmt::format(
        "    IF size >= {1} THEN\n      size := size / {1};\n      exponent := exponent + {0};\n"
        "    ELSIF size * {2} < {3}#1.0 AND exponent > {0} THEN\n      size := size * {1};\n"
        "      exponent := exponent - {0};\n    END_IF;\n",
        step, power, iec_real(b.real, power_of_two(step - 1)), b.real);
  }
  body += fmt::format(
      "    IF size < {4}#1.0 THEN\n      exponent := 0;\n    ELSE\n      size := size - {4}#1.0;\n "
      "   "
      "END_IF;\n"
      "    bits := SHL({1}_TO_{2}(INT_TO_{1}(exponent)), {3}) OR {1}_TO_{2}({4}_TO_{1}(size * "
      "{5}));\n"
      "  END_IF;\n"
      "  IF value < {4}#0.0 THEN\n    bits := bits OR {6};\n  END_IF;\n  {0} := bits;\n",
      name, b.integer, b.bits, b.fraction, b.real, iec_real(b.real, power_of_two(b.fraction)),
      hex(sign));
  return function(name, b.bits, "the bits of a number (IEEE 754)", {of("value", b.real)},
                  {of("size", b.real), of("exponent", "INT"), of("bits", b.bits)}, body);
}

// Whether a system rounds or cuts where it makes a whole number of a real, and which way halves go,
// the outcome is the same: halves go away from zero. What is too large is limited.
struct Rounding {
  std::string real;
  std::string whole;
  std::string least;
  std::string most;
  std::string limit;  // the largest real that is not above `most`
};
const std::array<Rounding, 7> roundings{
    {{"REAL", "UINT", "0", "65535", "65535.0"},
     {"REAL", "INT", "-32768", "32767", "32767.0"},
     {"REAL", "UDINT", "0", "4294967295", "4294967040.0"},
     {"LREAL", "UDINT", "0", "4294967295", "4294967295.0"},
     {"LREAL", "DINT", "-2147483648", "2147483647", "2147483647.0"},
     {"LREAL", "ULINT", "0", "18446744073709551615", "18446744073709549568.0"},
     {"LREAL", "LINT", "-9223372036854775808", "9223372036854775807", "9223372036854774784.0"}}};

IecPou rounding(const Rounding& r) {
  const std::string name = fmt::format("GM_{}_{}", r.real, r.whole);
  const std::string body = fmt::format(
      "  IF value <= {1}#{3}.0 THEN\n    {0} := {3};\n"
      "  ELSIF value >= {1}#{5} THEN\n    {0} := {4};\n"
      "  ELSE\n    whole := {1}_TO_{2}(value);\n    rest := value - {2}_TO_{1}(whole);\n"
      "    IF (rest > {1}#0.5) OR ((rest >= {1}#0.5) AND (value > {1}#0.0)) THEN\n"
      "      whole := whole + 1;\n"
      "    ELSIF (rest < {1}#-0.5) OR ((rest <= {1}#-0.5) AND (value < {1}#0.0)) THEN\n"
      "      whole := whole - 1;\n    END_IF;\n    {0} := whole;\n  END_IF;\n",
      name, r.real, r.whole, r.least, r.most, r.limit);
  return function(name, r.whole, "rounded to the nearest, halves away from zero; limited",
                  {of("value", r.real)}, {of("whole", r.whole), of("rest", r.real)}, body);
}

std::string printable() {
  std::string out;
  for (char c = ' '; c <= '~'; ++c) out += c;
  return iec_string(out);
}

std::vector<IecPou> word_functions() {
  return {
      function("GM_SWAPPED", "WORD", "both bytes of a word exchanged", {of("value", "WORD")}, {},
               "  GM_SWAPPED := SHL(value, 8) OR SHR(value, 8);\n"),
      function("GM_TEXT_WORD", "WORD", "two characters of a text; orders 3 and 4 exchange them",
               {of("value", "WORD"), of("order", "INT")}, {},
               "  GM_TEXT_WORD := value;\n  IF order >= 3 THEN\n"
               "    GM_TEXT_WORD := GM_SWAPPED(value);\n  END_IF;\n"),
      function("GM_WITHIN", "BOOL", "TRUE where all of a value lies in a block",
               {of("place", "DINT"), of("size", "DINT"), of("first", "DINT"), of("count", "DINT")},
               {}, "  GM_WITHIN := (first <= place) AND (place + size <= first + count);\n"),
      function("GM_DWORD", "DWORD",
               "two words of memory as one; order: 1 ABCD, 2 CDAB, 3 BADC, 4 DCBA",
               {of("w1", "WORD"), of("w2", "WORD"), of("order", "INT")},
               {of("high", "WORD"), of("low", "WORD")},
               "  high := GM_TEXT_WORD(w1, order);\n  low := GM_TEXT_WORD(w2, order);\n"
               "  IF (order = 2) OR (order = 4) THEN\n"
               "    GM_DWORD := SHL(WORD_TO_DWORD(low), 16) OR WORD_TO_DWORD(high);\n  ELSE\n"
               "    GM_DWORD := SHL(WORD_TO_DWORD(high), 16) OR WORD_TO_DWORD(low);\n"
               "  END_IF;\n"),
      function("GM_WORD_OF_DWORD", "WORD", "the word at that place of memory, from 1",
               {of("bits", "DWORD"), of("place", "INT"), of("order", "INT")},
               {of("from_high", "INT")},
               "  from_high := place;\n  IF (order = 2) OR (order = 4) THEN\n"
               "    from_high := 3 - place;\n  END_IF;\n"
               "  GM_WORD_OF_DWORD :=\n"
               "    GM_TEXT_WORD(DWORD_TO_WORD(SHR(bits, 32 - 16 * from_high)), order);\n"),
      function("GM_LWORD", "LWORD", "four words of memory as one, in that order",
               {of("w1", "WORD"), of("w2", "WORD"), of("w3", "WORD"), of("w4", "WORD"),
                of("order", "INT")},
               {of("high", "DWORD"), of("low", "DWORD")},
               "  high := GM_DWORD(w1, w2, order);\n  low := GM_DWORD(w3, w4, order);\n"
               "  IF (order = 2) OR (order = 4) THEN\n"
               "    GM_LWORD := SHL(DWORD_TO_LWORD(low), 32) OR DWORD_TO_LWORD(high);\n  ELSE\n"
               "    GM_LWORD := SHL(DWORD_TO_LWORD(high), 32) OR DWORD_TO_LWORD(low);\n"
               "  END_IF;\n"),
      function("GM_WORD_OF_LWORD", "WORD", "the word at that place of memory, from 1",
               {of("bits", "LWORD"), of("place", "INT"), of("order", "INT")},
               {of("from_high", "INT")},
               "  from_high := place;\n  IF (order = 2) OR (order = 4) THEN\n"
               "    from_high := 5 - place;\n  END_IF;\n"
               "  GM_WORD_OF_LWORD :=\n"
               "    GM_TEXT_WORD(LWORD_TO_WORD(SHR(bits, 64 - 16 * from_high)), order);\n"),
      function("GM_IS_BCD", "BOOL", "TRUE where all eight digits are 0 to 9", {of("bits", "DWORD")},
               {of("rest", "DWORD"), of("good", "BOOL"), of("i", "INT")},
               "  good := TRUE;\n  rest := bits;\n  FOR i := 1 TO 8 DO\n"
               "    IF DWORD_TO_UDINT(rest AND 16#F) > 9 THEN\n      good := FALSE;\n    END_IF;\n"
               "    rest := SHR(rest, 4);\n  END_FOR;\n  GM_IS_BCD := good;\n"),
      function("GM_FROM_BCD", "UDINT", "the number that BCD digits show", {of("bits", "DWORD")},
               {of("value", "UDINT"), of("i", "INT")},
               "  value := 0;\n  FOR i := 7 TO 0 BY -1 DO\n"
               "    value := value * 10 + DWORD_TO_UDINT(SHR(bits, 4 * i) AND 16#F);\n  END_FOR;\n"
               "  GM_FROM_BCD := value;\n"),
      function("GM_TO_BCD", "DWORD", "a number below 100000000 as BCD digits",
               {of("value", "UDINT")}, {of("rest", "UDINT"), of("bits", "DWORD"), of("i", "INT")},
               "  rest := value;\n  bits := 16#0;\n  FOR i := 0 TO 7 DO\n"
               "    bits := bits OR SHL(UDINT_TO_DWORD(rest MOD 10), 4 * i);\n"
               "    rest := rest / 10;\n  END_FOR;\n  GM_TO_BCD := bits;\n"),
  };
}

std::vector<IecPou> text_functions() {
  return {
      function("GM_CHARACTER", "STRING[1]", "a printable character of ASCII; nothing for others",
               {of("code", "WORD")}, {of("all", "STRING[95]", printable()), of("number", "INT")},
               "  number := WORD_TO_INT(code);\n  IF (number >= 32) AND (number <= 126) THEN\n"
               "    GM_CHARACTER := MID(all, 1, number - 31);\n  ELSE\n"
               "    GM_CHARACTER := '';\n  END_IF;\n"),
      function("GM_CHARACTERS", "STRING[2]", "the two characters of a word, the high byte first",
               {of("value", "WORD")}, {},
               "  GM_CHARACTERS := CONCAT(GM_CHARACTER(SHR(value, 8)), GM_CHARACTER(value AND "
               "16#FF));\n"),
      function("GM_TRIMMED", "STRING[250]", "the text without blanks at its end",
               {of("text", "STRING[250]")}, {of("rest", "STRING[250]")},
               "  rest := text;\n  WHILE RIGHT(rest, 1) = ' ' DO\n"
               "    rest := LEFT(rest, LEN(rest) - 1);\n  END_WHILE;\n  GM_TRIMMED := rest;\n"),
      function(
          "GM_CODE", "WORD", "the code of one character of a text; 0 behind its end",
          {of("text", "STRING[250]"), of("place", "INT")},
          {of("all", "STRING[95]", printable()), of("found", "INT")},
          "  IF place > LEN(text) THEN\n    GM_CODE := 16#0;\n  ELSE\n"
          "    found := FIND(all, MID(text, 1, place));\n    IF found = 0 THEN\n"
          "      found := 32;\n    END_IF;\n    GM_CODE := INT_TO_WORD(found + 31);\n  END_IF;\n"),
  };
}

std::vector<IecPou> blocks() {
  return {
      {PouKind::function_block,
       "GM_FOLLOW",
       {},
       "whether a request has ever been answered well, and how long that is ago",
       {{IecSection::input, {of("good_is_told", "BOOL"), of("news_are_told", "BOOL")}},
        {IecSection::in_out, {of("request", "GM_REQUEST")}},
        {IecSection::local, {of("timer", "TON")}}},
       "  IF request.new_values OR (good_is_told AND request.good) THEN\n"
       "    request.valid := TRUE;\n  END_IF;\n"
       "  timer(IN := NOT (request.new_values OR (news_are_told AND request.good)),\n"
       "    PT := T#1728000000ms);\n"
       "  request.age := timer.ET;\n"
       // told from outside, and taken
       "  IF news_are_told THEN\n    request.new_values := FALSE;\n  END_IF;\n"},
      {PouKind::function_block,
       "GM_BEAT",
       {},
       "a bit that toggles while it runs",
       {{IecSection::input, {of("run", "BOOL"), of("every", "TIME")}},
        {IecSection::output, {of("beat", "BOOL")}},
        {IecSection::local, {of("timer", "TON"), of("over", "TIME")}}},
       // what a beat came late by is taken off the next one: the mean period is kept
       "  IF NOT run THEN\n    timer(IN := FALSE, PT := every + every);\n    over := T#0ms;\n"
       "  END_IF;\n"
       "  timer(IN := run, PT := every + every);\n"
       "  IF run AND (timer.ET + over >= every) THEN\n    beat := NOT beat;\n"
       "    over := timer.ET + over - every;\n    IF over >= every THEN\n      over := T#0ms;\n"
       "    END_IF;\n"
       "    timer(IN := FALSE, PT := every + every);\n"
       "    timer(IN := TRUE, PT := every + every);\n  END_IF;\n"},
      {PouKind::function_block,
       "GM_WATCH",
       {},
       "TRUE once a bit has not changed for as long as the limit",
       {{IecSection::input, {of("beat", "BOOL"), of("longest", "TIME")}},
        {IecSection::output, {of("lost", "BOOL")}},
        {IecSection::local, {of("last", "BOOL"), of("timer", "TON")}}},
       "  IF beat <> last THEN\n    last := beat;\n    timer(IN := FALSE, PT := longest);\n  "
       "END_IF;\n"
       "  timer(IN := TRUE, PT := longest);\n  lost := timer.Q;\n"},
  };
}

// Each stands before whoever calls it.
std::vector<IecPou> library() {
  std::vector<IecPou> all = word_functions();
  for (const Binary* b : {&single, &twice}) {
    all.push_back(is_number(*b));
    all.push_back(from_bits(*b));
    all.push_back(to_bits(*b));
  }
  for (const Rounding& each : roundings) all.push_back(rounding(each));
  for (auto more : {text_functions(), blocks()}) {
    all.insert(all.end(), std::make_move_iterator(more.begin()),
               std::make_move_iterator(more.end()));
  }
  return all;
}

// `name` as a whole word.
bool mentions(std::string_view text, std::string_view name) {
  const auto in_word = [](char c) { return model::is_letter(c) || model::is_digit(c) || c == '_'; };
  for (std::size_t at = text.find(name); at != std::string_view::npos;
       at = text.find(name, at + 1)) {
    const std::size_t end = at + name.size();
    if ((at == 0 || !in_word(text[at - 1])) && (end == text.size() || !in_word(text[end])))
      return true;
  }
  return false;
}

}  // namespace

std::string text_that_calls(const IecPou& pou) {
  std::string text = pou.body;
  for (const IecBlock& block : pou.blocks) {
    for (const IecVariable& v : block.variables) text += " " + v.type.name;
  }
  return text;
}

std::vector<IecPou> functions_called_by(std::string_view text) {
  std::vector<IecPou> all = library();
  std::string reached(text);
  std::vector<IecPou> used;
  for (std::size_t i = all.size(); i-- > 0;) {
    if (!mentions(reached, all[i].name)) continue;
    reached += text_that_calls(all[i]);
    used.push_back(std::move(all[i]));
  }
  std::reverse(used.begin(), used.end());
  return used;
}

}  // namespace greymet::exports
