// Names and texts of a plan in Markdown. Not for use outside this folder.
#pragma once

#include <algorithm>
#include <string>
#include <string_view>

#include "model/utf8_text.h"

namespace greymet::editor::internal {

// As code: nothing in it is markup.
[[nodiscard]] inline std::string as_code(std::string_view text) {
  std::string out = model::shown(text);
  std::replace(out.begin(), out.end(), '`', '\'');
  return "`" + out + "`";
}

// As words: what would be markup is escaped.
[[nodiscard]] inline std::string as_words(std::string_view text) {
  std::string out;
  bool in_code = false;
  for (const char c : model::shown(text)) {
    if (c == '`') in_code = !in_code;
    const bool markup = c == '*' || c == '_' || c == '[' || c == ']' || c == '<' || c == '|' ||
                        c == '#' || c == '\\';
    if (markup && !in_code) out += '\\';
    out += c;
  }
  if (in_code) out += '`';
  return out;
}

}  // namespace greymet::editor::internal
