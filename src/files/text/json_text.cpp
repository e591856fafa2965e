#include "files/json_text.h"

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

}  // namespace greymet::files
