#include "iec_values.h"

#include <cmath>

#include <fmt/format.h>

#include "iec_program.h"

namespace greymet::exports {

using model::DataType;
using model::TypeKind;

namespace {

// What a type is on its way: a number of so many bits, in a variable of this elementary type.
struct Carried {
  std::string_view type;  // of the raw value
  int bits = 16;
  std::string_view least = "0";  // of the raw value
  std::string_view most = "0";
};

Carried carried(TypeKind kind) {
  switch (kind) {
    case TypeKind::boolean: return {"BOOL", 16, "0", "0"};
    case TypeKind::u16: return {"UINT", 16, "0", "65535"};
    case TypeKind::i16: return {"INT", 16, "-32768", "32767"};
    case TypeKind::u32: return {"UDINT", 32, "0", "4294967295"};
    case TypeKind::i32: return {"DINT", 32, "-2147483648", "2147483647"};
    case TypeKind::u64: return {"ULINT", 64, "0", "18446744073709551615"};
    case TypeKind::i64: return {"LINT", 64, "-9223372036854775808", "9223372036854775807"};
    case TypeKind::f32: return {"REAL", 32, "0", "0"};
    case TypeKind::f64: return {"LREAL", 64, "0", "0"};
    case TypeKind::bcd16: return {"UDINT", 16, "0", "9999"};
    case TypeKind::bcd32: return {"UDINT", 32, "0", "99999999"};
    case TypeKind::bits: return {"WORD", 16, "0", "0"};
    case TypeKind::text: break;
  }
  return {"STRING", 16, "0", "0"};
}

bool is_real(TypeKind kind) {
  return kind == TypeKind::f32 || kind == TypeKind::f64;
}
bool is_bcd(TypeKind kind) {
  return kind == TypeKind::bcd16 || kind == TypeKind::bcd32;
}
// A type that holds the raw numbers, and the scale as a literal.
std::string scaled_type(const Carried& raw, const Scale& scale) {
  const auto fits = [](double value) {
    constexpr double least = 1.17549435e-38;
    constexpr double most = 3.4028235e38;
    return value == 0 || (std::abs(value) >= least && std::abs(value) <= most);
  };
  const bool is_short = raw.bits == 16 || raw.type == "REAL";
  return is_short && fits(scale.factor) && fits(scale.offset) ? "REAL" : "LREAL";
}

// Without an effect where what was given is no number: the device keeps what it has.
std::string if_number(const std::string& name, const std::string& statements) {
  std::string text = fmt::format("    IF {0} = {0} THEN\n", name);
  std::size_t at = 0;
  while (at < statements.size()) {
    const std::size_t end = statements.find('\n', at) + 1;
    text += "  " + statements.substr(at, end - at);
    at = end;
  }
  return text + "    END_IF;\n";
}

ValueText decoded_text(const std::string& name, const ValueForm& form, const RawPlace& place) {
  const std::uint32_t characters = form.type.characters;
  ValueText out;
  out.statements = fmt::format("    {} := '';\n", name);
  for (std::size_t i = 0; i < place.words.size(); ++i) {
    std::string word = fmt::format("GM_TEXT_WORD({}, {})", place.words[i], form.order);
    if (2 * i + 1 == characters) word = fmt::format("{} AND 16#FF00", word);
    out.statements += fmt::format("    {0} := CONCAT({0}, GM_CHARACTERS({1}));\n", name, word);
  }
  out.statements += fmt::format("    {0} := GM_TRIMMED({0});\n", name);
  return out;
}

ValueText encoded_text(const std::string& name, const ValueForm& form, const RawPlace& place) {
  ValueText out;
  for (std::size_t i = 0; i < place.words.size(); ++i) {
    std::string word = fmt::format("SHL(GM_CODE({}, {}), 8)", name, 2 * i + 1);
    if (2 * i + 2 <= form.type.characters) {
      word += fmt::format(" OR GM_CODE({}, {})", name, 2 * i + 2);
    }
    out.statements +=
        fmt::format("    {} := GM_TEXT_WORD({}, {});\n", place.words[i], word, form.order);
  }
  return out;
}

// The raw number as an expression of its own type.
std::string raw_number(const ValueForm& form, const Carried& raw, const std::string& bits) {
  const std::string holder = raw.bits == 16 ? "WORD" : raw.bits == 32 ? "DWORD" : "LWORD";
  if (is_real(form.type.kind)) return fmt::format("GM_{}({})", raw.type, bits);
  if (is_bcd(form.type.kind)) return fmt::format("GM_FROM_BCD({})", bits);
  if (form.type.kind == TypeKind::bits) return bits;
  return fmt::format("{}_TO_{}({})", holder, raw.type, bits);
}

// A number that its factor would make infinite is none, either. Empty where none can be.
std::string overflow_condition(const ValueForm& form, const Carried& raw, const std::string& bits,
                               const std::string& type) {
  const double factor = std::abs(form.scale.factor);
  if (!is_real(form.type.kind) || type != raw.type || factor <= 1) return {};
  const double largest = type == "REAL" ? 3.4028234e38 : 1.7976931348623157e308;
  return fmt::format(" AND (ABS(GM_{}({})) <= {})", raw.type, bits,
                     iec_real(type, largest / factor));
}

}  // namespace

std::string RawPlace::condition() const {
  if (!bit) return words.front();
  return fmt::format("(({} AND 16#{:04X}) <> 16#0000)", words.front(), 1U << *bit);
}

std::string RawPlace::set_text(const std::string& expression, const std::string& indent) const {
  if (!bit) return fmt::format("{}{} := {};\n", indent, words.front(), expression);
  return fmt::format(
      "{0}IF {1} THEN\n{0}  {2} := {2} OR 16#{3:04X};\n{0}ELSE\n{0}  {2} := {2} AND 16#{4:04X};\n"
      "{0}END_IF;\n",
      indent, expression, words.front(), 1U << *bit, 0xFFFFU & ~(1U << *bit));
}

std::string type_of(const ValueForm& form) {
  const Carried raw = carried(form.type.kind);
  if (form.type.kind == TypeKind::text) return fmt::format("STRING[{}]", form.type.characters);
  const bool number = form.type.kind != TypeKind::boolean && form.type.kind != TypeKind::bits;
  if (number && form.scale.is_some()) return scaled_type(raw, form.scale);
  return std::string(raw.type);
}

std::string zero_of(const std::string& type) {
  if (type == "BOOL") return "FALSE";
  if (type.starts_with("STRING")) return "''";
  return type == "REAL" || type == "LREAL" ? type + "#0.0" : "0";
}

std::string order_number(model::WordOrder order) {
  return fmt::format("{}", static_cast<int>(order) + 1);
}

ValueText decoding(const std::string& name, const ValueForm& form, const RawPlace& place,
                   const std::string& no_number) {
  const TypeKind kind = form.type.kind;
  if (kind == TypeKind::text) return decoded_text(name, form, place);
  if (kind == TypeKind::boolean) {
    return {fmt::format("    {} := {};\n", name, place.condition()), false, false, false};
  }
  const Carried raw = carried(kind);
  const std::vector<std::string>& words = place.words;
  ValueText out;
  std::string bits = words.front();
  if (raw.bits == 32 || is_bcd(kind)) {
    bits = "bits32";
    out.uses_bits32 = true;
    out.statements +=
        words.size() == 1
            ? fmt::format("    bits32 := WORD_TO_DWORD({});\n", words[0])
            : fmt::format("    bits32 := GM_DWORD({}, {}, {});\n", words[0], words[1], form.order);
  } else if (raw.bits == 64) {
    bits = "bits64";
    out.uses_bits64 = true;
    out.statements +=
        fmt::format("    bits64 := GM_LWORD({}, {});\n", fmt::join(words, ", "), form.order);
  }
  std::string value = raw_number(form, raw, bits);
  const std::string type = type_of(form);
  if (form.scale.is_some() && kind != TypeKind::bits) {
    if (type != raw.type) value = fmt::format("{}_TO_{}({})", raw.type, type, value);
    if (form.scale.factor != 1) value += " * " + iec_real(type, form.scale.factor);
    if (form.scale.offset != 0) value += " + " + iec_real(type, form.scale.offset);
  }
  if (!is_real(kind) && !is_bcd(kind)) {
    out.statements += fmt::format("    {} := {};\n", name, value);
    return out;
  }
  out.may_be_no_number = true;
  const std::string too_large = overflow_condition(form, raw, bits, type);
  out.statements += fmt::format(
      "    IF {}({}){} THEN\n      {} := {};\n    ELSE\n      {} := TRUE;\n    END_IF;\n",
      is_bcd(kind) ? std::string("GM_IS_BCD") : fmt::format("GM_IS_{}", raw.type), bits, too_large,
      name, value, no_number);
  return out;
}

ValueText encoding(const std::string& name, const ValueForm& form, const RawPlace& place) {
  const TypeKind kind = form.type.kind;
  if (kind == TypeKind::text) return encoded_text(name, form, place);
  if (kind == TypeKind::boolean) return {place.set_text(name, "    "), false, false, false};
  const Carried raw = carried(kind);
  const std::string type = type_of(form);
  std::string value = name;
  if (form.scale.is_some() && kind != TypeKind::bits) {
    if (form.scale.offset != 0)
      value = fmt::format("({} - {})", value, iec_real(type, form.scale.offset));
    if (form.scale.factor != 1) value += " / " + iec_real(type, form.scale.factor);
    if (is_bcd(kind)) {
      value =
          fmt::format("LIMIT({}, GM_{}_{}({}), {})", raw.least, type, raw.type, value, raw.most);
    } else if (!is_real(kind)) {
      value = fmt::format("GM_{}_{}({})", type, raw.type, value);
    }
  } else if (is_bcd(kind)) {
    value = fmt::format("LIMIT({}, {}, {})", raw.least, name, raw.most);
  }
  const std::string holder = raw.bits == 16 ? "WORD" : raw.bits == 32 ? "DWORD" : "LWORD";
  std::string bits;
  if (is_real(kind)) {
    const std::string largest =
        raw.type == "REAL" ? "REAL#3.4028235E38" : "LREAL#1.7976931348623157E308";
    const std::string lowest =
        raw.type == "REAL" ? "REAL#-3.4028235E38" : "LREAL#-1.7976931348623157E308";
    if (type != raw.type) {  // of a scale that only the longer type holds
      value =
          fmt::format("LREAL_TO_REAL(LIMIT(LREAL#-3.4028234E38, {}, LREAL#3.4028234E38))", value);
    } else {
      value = fmt::format("LIMIT({}, {}, {})", lowest, value, largest);
    }
    bits = fmt::format("GM_{}_BITS({})", raw.type, value);
  } else if (is_bcd(kind)) {
    bits = fmt::format("GM_TO_BCD({})", value);
    if (raw.bits == 16) bits = fmt::format("DWORD_TO_WORD({})", bits);
  } else if (kind == TypeKind::bits) {
    bits = value;
  } else {
    bits = fmt::format("{}_TO_{}({})", raw.type, holder, value);
  }
  ValueText out;
  const bool given_as_real = is_real(kind) || type == "REAL" || type == "LREAL";
  if (raw.bits == 16) {
    out.statements = fmt::format("    {} := {};\n", place.words.front(), bits);
    if (given_as_real) out.statements = if_number(name, out.statements);
    return out;
  }
  (raw.bits == 32 ? out.uses_bits32 : out.uses_bits64) = true;
  const std::string temporary = raw.bits == 32 ? "bits32" : "bits64";
  out.statements = fmt::format("    {} := {};\n", temporary, bits);
  for (std::size_t i = 0; i < place.words.size(); ++i) {
    out.statements += fmt::format("    {} := GM_WORD_OF_{}({}, {}, {});\n", place.words[i], holder,
                                  temporary, i + 1, form.order);
  }
  if (given_as_real) out.statements = if_number(name, out.statements);
  return out;
}

}  // namespace greymet::exports
