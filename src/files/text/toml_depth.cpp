#include "toml_depth.h"

#include <algorithm>
#include <vector>

namespace greymet::files::internal {
namespace {

// The byte behind the string that begins at `at`: basic or literal, on one line or on several.
std::size_t behind_string(std::string_view text, std::size_t at) {
  const char quote = text[at];
  const std::string_view three = quote == '"' ? "\"\"\"" : "'''";
  const bool several = text.substr(at).starts_with(three);
  std::size_t i = at + (several ? 3 : 1);
  while (i < text.size()) {
    if (quote == '"' && text[i] == '\\') {
      i += 2;
    } else if (several && text.substr(i).starts_with(three)) {
      i += 3;
      // up to two quotes may stand in front of the closing three
      while (i < text.size() && text[i] == quote) ++i;
      return i;
    } else if (!several && (text[i] == quote || text[i] == '\n')) {
      return i + 1;
    } else {
      ++i;
    }
  }
  return text.size();
}

}  // namespace

std::optional<Excess> beyond_limits(std::string_view text) {
  std::vector<std::size_t> open;  // what each bracket that is open adds
  std::size_t header = 0;         // parts of the table the pairs belong to
  std::size_t base = 0;           // sum of `open`
  std::size_t dots = 0;           // of the key that is being read
  std::size_t commas = 0;
  std::size_t parts = 0;  // of keys, and brackets
  bool at_line_start = true;
  bool in_header = false;
  for (std::size_t i = 0; i < text.size();) {
    const char c = text[i];
    if (c == '#') {
      i = std::min(text.find('\n', i), text.size());
      continue;
    }
    if (c == '"' || c == '\'') {
      at_line_start = false;
      i = behind_string(text, i);
      continue;
    }
    if (c == ',') ++commas;
    if (c == '=' || c == '.' || c == '[' || c == '{') ++parts;
    if (std::max(commas, parts) > most_parts) return Excess{i, Excess::Of::parts};
    if (c == '\n' || c == ',') {
      dots = 0;
      if (c == '\n' && (open.empty() || in_header)) {
        at_line_start = true;
        in_header = false;
        open.clear();
        base = 0;
      }
    } else if (c == '[' || c == '{') {
      if (c == '[' && at_line_start && open.empty()) {
        in_header = true;
        header = 0;
      }
      open.push_back(dots + 1);
      base += dots + 1;
      dots = 0;
    } else if ((c == ']' || c == '}') && !open.empty()) {
      if (in_header) header = std::max(header, base + dots);
      base -= open.back();
      open.pop_back();
      dots = 0;
    } else if (c == '.') {
      ++dots;
    }
    if (c != ' ' && c != '\t' && c != '\r' && c != '\n') at_line_start = false;
    if (header + base + dots > deepest_nesting) return Excess{i, Excess::Of::nesting};
    ++i;
  }
  return std::nullopt;
}

}  // namespace greymet::files::internal
