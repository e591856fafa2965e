#include "model/text_slips.h"

#include <algorithm>
#include <array>
#include <span>
#include <utility>
#include <vector>

#include <fmt/format.h>

#include "model/address.h"
#include "model/ascii_text.h"
#include "model/data_type.h"
#include "model/duration_text.h"
#include "model/serial_settings.h"
#include "model/utf8_text.h"

namespace greymet::model {
namespace {

using Word = std::pair<std::string_view, std::string_view>;

// What one character of an office program stands for; nothing where it stands for itself.
std::optional<std::string_view> plain_of(std::uint32_t c) {
  switch (c) {
    case 0x2018:
    case 0x2019:
    case 0x201A:
    case 0x2032: return "'";
    case 0x201C:
    case 0x201D:
    case 0x201E:
    case 0x201F:
    case 0x2033:
    case 0xAB:
    case 0xBB: return "\"";
    case 0x2010:
    case 0x2011:
    case 0x2012:
    case 0x2013:
    case 0x2014:
    case 0x2212: return "-";
    case 0xA0:
    case 0x2007:
    case 0x2009:
    case 0x202F:
    case 0x3000: return " ";
    case 0x2026: return "...";
    case 0xAD:
    case 0x200B:
    case 0x200C:
    case 0x200D:
    case 0x2060:
    case 0xFEFF: return "";
    default: return std::nullopt;
  }
}

constexpr std::uint32_t full_width_first = 0xFF01;
constexpr std::uint32_t full_width_last = 0xFF5E;

std::optional<std::string_view> word_for(std::span<const Word> words, std::string_view text) {
  const auto* const at = std::find_if(words.data(), words.data() + words.size(),
                                      [&](const Word& w) { return w.first == text; });
  if (at == words.data() + words.size()) return std::nullopt;
  return at->second;
}

// Plain characters, no blanks at the ends.
std::string tidied(std::string_view text) {
  const auto plain = without_typography(text);
  return std::string(trimmed(plain ? std::string_view(*plain) : text));
}

std::optional<Meant> unless_same(std::string right, std::string_view text, bool certain = true) {
  if (right == text) return std::nullopt;
  return Meant{std::move(right), certain};
}

// Groups of three digits behind `sign`, from `at` to the end or to another sign.
bool thousands_follow(std::string_view digits, char sign) {
  const std::size_t first = digits.find(sign);
  if (first == 0 || first > 3 || first == std::string_view::npos) return false;
  std::size_t at = first;
  while (at < digits.size()) {
    const std::size_t next = std::min(digits.find(sign, at + 1), digits.size());
    if (next - at != 4 || !all_digits(digits.substr(at + 1, 3))) return false;
    at = next;
  }
  return all_digits(digits.substr(0, first));
}

std::string without(std::string_view text, char c) {
  std::string out(text);
  std::erase(out, c);
  return out;
}

}  // namespace

std::optional<std::string> without_typography(std::string_view text) {
  if (std::all_of(text.begin(), text.end(),
                  [](char c) { return static_cast<unsigned char>(c) < 0x80; })) {
    return std::nullopt;
  }
  std::string out;
  bool changed = false;
  for (std::size_t at = 0; at < text.size();) {
    std::size_t behind = at;
    const auto c = decode(text, at, behind);
    const auto plain = c ? plain_of(*c) : std::nullopt;
    if (plain) {
      out += *plain;
      changed = true;
    } else if (c && *c >= full_width_first && *c <= full_width_last) {
      out += static_cast<char>(*c - full_width_first + '!');
      changed = true;
    } else {
      out += text.substr(at, behind - at);
    }
    at = behind;
  }
  if (!changed) return std::nullopt;
  return out;
}

std::string_view trimmed(std::string_view text) {
  const std::size_t first = text.find_first_not_of(" \t");
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(" \t") - first + 1);
}

std::string in_small_letters(std::string_view text) {
  std::string out(text);
  for (char& c : out) {
    if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
  }
  return out;
}

std::string bare_word(std::string_view text) {
  std::string out;
  for (const char c : in_small_letters(text)) {
    if (is_letter(c) || is_digit(c)) out += c;
  }
  return out;
}

std::optional<Meant> meant_duration(std::string_view text) {
  static constexpr std::array<Word, 24> names{{{"sec", "s"},
                                               {"secs", "s"},
                                               {"second", "s"},
                                               {"seconds", "s"},
                                               {"msec", "ms"},
                                               {"msecs", "ms"},
                                               {"millis", "ms"},
                                               {"millisecond", "ms"},
                                               {"milliseconds", "ms"},
                                               {"usec", "us"},
                                               {"microseconds", "us"},
                                               {"\xC2\xB5s", "us"},
                                               {"\xCE\xBCs", "us"},
                                               {"mins", "min"},
                                               {"minute", "min"},
                                               {"minutes", "min"},
                                               {"hr", "h"},
                                               {"hrs", "h"},
                                               {"hour", "h"},
                                               {"hours", "h"},
                                               {"min.", "min"},
                                               {"sec.", "s"},
                                               {"std", "h"},
                                               {"sek", "s"}}};
  std::string form = in_small_letters(tidied(text));
  for (const std::string_view head : {"t#", "time#", "lt#"}) {
    if (form.starts_with(head)) form.erase(0, head.size());
  }
  std::size_t digits = 0;
  while (digits < form.size() &&
         (is_digit(form[digits]) || form[digits] == '.' || form[digits] == ',')) {
    ++digits;
  }
  std::string number = form.substr(0, digits);
  if (std::count(number.begin(), number.end(), ',') +
          std::count(number.begin(), number.end(), '.') >
      1) {
    return std::nullopt;
  }
  std::replace(number.begin(), number.end(), ',', '.');
  if (number.starts_with('.')) number.insert(0, "0");
  std::string unit(trimmed(std::string_view(form).substr(digits)));
  const bool minutes_or_milli = unit == "m";
  if (minutes_or_milli) unit = "min";
  if (const auto known = word_for(names, unit)) unit = *known;
  const std::string right = number + unit;
  // a sign for thousands and one for decimals look alike: "1,500ms"
  const bool thousands = thousands_follow(form.substr(0, digits), ',');
  if (!parse_duration(right)) return std::nullopt;
  return unless_same(right, text, !minutes_or_milli && !thousands);
}

std::optional<Meant> meant_number(std::string_view text) {
  std::string form = tidied(text);
  const std::string sign = form.starts_with('-') || form.starts_with('+') ? form.substr(0, 1) : "";
  form.erase(0, sign.size());
  for (const char group : {' ', '\'', '_'}) {
    if (thousands_follow(form.substr(0, form.find_first_of(".,")), group))
      form = without(form, group);
  }
  const auto commas = std::count(form.begin(), form.end(), ',');
  const auto points = std::count(form.begin(), form.end(), '.');
  bool certain = true;
  if (commas > 1 && points <= 1 && thousands_follow(form.substr(0, form.find('.')), ',')) {
    form = without(form, ',');
  } else if (points > 1 && commas <= 1 && thousands_follow(form.substr(0, form.find(',')), '.')) {
    form = without(form, '.');
    std::replace(form.begin(), form.end(), ',', '.');
  } else if (commas == 1 && points == 1) {
    const bool decimal_comma = form.find(',') > form.find('.');
    form = without(form, decimal_comma ? '.' : ',');
    std::replace(form.begin(), form.end(), ',', '.');
  } else if (commas == 1) {
    certain = !thousands_follow(form, ',') || form.starts_with("0,");
    std::replace(form.begin(), form.end(), ',', '.');
  } else if (commas + points > 1) {
    return std::nullopt;
  }
  if (form.starts_with('.')) form.insert(0, "0");
  const std::string_view digits(form);
  const std::size_t point = digits.find('.');
  const bool fits = all_digits(digits.substr(0, point)) &&
                    (point == std::string_view::npos || all_digits(digits.substr(point + 1)));
  if (!fits) return std::nullopt;
  return unless_same((sign == "-" ? "-" : "") + form, text, certain);
}

std::optional<Meant> meant_whole_number(std::string_view text) {
  std::string form = tidied(text);
  for (const char group : {'.', ',', ' ', '\'', '_'}) {
    if (thousands_follow(form, group)) return unless_same(without(form, group), text);
  }
  return all_digits(form) ? unless_same(std::move(form), text) : std::nullopt;
}

std::optional<Meant> meant_type(std::string_view text) {
  static constexpr std::array<Word, 48> names{
      {{"real", "f32"},     {"float", "f32"},    {"float32", "f32"},    {"single", "f32"},
       {"ieee754", "f32"},  {"fp32", "f32"},     {"float32bit", "f32"}, {"lreal", "f64"},
       {"double", "f64"},   {"float64", "f64"},  {"fp64", "f64"},       {"uint", "u16"},
       {"word", "u16"},     {"uint16", "u16"},   {"ushort", "u16"},     {"unsigned16", "u16"},
       {"uint16t", "u16"},  {"int16", "i16"},    {"short", "i16"},      {"signed16", "i16"},
       {"sint16", "i16"},   {"s16", "i16"},      {"int16t", "i16"},     {"udint", "u32"},
       {"dword", "u32"},    {"uint32", "u32"},   {"unsigned32", "u32"}, {"ulong", "u32"},
       {"uint32t", "u32"},  {"dint", "i32"},     {"int32", "i32"},      {"long", "i32"},
       {"signed32", "i32"}, {"s32", "i32"},      {"int32t", "i32"},     {"ulint", "u64"},
       {"lword", "u64"},    {"uint64", "u64"},   {"lint", "i64"},       {"int64", "i64"},
       {"s64", "i64"},      {"boolean", "bool"}, {"bit", "bool"},       {"bitfield", "bits"},
       {"bitmask", "bits"}, {"flags", "bits"},   {"bcd", "bcd16"},      {"int", "i16"}}};
  const std::string form = in_small_letters(tidied(text));
  const std::string word = bare_word(form);
  if (data_type_from(form)) return unless_same(form, text);
  if (const auto known = word_for(names, word)) {
    // languages differ in what these are
    const bool certain = word != "int" && word != "long" && word != "ulong" && word != "bcd";
    return Meant{std::string(*known), certain};
  }
  for (const std::string_view head : {"string", "text", "ascii", "char"}) {
    if (!word.starts_with(head)) continue;
    const std::string right = fmt::format("text({})", word.substr(head.size()));
    if (data_type_from(right)) return Meant{right, true};
  }
  return std::nullopt;
}

std::optional<Meant> meant_access(std::string_view text) {
  static constexpr std::array<Word, 16> names{{{"r", "r"},
                                               {"ro", "r"},
                                               {"read", "r"},
                                               {"readonly", "r"},
                                               {"w", "w"},
                                               {"wo", "w"},
                                               {"write", "w"},
                                               {"writeonly", "w"},
                                               {"rw", "rw"},
                                               {"wr", "rw"},
                                               {"readwrite", "rw"},
                                               {"writeread", "rw"},
                                               {"randw", "rw"},
                                               {"full", "rw"},
                                               {"rdwr", "rw"},
                                               {"readandwrite", "rw"}}};
  const auto known = word_for(names, bare_word(tidied(text)));
  if (!known) return std::nullopt;
  return unless_same(std::string(*known), text);
}

std::optional<Meant> meant_area(std::string_view text) {
  static constexpr std::array<Word, 32> names{{{"hr", "hr"},
                                               {"holding", "hr"},
                                               {"holdings", "hr"},
                                               {"holdingregister", "hr"},
                                               {"holdingregisters", "hr"},
                                               {"4x", "hr"},
                                               {"4xxxx", "hr"},
                                               {"4xxxxx", "hr"},
                                               {"hreg", "hr"},
                                               {"ir", "ir"},
                                               {"inputregister", "ir"},
                                               {"inputregisters", "ir"},
                                               {"3x", "ir"},
                                               {"3xxxx", "ir"},
                                               {"3xxxxx", "ir"},
                                               {"ireg", "ir"},
                                               {"co", "co"},
                                               {"coil", "co"},
                                               {"coils", "co"},
                                               {"0x", "co"},
                                               {"0xxxx", "co"},
                                               {"0xxxxx", "co"},
                                               {"di", "di"},
                                               {"discrete", "di"},
                                               {"discreteinput", "di"},
                                               {"discreteinputs", "di"},
                                               {"1x", "di"},
                                               {"1xxxx", "di"},
                                               {"1xxxxx", "di"},
                                               {"inputstatus", "di"},
                                               {"coilstatus", "co"},
                                               {"input", "ir"}}};
  const std::string word = bare_word(tidied(text));
  const auto known = word_for(names, word);
  if (!known) return std::nullopt;
  return unless_same(std::string(*known), text, word != "input");
}

std::optional<Meant> meant_address(std::string_view text) {
  // "000A": what begins with a digit and has letters of hexadecimal numbers alone is one
  const bool is_hex =
      std::all_of(text.begin(), text.end(), [](char c) { return hex_digit_value(c).has_value(); });
  if (is_hex && !text.empty() && is_digit(text.front()) && !all_digits(text)) {
    const std::string hex = "0x" + std::string(text);
    if (read_address({hex, true}, Numbering::from_0)) return Meant{hex, true};
  }
  std::string form = tidied(text);
  const std::size_t head = form.find(':') == std::string::npos ? 0 : form.find(':') + 1;
  bool digits = false;
  for (std::size_t i = head; i < form.size(); ++i) {
    digits = digits || is_digit(form[i]);
    if (form[i] == 'o' || form[i] == 'O') form[i] = '0';
    if (form[i] == 'l' || form[i] == 'I') form[i] = '1';
  }
  if (!digits || !read_address({form, true}, Numbering::from_0)) return std::nullopt;
  // what the number then means is another question
  return unless_same(std::move(form), text, false);
}

std::optional<Meant> meant_format(std::string_view text) {
  std::string word = bare_word(tidied(text));
  for (const auto& [name, letter] :
       {Word{"none", "n"}, Word{"no", "n"}, Word{"even", "e"}, Word{"odd", "o"}}) {
    const std::size_t at = word.find(name);
    if (at == std::string::npos) continue;
    word.replace(at, name.size(), letter);
    break;
  }
  if (word.size() != 3) return std::nullopt;
  // "e81" for "8e1"
  if (is_letter(word[0])) std::swap(word[0], word[1]);
  for (char& c : word) {
    if (is_letter(c)) c = static_cast<char>(c - 'a' + 'A');
  }
  if (!character_format_from(word)) return std::nullopt;
  return unless_same(word, text);
}

std::optional<Meant> meant_word_order(std::string_view text) {
  static constexpr std::array<Word, 11> names{{{"bigendian", "ABCD"},
                                               {"big", "ABCD"},
                                               {"msb", "ABCD"},
                                               {"msw", "ABCD"},
                                               {"wordswap", "CDAB"},
                                               {"wordswapped", "CDAB"},
                                               {"lsw", "CDAB"},
                                               {"byteswap", "BADC"},
                                               {"byteswapped", "BADC"},
                                               {"littleendian", "DCBA"},
                                               {"little", "DCBA"}}};
  const std::string word = bare_word(tidied(text));
  if (const auto known = word_for(names, word)) return Meant{std::string(*known), false};
  static constexpr std::array<Word, 8> digits{{{"1234", "ABCD"},
                                               {"3412", "CDAB"},
                                               {"2143", "BADC"},
                                               {"4321", "DCBA"},
                                               {"0123", "ABCD"},
                                               {"2301", "CDAB"},
                                               {"1032", "BADC"},
                                               {"3210", "DCBA"}}};
  if (const auto known = word_for(digits, word)) return Meant{std::string(*known), true};
  std::string upper = word;
  for (char& c : upper) {
    if (is_letter(c)) c = static_cast<char>(c - 'a' + 'A');
  }
  if (word_order_from(upper)) return unless_same(upper, text);
  return std::nullopt;
}

}  // namespace greymet::model
