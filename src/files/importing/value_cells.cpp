#include "value_cells.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {

using model::DataType;
using model::is_digit;
using model::is_letter;
using model::TypeKind;

std::string tidy(std::string_view text) {
  const auto plain = model::without_typography(text);
  return std::string(model::trimmed(plain ? std::string_view(*plain) : text));
}

// Letters and digits in small letters, apart.
std::vector<std::string> tokens_of(std::string_view text) {
  std::vector<std::string> out;
  char kind = ' ';
  for (const char c : model::in_small_letters(text)) {
    const char now = is_letter(c) ? 'a' : is_digit(c) ? '0' : ' ';
    if (now != ' ') {
      if (now != kind) out.emplace_back();
      out.back() += c;
    }
    kind = now;
  }
  return out;
}

bool has(const std::vector<std::string>& tokens, std::initializer_list<std::string_view> words) {
  return std::any_of(tokens.begin(), tokens.end(), [&](const std::string& token) {
    return std::find(words.begin(), words.end(), token) != words.end();
  });
}

std::optional<double> number_of(std::string_view text) {
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  const bool good = !text.empty() && error == std::errc() && end == text.data() + text.size();
  return good && std::isfinite(value) ? std::optional(value) : std::nullopt;
}

// A number as a map writes it: "0,5" is 0.5. Nothing where it may be two numbers.
std::optional<std::string> plain_number(std::string_view text) {
  if (number_of(text)) return std::string(text);
  const auto meant = model::meant_number(text);
  if (!meant || !meant->certain || !number_of(meant->text)) return std::nullopt;
  return meant->text;
}

std::optional<DataType> typed(TypeKind kind, std::uint32_t characters = 0) {
  return DataType{kind, characters};
}

// "string 8", "ascii 16 bytes", "8 char": characters.
std::optional<std::uint32_t> characters_in(const std::vector<std::string>& tokens, bool registers) {
  for (const std::string& token : tokens) {
    if (!model::all_digits(token) || token.size() > 3) continue;
    const auto number = static_cast<std::uint32_t>(std::stoul(token));
    return registers ? 2 * number : number;
  }
  return std::nullopt;
}

}  // namespace

std::optional<TypeCell> type_cell_from(std::string_view given) {
  using Family = TypeCell::Family;
  TypeCell out;
  const std::string text = tidy(given);
  if (text.empty()) return std::nullopt;
  out.type = model::data_type_from(text);
  if (out.type) return out;
  const std::string word = model::bare_word(text);
  const std::vector<std::string> tokens = tokens_of(text);
  // "BIT 3 of 40012", "Bit 3", "bool.3"
  if (!tokens.empty() && (tokens[0] == "bit" || tokens[0] == "bool") && tokens.size() >= 2 &&
      model::all_digits(tokens[1]) && tokens[1].size() < 3 && std::stoul(tokens[1]) < 16 &&
      word != "bit1") {
    out.type = typed(TypeKind::boolean);
    out.bit = static_cast<std::uint32_t>(std::stoul(tokens[1]));
    for (const std::string_view of : {" of ", " in ", " von "}) {
      const std::size_t at = model::in_small_letters(text).find(of);
      if (at != std::string::npos) out.address = text.substr(at + of.size());
    }
    return out;
  }
  const auto meant = model::meant_type(text);
  out.is_int = word == "int" || word == "integer" || word == "signedint" || word == "ganzzahl";
  if (meant && meant->certain) {
    out.type = model::data_type_from(meant->text);
    return out;
  }
  if (out.is_int) {
    out.family = Family::whole_signed;
    return out;
  }
  // "16 bit unsigned integer", "unsigned 32", "float (32 bit)", "2-byte signed", "vorzeichenlos"
  const bool text_like = has(tokens, {"string", "ascii", "char", "text", "str", "zeichenkette",
                                      "zeichen", "chars", "vstring"});
  if (text_like) {
    const bool registers = has(tokens, {"register", "registers", "words", "word"});
    if (const auto characters = characters_in(tokens, registers);
        characters && *characters <= 250 && *characters > 0) {
      out.type = typed(TypeKind::text, *characters);
    } else {
      out.family = Family::text;
    }
    return out;
  }
  const bool real = has(tokens, {"float", "real", "floating", "ieee", "gleitkomma", "fliesskomma",
                                 "flt", "single", "double"});
  const bool bcd = has(tokens, {"bcd"});
  const bool is_unsigned = has(tokens, {"unsigned", "uint", "u", "vorzeichenlos", "uns", "usigned",
                                        "uinteger", "ui", "word", "dword"}) ||
                           word.find("unsigned") != std::string::npos ||
                           word.find("ohnevorzeichen") != std::string::npos;
  const bool is_signed =
      !is_unsigned && (has(tokens, {"signed", "sint", "s", "i", "vorzeichenbehaftet", "sgn"}) ||
                       word.find("mitvorzeichen") != std::string::npos ||
                       word.find("twoscomplement") != std::string::npos);
  const bool whole = has(tokens, {"int", "integer", "ganzzahl", "number", "long", "short",
                                  "register", "reg", "bit", "bits", "byte", "bytes"});
  if (has(tokens, {"boolean", "bool", "switch", "flag", "onoff"})) {
    out.type = typed(TypeKind::boolean);
    return out;
  }
  if (has(tokens, {"bitfield", "bitmask", "bitmap", "flags", "bitstring", "bitfeld"}) &&
      !has(tokens, {"32", "64"})) {
    out.type = typed(TypeKind::bits);
    return out;
  }
  out.family = real          ? Family::real
               : bcd         ? Family::bcd
               : is_unsigned ? Family::whole_unsigned
               : is_signed   ? Family::whole_signed
               : whole       ? Family::whole
                             : Family::none;
  if (out.family == Family::none) return std::nullopt;
  std::optional<Length> length;
  for (std::size_t i = 0; i < tokens.size(); ++i) {
    if (!model::all_digits(tokens[i]) || tokens[i].size() > 2) continue;
    const auto number = static_cast<std::uint32_t>(std::stoul(tokens[i]));
    const std::string next = i + 1 < tokens.size() ? tokens[i + 1] : "";
    if (next == "byte" || next == "bytes") length = {number, Counted::bytes};
    if (next == "register" || next == "registers" || next == "reg" || next == "words")
      length = {number, Counted::registers};
    if (!length && (number == 16 || number == 32 || number == 64 || number == 8))
      length = {number, Counted::bits};
  }
  if (length) {
    if (const auto type = type_of_length(out, *length)) {
      out.type = type;
    } else if (out.family == Family::whole) {
      out.type = std::nullopt;  // with or without a sign: not said
    }
  }
  if (!out.type && meant && meant->text == "bcd16") out.family = Family::bcd;
  return out;
}

std::optional<Length> length_from(std::string_view given, Counted heading) {
  const std::vector<std::string> tokens = tokens_of(tidy(given));
  if (tokens.empty() || !model::all_digits(tokens[0]) || tokens[0].size() > 4) return std::nullopt;
  Length out{static_cast<std::uint32_t>(std::stoul(tokens[0])), heading};
  if (has(tokens, {"word", "words", "register", "registers", "reg", "regs", "worte", "w"}))
    out.counted = Counted::registers;
  if (has(tokens, {"byte", "bytes"})) out.counted = Counted::bytes;
  if (has(tokens, {"bit", "bits"})) out.counted = Counted::bits;
  return out.number == 0 ? std::nullopt : std::optional(out);
}

std::optional<std::uint32_t> registers_of_length(const Length& length) {
  switch (length.counted) {
    case Counted::registers: return length.number;
    case Counted::bytes:
      return length.number % 2 == 0 ? std::optional(length.number / 2) : std::nullopt;
    case Counted::bits:
      return length.number % 16 == 0 ? std::optional(length.number / 16) : std::nullopt;
    case Counted::unsaid: break;
  }
  if (length.number >= 16 && length.number % 16 == 0) return length.number / 16;  // bits
  return length.number == 1 ? std::optional(length.number) : std::nullopt;
}

std::optional<DataType> type_of_length(const TypeCell& cell, const Length& length) {
  using Family = TypeCell::Family;
  std::optional<std::uint32_t> registers = registers_of_length(length);
  // no real number is two bytes long
  const bool of_registers =
      cell.family == Family::real && length.counted == Counted::unsaid && length.number == 2;
  if (of_registers) registers = 2;
  if (!registers) return std::nullopt;
  const auto pick = [&](TypeKind one, TypeKind two, TypeKind four) -> std::optional<DataType> {
    if (*registers == 1) return typed(one);
    if (*registers == 2) return typed(two);
    if (*registers == 4) return typed(four);
    return std::nullopt;
  };
  switch (cell.family) {
    case Family::whole:
    case Family::none: return std::nullopt;
    case Family::whole_unsigned: return pick(TypeKind::u16, TypeKind::u32, TypeKind::u64);
    case Family::whole_signed: return pick(TypeKind::i16, TypeKind::i32, TypeKind::i64);
    case Family::real:
      return *registers == 2   ? typed(TypeKind::f32)
             : *registers == 4 ? typed(TypeKind::f64)
                               : std::nullopt;
    case Family::bcd:
      return *registers == 1   ? typed(TypeKind::bcd16)
             : *registers == 2 ? typed(TypeKind::bcd32)
                               : std::nullopt;
    case Family::text:
      return *registers <= 125 ? typed(TypeKind::text, 2 * *registers) : std::nullopt;
  }
  return std::nullopt;
}

std::optional<DataType> unsigned_of(const Length& length) {
  if (length.counted == Counted::bits && length.number == 1) return typed(TypeKind::boolean);
  return type_of_length({{}, TypeCell::Family::whole_unsigned, false, {}, {}}, length);
}

std::string power_of_ten(int exponent) {
  if (exponent >= 0) return "1" + std::string(static_cast<std::size_t>(exponent), '0');
  return "0." + std::string(static_cast<std::size_t>(-exponent - 1), '0') + "1";
}

std::optional<std::string> inverse_of(const std::string& number) {
  const auto value = number_of(number);
  if (!value || *value == 0) return std::nullopt;
  return fmt::format("{:.15g}", 1 / *value);
}

std::optional<ScaleCell> scale_cell_from(std::string_view given) {
  ScaleCell out;
  std::string text = tidy(given);
  // "0.1 °C/digit", "0.1 A/bit"
  const std::string small = model::in_small_letters(text);
  for (const std::string_view tail : {"/digit", "/bit", "/lsb", "/step", "/count", "per digit",
                                      "per bit", "/inc", " per count"}) {
    if (!small.ends_with(tail)) continue;
    text.resize(text.size() - tail.size());
    text = std::string(model::trimmed(text));
    out.is_plain = false;
    break;
  }
  bool divide = false;
  std::string_view rest = text;
  for (const std::string_view sign : {"x", "X", "*", "\xC3\x97", "/", ":", "\xC3\xB7", "= ", "="}) {
    if (!rest.starts_with(sign) || rest.size() == sign.size()) continue;
    rest.remove_prefix(sign.size());
    rest = model::trimmed(rest);
    divide = sign == "/" || sign == ":" || sign == "\xC3\xB7";
    out.is_plain = out.is_plain && sign.starts_with('=');
    break;
  }
  std::size_t end = 0;
  while (end < rest.size() && (is_digit(rest[end]) || rest[end] == '.' || rest[end] == ',' ||
                               (end == 0 && (rest[end] == '-' || rest[end] == '+')))) {
    ++end;
  }
  // "1E-3"
  if (end > 0 && end + 1 < rest.size() && (rest[end] == 'e' || rest[end] == 'E') &&
      (is_digit(rest[end + 1]) || rest[end + 1] == '-')) {
    std::size_t stop = end + 2;
    while (stop < rest.size() && is_digit(rest[stop])) ++stop;
    end = stop;
  }
  if (end == 0) return std::nullopt;
  auto number = plain_number(rest.substr(0, end));
  if (!number) return std::nullopt;
  rest = model::trimmed(rest.substr(end));
  if (rest.starts_with('^') && (*number == "10")) {
    const auto power = number_of(rest.substr(1));
    if (!power || std::abs(*power) > 12 || *power != std::floor(*power)) return std::nullopt;
    number = power_of_ten(static_cast<int>(*power));
    out.is_plain = false;
    rest = {};
  } else if (rest.starts_with('/') && rest.size() > 1 &&
             is_digit(model::trimmed(rest.substr(1)).empty() ? 'x'
                                                             : model::trimmed(rest.substr(1))[0])) {
    // "1/10", "1/10 °C"
    rest = model::trimmed(rest.substr(1));
    std::size_t stop = 0;
    while (stop < rest.size() && (is_digit(rest[stop]) || rest[stop] == '.')) ++stop;
    const auto above = number_of(*number);
    const auto below = number_of(rest.substr(0, stop));
    if (!above || !below || *below == 0) return std::nullopt;
    number = fmt::format("{:.15g}", *above / *below);
    out.is_plain = false;
    rest = model::trimmed(rest.substr(stop));
  }
  if (rest.starts_with('/')) return std::nullopt;  // "1/min" is a unit
  if (divide) {
    const auto inverse = inverse_of(*number);
    if (!inverse) return std::nullopt;
    number = *inverse;
  }
  const auto value = number_of(*number);
  if (!value) return std::nullopt;
  out.is_power = out.is_plain && *value < 0 && *value == std::floor(*value);
  out.factor = fmt::format("{:.15g}", *value);
  if (!rest.empty()) {
    // a unit: no digits, not long
    constexpr std::size_t longest_unit = 12;
    const bool fits =
        rest.size() <= longest_unit && rest.find_first_of("0123456789=;") == std::string_view::npos;
    const bool cubic = rest == "m3" || rest == "m3/h" || rest == "m2" || rest == "m3/s";
    if (!fits && !cubic) return std::nullopt;
    out.unit = std::string(rest);
    out.is_plain = false;
  }
  return out;
}

std::optional<RangeCell> range_cell_from(std::string_view given) {
  const std::string text = tidy(given);
  for (const std::string_view sign : {"...", "..", " to ", " bis ", "~", " - ", "-", "/"}) {
    // a minus at the front is a sign
    const std::size_t at = text.find(sign, 1);
    if (at == std::string::npos) continue;
    std::string_view low = model::trimmed(std::string_view(text).substr(0, at));
    std::string_view high = model::trimmed(std::string_view(text).substr(at + sign.size()));
    // "0..100 °C": the unit stands elsewhere
    std::size_t end = high.find_first_not_of("+-.,0123456789");
    if (end != std::string_view::npos && end > 0) high = model::trimmed(high.substr(0, end));
    if (low.starts_with('+')) low.remove_prefix(1);
    if (high.starts_with('+')) high.remove_prefix(1);
    const auto min = plain_number(low);
    const auto max = plain_number(high);
    if (!min || !max || *number_of(*min) > *number_of(*max)) continue;
    return RangeCell{*min, *max};
  }
  return std::nullopt;
}

std::vector<int> functions_from(std::string_view given) {
  static constexpr std::array<int, 10> known{1, 2, 3, 4, 5, 6, 15, 16, 22, 23};
  std::vector<int> out;
  const std::string text = model::in_small_letters(tidy(given));
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (!is_digit(text[i])) continue;
    std::size_t end = i;
    bool hexadecimal = false;
    if (text[i] == '0' && i + 1 < text.size() && text[i + 1] == 'x') {
      hexadecimal = true;
      i += 2;
      end = i;
    }
    while (end < text.size() &&
           (hexadecimal ? model::hex_digit_value(text[end]).has_value() : is_digit(text[end])))
      ++end;
    int number = 0;
    const std::string digits = text.substr(i, end - i);
    // "10h" is 16
    hexadecimal = hexadecimal || (end < text.size() && text[end] == 'h');
    std::from_chars(digits.data(), digits.data() + digits.size(), number, hexadecimal ? 16 : 10);
    if (std::find(known.begin(), known.end(), number) == known.end()) return {};
    out.push_back(number);
    i = end;
  }
  return out;
}

AreaByFunctions area_by_functions(const std::vector<int>& functions) {
  using model::Area;
  AreaByFunctions out;
  bool reads = false;
  bool writes = false;
  const auto add = [&](Area area) {
    if (out.area && *out.area != area) out.several = true;
    if (!out.area || area == Area::holding_register) out.area = area;
  };
  for (const int function : functions) {
    switch (function) {
      case 1:
        add(Area::coil);
        reads = true;
        break;
      case 2:
        add(Area::discrete_input);
        reads = true;
        break;
      case 3:
        add(Area::holding_register);
        reads = true;
        break;
      case 4:
        add(Area::input_register);
        reads = true;
        break;
      case 5:
      case 15:
        add(Area::coil);
        writes = true;
        break;
      case 6:
      case 16:
      case 22:
        add(Area::holding_register);
        writes = true;
        break;
      case 23:
        add(Area::holding_register);
        reads = writes = true;
        break;
      default: break;
    }
  }
  out.access = reads && writes ? "rw" : writes ? "w" : reads ? "r" : "";
  return out;
}

std::optional<model::Area> area_cell_from(std::string_view given, bool of_bits) {
  using model::Area;
  const std::string text = tidy(given);
  if (const auto area = model::area_from(text)) return area;
  const auto meant = model::meant_area(text);
  if (meant && meant->certain) return model::area_from(meant->text);
  const std::string word = model::bare_word(text);
  if (word == "input" || word == "inputs" || word == "eingang" || word == "eingaenge") {
    return of_bits ? Area::discrete_input : Area::input_register;
  }
  if (word == "output" || word == "outputs" || word == "ausgang" || word == "spule" ||
      word == "spulen")
    return Area::coil;
  if (word.starts_with("halteregister") || word.starts_with("holding"))
    return Area::holding_register;
  if (word.starts_with("eingangsregister") || word.starts_with("inputreg"))
    return Area::input_register;
  if (word.starts_with("coil")) return Area::coil;
  if (word.starts_with("discrete") || word.starts_with("statusinput") ||
      word.starts_with("diskretereingang"))
    return Area::discrete_input;
  // "Holding Registers (FC03)" was caught above; "FC03" and "3" are functions
  const auto functions = functions_from(text);
  if (!functions.empty()) {
    const auto by = area_by_functions(functions);
    if (!by.several) return by.area;
  }
  return std::nullopt;
}

std::optional<std::string> access_cell_from(std::string_view given) {
  const std::string text = tidy(given);
  if (text == "r" || text == "w" || text == "rw") return text;
  if (const auto meant = model::meant_access(text)) return meant->text;
  const std::string word = model::bare_word(text);
  static constexpr std::array<std::pair<std::string_view, std::string_view>, 14> words{
      {{"lesen", "r"},
       {"l", "r"},
       {"schreiben", "w"},
       {"s", "w"},
       {"ls", "rw"},
       {"lesenschreiben", "rw"},
       {"nurlesen", "r"},
       {"nurschreiben", "w"},
       {"rwp", "rw"},
       {"readable", "r"},
       {"writable", "rw"},
       {"input", "r"},
       {"output", "rw"},
       {"config", "rw"}}};
  for (const auto& [name, access] : words) {
    if (word == name) return std::string(access);
  }
  return std::nullopt;
}

std::string take_unit(std::string& name) {
  // what stands behind a name in brackets, or behind a comma, and is a unit of the trade
  static constexpr std::array<std::string_view, 78> units{{"%",
                                                           "\xC2\xB0"
                                                           "C",
                                                           "\xC2\xB0"
                                                           "F",
                                                           "C",
                                                           "K",
                                                           "V",
                                                           "mV",
                                                           "kV",
                                                           "A",
                                                           "mA",
                                                           "kA",
                                                           "W",
                                                           "kW",
                                                           "MW",
                                                           "VA",
                                                           "kVA",
                                                           "MVA",
                                                           "var",
                                                           "kvar",
                                                           "Mvar",
                                                           "Wh",
                                                           "kWh",
                                                           "MWh",
                                                           "kvarh",
                                                           "kVAh",
                                                           "Hz",
                                                           "rpm",
                                                           "1/min",
                                                           "min-1",
                                                           "s",
                                                           "ms",
                                                           "min",
                                                           "h",
                                                           "d",
                                                           "bar",
                                                           "mbar",
                                                           "Pa",
                                                           "kPa",
                                                           "MPa",
                                                           "hPa",
                                                           "psi",
                                                           "m",
                                                           "mm",
                                                           "cm",
                                                           "km",
                                                           "\xC2\xB5m",
                                                           "m3",
                                                           "m\xC2\xB3",
                                                           "m3/h",
                                                           "m\xC2\xB3/h",
                                                           "l",
                                                           "l/h",
                                                           "l/min",
                                                           "l/s",
                                                           "kg",
                                                           "g",
                                                           "t",
                                                           "kg/h",
                                                           "t/h",
                                                           "g/m3",
                                                           "N",
                                                           "kN",
                                                           "Nm",
                                                           "ppm",
                                                           "pH",
                                                           "\xC2\xB5S/cm",
                                                           "mS/cm",
                                                           "lx",
                                                           "dB",
                                                           "J",
                                                           "kJ",
                                                           "MJ",
                                                           "GJ",
                                                           "m/s",
                                                           "m2",
                                                           "Ohm",
                                                           "degC",
                                                           "%rH"}};
  const auto is_unit = [&](std::string_view text) {
    return std::find(units.begin(), units.end(), text) != units.end();
  };
  const std::string_view text = model::trimmed(name);
  if (text.size() > 3 && (text.ends_with(')') || text.ends_with(']'))) {
    const std::size_t open = text.rfind(text.back() == ')' ? '(' : '[');
    if (open != std::string_view::npos && open > 0) {
      std::string unit(model::trimmed(text.substr(open + 1, text.size() - open - 2)));
      if (is_unit(unit)) {
        name = std::string(model::trimmed(text.substr(0, open)));
        return unit;
      }
    }
  }
  if (const std::size_t comma = text.rfind(','); comma != std::string_view::npos && comma > 0) {
    std::string unit(model::trimmed(text.substr(comma + 1)));
    if (is_unit(unit)) {
      name = std::string(model::trimmed(text.substr(0, comma)));
      return unit;
    }
  }
  return {};
}

}  // namespace greymet::files::internal
