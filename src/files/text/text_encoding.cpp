#include "files/text_encoding.h"

#include <algorithm>
#include <array>
#include <iterator>
#include <optional>

#include <fmt/format.h>
#include <utf8.h>

#include "files/source_text.h"
#include "model/utf8_text.h"

namespace greymet::files {
namespace {

constexpr std::string_view mark_little = "\xFF\xFE";
constexpr std::string_view mark_big = "\xFE\xFF";

unsigned byte_at(std::string_view bytes, std::size_t at) {
  return static_cast<unsigned char>(bytes[at]);
}

// Line breaks, tabs, form feeds, and the end mark of old systems are in texts; all else is not.
bool is_in_texts(std::uint32_t code_point) {
  constexpr std::uint32_t first_visible = 0x20;
  constexpr std::uint32_t end_of_file = 0x1A;
  const bool layout = code_point >= '\t' && code_point <= '\r';
  return code_point >= first_visible || layout || code_point == end_of_file;
}

tl::unexpected<FileError> no_text(std::string_view bytes, std::size_t at) {
  return tl::unexpected(
      FileError{fmt::format("is no text: byte {} is 0x{:02X}; save the table as UTF-8", at + 1,
                            at < bytes.size() ? byte_at(bytes, at) : 0U)});
}

// Without a mark: texts of tables are ASCII for the most part, so that one byte of two is 0.
std::optional<Encoding> without_mark(std::string_view bytes) {
  std::array<std::size_t, 2> zeros{};  // at even and odd places
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    if (bytes[i] == '\0') ++zeros[i % 2];
  }
  const std::size_t pairs = bytes.size() / 2;
  if (bytes.size() % 2 != 0 || pairs == 0) return std::nullopt;
  if (zeros[0] == 0 && zeros[1] * 3 > pairs) return Encoding::utf16_little;
  if (zeros[1] == 0 && zeros[0] * 3 > pairs) return Encoding::utf16_big;
  return std::nullopt;
}

tl::expected<DecodedText, FileError> from_utf16(std::string_view bytes, std::size_t mark_bytes,
                                                Encoding encoding) {
  const auto unit_at = [&](std::size_t at) {
    const unsigned first = byte_at(bytes, at);
    const unsigned second = byte_at(bytes, at + 1);
    return encoding == Encoding::utf16_little ? second << 8U | first : first << 8U | second;
  };
  DecodedText out{{}, encoding};
  out.text.reserve(bytes.size());
  for (std::size_t at = mark_bytes; at < bytes.size(); at += 2) {
    if (at + 1 == bytes.size()) return no_text(bytes, at);
    std::uint32_t code_point = unit_at(at);
    const std::size_t begin = at;
    if (code_point >= 0xD800 && code_point < 0xDC00 && at + 3 < bytes.size()) {
      const std::uint32_t low = unit_at(at + 2);
      if (low >= 0xDC00 && low < 0xE000) {
        code_point = 0x10000 + ((code_point - 0xD800) << 10U) + (low - 0xDC00);
        at += 2;
      }
    }
    const bool alone = code_point >= 0xD800 && code_point < 0xE000;
    if (alone || !is_in_texts(code_point)) return no_text(bytes, begin);
    utf8::append(code_point, std::back_inserter(out.text));
  }
  return out;
}

tl::expected<DecodedText, FileError> from_windows_1252(std::string_view bytes) {
  // 0x80 to 0x9F; 0 where the code page has nothing
  constexpr std::array<std::uint16_t, 32> upper{
      0x20AC, 0,      0x201A, 0x0192, 0x201E, 0x2026, 0x2020, 0x2021, 0x02C6, 0x2030, 0x0160,
      0x2039, 0x0152, 0,      0x017D, 0,      0,      0x2018, 0x2019, 0x201C, 0x201D, 0x2022,
      0x2013, 0x2014, 0x02DC, 0x2122, 0x0161, 0x203A, 0x0153, 0,      0x017E, 0x0178};
  DecodedText out{{}, Encoding::windows_1252};
  out.text.reserve(bytes.size() + bytes.size() / 8);
  for (std::size_t at = 0; at < bytes.size(); ++at) {
    std::uint32_t code_point = byte_at(bytes, at);
    if (code_point >= 0x80 && code_point < 0xA0) code_point = upper[code_point - 0x80];
    if (!is_in_texts(code_point)) return no_text(bytes, at);
    utf8::append(code_point, std::back_inserter(out.text));
  }
  return out;
}

tl::expected<DecodedText, FileError> from_utf8(std::string_view bytes, std::size_t mark_bytes) {
  for (std::size_t at = mark_bytes; at < bytes.size();) {
    std::size_t behind = at;
    const auto code_point = model::decode(bytes, at, behind);
    if (!code_point || !is_in_texts(*code_point)) return no_text(bytes, at);
    at = behind;
  }
  return DecodedText{std::string(bytes.substr(mark_bytes)), Encoding::utf8};
}

}  // namespace

std::string_view to_string(Encoding encoding) {
  switch (encoding) {
    case Encoding::utf8: return "UTF-8";
    case Encoding::utf16_little: return "UTF-16 (little endian)";
    case Encoding::utf16_big: return "UTF-16 (big endian)";
    case Encoding::windows_1252: return "Windows-1252";
  }
  return "";
}

tl::expected<DecodedText, FileError> decode_text(std::string_view bytes) {
  if (bytes.starts_with(byte_order_mark)) return from_utf8(bytes, byte_order_mark.size());
  if (bytes.starts_with(mark_little)) return from_utf16(bytes, 2, Encoding::utf16_little);
  if (bytes.starts_with(mark_big)) return from_utf16(bytes, 2, Encoding::utf16_big);
  if (const auto encoding = without_mark(bytes)) return from_utf16(bytes, 0, *encoding);
  const std::size_t bad = model::first_bad_byte(bytes);
  if (bad == std::string::npos || bytes[bad] == '\0') return from_utf8(bytes, 0);
  return from_windows_1252(bytes);
}

}  // namespace greymet::files
