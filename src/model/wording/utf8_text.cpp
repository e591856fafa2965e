#include "model/utf8_text.h"

#include <algorithm>
#include <array>
#include <optional>

#include <fmt/format.h>
#include <utf8.h>

namespace greymet::model {
namespace {

// The byte behind the code point at `at`.
std::size_t next(std::string_view text, std::size_t at) {
  std::size_t behind = at;
  (void)decode(text, at, behind);
  return behind;
}

struct CodePoints {
  std::uint32_t first;
  std::uint32_t last;
};

// Control, bidirectional, format and other characters that are not seen (Unicode 15, general
// categories Cc, Cf, Zl, Zp, and the default ignorable ones).
constexpr std::array<CodePoints, 25> hidden{
    {{0x0000, 0x001F},  {0x007F, 0x009F},   {0x00AD, 0x00AD},   {0x034F, 0x034F},
     {0x0600, 0x0605},  {0x061C, 0x061C},   {0x06DD, 0x06DD},   {0x070F, 0x070F},
     {0x08E2, 0x08E2},  {0x115F, 0x1160},   {0x17B4, 0x17B5},   {0x180B, 0x180F},
     {0x200B, 0x200F},  {0x2028, 0x202E},   {0x2060, 0x206F},   {0x3164, 0x3164},
     {0xFDD0, 0xFDEF},  {0xFE00, 0xFE0F},   {0xFEFF, 0xFEFF},   {0xFFA0, 0xFFA0},
     {0xFFF0, 0xFFFB},  {0x110BD, 0x110BD}, {0x1BCA0, 0x1BCA3}, {0x1D173, 0x1D17A},
     {0xE0000, 0xE0FFF}}};

}  // namespace

std::optional<std::uint32_t> decode(std::string_view text, std::size_t at, std::size_t& behind) {
  const char* position = text.data() + at;
  const char* const end = text.data() + text.size();
  std::uint32_t code_point = 0;
  const auto state = utf8::internal::validate_next(position, end, code_point);
  behind =
      state == utf8::internal::UTF8_OK ? static_cast<std::size_t>(position - text.data()) : at + 1;
  if (state != utf8::internal::UTF8_OK) return std::nullopt;
  return code_point;
}

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

bool is_hidden(std::uint32_t code_point) {
  constexpr std::uint32_t last_two = 0xFFFE;  // of each plane: noncharacters
  if ((code_point & last_two) == last_two) return true;
  return std::any_of(hidden.begin(), hidden.end(), [&](const CodePoints& range) {
    return range.first <= code_point && code_point <= range.last;
  });
}

std::string shown(std::string_view text) {
  std::string out;
  out.reserve(text.size());
  for (std::size_t at = 0; at < text.size();) {
    std::size_t behind = at;
    const auto code_point = decode(text, at, behind);
    if (!code_point) {
      out += fmt::format("\\x{:02X}", static_cast<unsigned char>(text[at]));
    } else if (is_hidden(*code_point)) {
      out += fmt::format("\\u{{{:X}}}", *code_point);
    } else {
      out += text.substr(at, behind - at);
    }
    at = behind;
  }
  return out;
}

std::size_t first_bad_byte(std::string_view text) {
  const auto bad =
      static_cast<std::size_t>(utf8::find_invalid(text.begin(), text.end()) - text.begin());
  const std::size_t first = std::min(bad, text.find('\0'));
  return first < text.size() ? first : std::string_view::npos;
}

std::string counted(std::size_t count, std::string_view what) {
  return fmt::format("{} {}{}", count == 0 ? "no" : std::to_string(count), what,
                     count == 1 ? "" : "s");
}

}  // namespace greymet::model
