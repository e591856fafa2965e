#include "files/json_text.h"

#include <array>
#include <charconv>
#include <cmath>
#include <cstdlib>

#include <fmt/format.h>

#include "model/utf8_text.h"

namespace greymet::files {

std::string dump(const nlohmann::ordered_json& json) {
  const std::string text =
      json.dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace) + "\n";
  std::string out;
  out.reserve(text.size());
  for (std::size_t at = 0; at < text.size();) {
    std::size_t behind = at;
    const auto code_point = model::decode(text, at, behind);
    // outside of strings there are blanks and line breaks, and no other controls
    const bool hidden = code_point && *code_point != '\n' && model::is_hidden(*code_point);
    if (!hidden) {
      out.append(text, at, behind - at);
    } else if (*code_point < 0x10000) {
      out += fmt::format("\\u{:04X}", *code_point);
    } else {
      const std::uint32_t rest = *code_point - 0x10000;  // RFC 8259, section 7: a surrogate pair
      out += fmt::format("\\u{:04X}\\u{:04X}", 0xD800 + (rest >> 10), 0xDC00 + (rest & 0x3FFU));
    }
    at = behind;
  }
  return out;
}

std::string canonical_number(double value) {
  if (value == 0) return "0";  // -0 too
  std::array<char, 64> buffer{};
  const auto end = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value,
                                 std::chars_format::scientific)
                       .ptr;
  std::string text(buffer.data(), end);
  const std::string sign = text.front() == '-' ? "-" : "";
  text.erase(0, sign.size());
  const std::size_t e = text.find('e');
  const int exponent = std::stoi(text.substr(e + 1));
  std::string digits = text.substr(0, e);
  if (digits.size() > 1) digits.erase(1, 1);  // the point
  const int before_point = exponent + 1;      // digits
  const int count = static_cast<int>(digits.size());
  constexpr int longest = 21;
  constexpr int most_zeros = 6;
  if (before_point >= count && before_point <= longest) {
    return sign + digits + std::string(static_cast<std::size_t>(before_point - count), '0');
  }
  if (before_point > 0 && before_point <= longest) {
    return sign + digits.insert(static_cast<std::size_t>(before_point), ".");
  }
  if (before_point <= 0 && before_point > -most_zeros) {
    return sign + "0." + std::string(static_cast<std::size_t>(-before_point), '0') + digits;
  }
  if (count > 1) digits.insert(1, ".");
  return fmt::format("{}{}e{}{}", sign, digits, exponent < 0 ? '-' : '+', std::abs(exponent));
}

std::string canonical_json(const nlohmann::json& json) {
  const auto text_of = [](const nlohmann::json& value) {
    return value.dump(-1, ' ', false, nlohmann::json::error_handler_t::replace);
  };
  std::string out;
  if (json.is_object()) {
    for (const auto& [key, value] : json.items()) {
      out += (out.empty() ? "" : ",") + text_of(key) + ":" + canonical_json(value);
    }
    return "{" + out + "}";
  }
  if (json.is_array()) {
    for (const nlohmann::json& value : json)
      out += (out.empty() ? "" : ",") + canonical_json(value);
    return "[" + out + "]";
  }
  constexpr std::int64_t exact = std::int64_t{1} << 53;
  const bool is_long = json.is_number_integer() &&
                       (json.get<std::int64_t>() > exact || json.get<std::int64_t>() < -exact);
  return json.is_number_float() || is_long ? canonical_number(json.get<double>()) : text_of(json);
}

}  // namespace greymet::files
