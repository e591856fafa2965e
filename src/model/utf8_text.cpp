#include "model/utf8_text.h"

#include <algorithm>

#include <utf8.h>

namespace greymet::model {
namespace {

// The byte behind the code point at `at`.
std::size_t next(std::string_view text, std::size_t at) {
  const char* position = text.data() + at;
  const char* const end = text.data() + text.size();
  std::uint32_t ignored = 0;
  const auto state = utf8::internal::validate_next(position, end, ignored);
  return state == utf8::internal::UTF8_OK ? static_cast<std::size_t>(position - text.data())
                                          : at + 1;
}

}  // namespace

std::size_t advance(std::string_view text, std::size_t from, std::size_t steps) {
  while (steps > 0 && from < text.size()) {
    from = next(text, from);
    --steps;
  }
  return from;
}

std::size_t code_points(std::string_view text) {
  std::size_t count = 0;
  for (std::size_t at = 0; at < text.size(); at = next(text, at)) ++count;
  return count;
}

std::string shortened(std::string_view text, std::size_t most) {
  if (advance(text, 0, most) >= text.size()) return std::string(text);
  return std::string(text.substr(0, advance(text, 0, most - 1))) + "~";
}

std::size_t first_bad_byte(std::string_view text) {
  const auto bad =
      static_cast<std::size_t>(utf8::find_invalid(text.begin(), text.end()) - text.begin());
  const std::size_t first = std::min(bad, text.find('\0'));
  return first < text.size() ? first : std::string_view::npos;
}

}  // namespace greymet::model
