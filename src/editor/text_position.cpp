#include "editor/text_position.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::editor {

namespace {

// Bytes of the code point that begins there; broken ones stand for themselves.
std::size_t bytes_of_point(std::string_view text, std::size_t at) {
  const auto first = static_cast<unsigned char>(text[at]);
  const std::size_t wanted = first >= 0xF0 ? 4 : first >= 0xE0 ? 3 : first >= 0xC0 ? 2 : 1;
  std::size_t bytes = 1;
  while (bytes < wanted && at + bytes < text.size() &&
         (static_cast<unsigned char>(text[at + bytes]) & 0xC0U) == 0x80U) {
    ++bytes;
  }
  return bytes;
}

std::uint32_t units_of_point(std::size_t bytes, PositionUnits units) {
  switch (units) {
    case PositionUnits::utf8: return static_cast<std::uint32_t>(bytes);
    case PositionUnits::utf16: return bytes == 4 ? 2 : 1;
    case PositionUnits::utf32: return 1;
  }
  return 1;
}

// Bytes of a line up to so many units.
std::size_t bytes_before(std::string_view line, std::uint32_t character, PositionUnits units) {
  std::size_t at = 0;
  std::uint32_t seen = 0;
  while (at < line.size() && line[at] != '\n' && line[at] != '\r') {
    const std::size_t bytes = bytes_of_point(line, at);
    const std::uint32_t next = seen + units_of_point(bytes, units);
    if (next > character) break;
    seen = next;
    at += bytes;
  }
  return at;
}

std::uint32_t units_before(std::string_view line, std::size_t end, PositionUnits units) {
  std::uint32_t seen = 0;
  for (std::size_t at = 0; at < std::min(end, line.size());) {
    const std::size_t bytes = bytes_of_point(line, at);
    if (at + bytes > end) break;
    seen += units_of_point(bytes, units);
    at += bytes;
  }
  return seen;
}

TextPosition position_at(const files::SourceText& text, std::uint32_t line, std::uint32_t column,
                         PositionUnits units) {
  const std::size_t begin = text.offset(line, 1);
  const std::size_t byte = std::max(begin, text.offset(line, column));
  return {line - 1, units_before(text.line(line), byte - begin, units)};
}

}  // namespace

std::size_t byte_of(std::string_view text, TextPosition position, PositionUnits units) {
  std::size_t at = 0;
  for (std::uint32_t line = 0; line < position.line; ++line) {
    const std::size_t end = text.find('\n', at);
    if (end == std::string_view::npos) return text.size();
    at = end + 1;
  }
  return at + bytes_before(text.substr(at), position.character, units);
}

std::size_t byte_of(const files::SourceText& text, TextPosition position, PositionUnits units) {
  if (position.line >= text.lines()) return text.text().size();
  const std::size_t begin = text.offset(position.line + 1, 1);
  return begin + bytes_before(text.line(position.line + 1), position.character, units);
}

TextStretch stretch_of(const files::SourceText& text, const files::Span& span,
                       PositionUnits units) {
  const std::size_t size = text.text().size();
  const std::size_t begin = std::min(span.begin, size);
  const model::Range range = text.range(begin, std::clamp(span.end, begin, size), 0);
  return {position_at(text, range.line, range.column, units),
          position_at(text, range.end_line, range.end_column, units)};
}

files::Span span_of(const files::SourceText& text, const model::Range& range) {
  if (text.lines() == 0) return {};
  const std::uint32_t line = std::clamp<std::uint32_t>(range.line, 1, text.lines());
  const std::size_t line_begin = text.offset(line, 1);
  std::string_view words = text.line(line);
  while (words.ends_with(' ') || words.ends_with('\t')) words.remove_suffix(1);
  const std::size_t line_end = line_begin + words.size();
  if (range.line == 0) return {line_begin, line_end};
  const std::size_t begin = text.offset(line, std::max<std::uint32_t>(1, range.column));
  if (!range.has_end()) return {begin, std::max(begin, line_end)};
  return {begin, std::max(begin, text.offset(range.end_line, range.end_column))};
}

TextStretch stretch_of(const files::SourceText& text, const model::Range& range,
                       PositionUnits units) {
  return stretch_of(text, span_of(text, range), units);
}

std::string uri_of_path(std::string_view path) {
  std::string uri = "file://";
  for (const char c : path) {
    const bool plain = model::is_letter(c) || model::is_digit(c) || c == '/' || c == '-' ||
                       c == '_' || c == '.' || c == '~';
    if (plain) {
      uri += c;
    } else {
      uri += fmt::format("%{:02X}", static_cast<unsigned char>(c));
    }
  }
  return uri;
}

std::string path_of_uri(std::string_view uri) {
  constexpr std::string_view scheme = "file://";
  if (!uri.starts_with(scheme)) return {};
  uri.remove_prefix(scheme.size());
  if (!uri.starts_with('/')) {
    const std::size_t slash = uri.find('/');
    if (slash == std::string_view::npos) return {};
    uri.remove_prefix(slash);  // the host
  }
  std::string path;
  for (std::size_t i = 0; i < uri.size(); ++i) {
    if (uri[i] != '%' || i + 2 >= uri.size()) {
      path += uri[i];
      continue;
    }
    const auto high = model::hex_digit_value(uri[i + 1]);
    const auto low = model::hex_digit_value(uri[i + 2]);
    if (!high || !low) {
      path += uri[i];
      continue;
    }
    path += static_cast<char>(*high * 16 + *low);
    i += 2;
  }
  return path.find('\0') == std::string::npos ? path : std::string();
}

}  // namespace greymet::editor
