#include "model/toml_text.h"

#include <fmt/format.h>

namespace greymet::model {

std::string toml_string(std::string_view text) {
  std::string out = "\"";
  for (const char c : text) {
    const auto byte = static_cast<unsigned char>(c);
    if (c == '"' || c == '\\') {
      out += '\\';
      out += c;
    } else if (byte < 0x20 || byte == 0x7F) {
      out += fmt::format("\\u{:04X}", byte);
    } else {
      out += c;
    }
  }
  out += '"';
  return out;
}

}  // namespace greymet::model
