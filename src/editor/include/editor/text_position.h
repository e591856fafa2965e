// Places in a text as editors count them: lines from 0, and within a line code units of the
// encoding that was agreed on (Language Server Protocol 3.17, "Position").
#pragma once

#include <compare>
#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>

#include "files/source_text.h"
#include "files/toml_scan.h"
#include "model/range.h"

namespace greymet::editor {

enum class PositionUnits : std::uint8_t { utf8, utf16, utf32 };

struct TextPosition {
  std::uint32_t line = 0;
  std::uint32_t character = 0;
  friend auto operator<=>(const TextPosition&, const TextPosition&) = default;
};

struct TextStretch {
  TextPosition begin;
  TextPosition end;
  friend auto operator<=>(const TextStretch&, const TextStretch&) = default;
};

// The byte of a position; the end of its line, or of the text, where it lies beyond. Within a code
// point: its begin.
[[nodiscard]] std::size_t byte_of(std::string_view text, TextPosition position,
                                  PositionUnits units);
// The same where lines are known.
[[nodiscard]] std::size_t byte_of(const files::SourceText& text, TextPosition position,
                                  PositionUnits units);

// Bytes of a text as a stretch. What lies beyond the text ends with it.
[[nodiscard]] TextStretch stretch_of(const files::SourceText& text, const files::Span& span,
                                     PositionUnits units);
// A range of a finding. The file as a whole is its first line; where the end is not known, that of
// its line, without blanks behind it.
[[nodiscard]] TextStretch stretch_of(const files::SourceText& text, const model::Range& range,
                                     PositionUnits units);
// The bytes of such a range.
[[nodiscard]] files::Span span_of(const files::SourceText& text, const model::Range& range);

// A path as a URI ("file:///home/..."), and back; empty where it is no URI of a file.
[[nodiscard]] std::string uri_of_path(std::string_view path);
[[nodiscard]] std::string path_of_uri(std::string_view uri);

}  // namespace greymet::editor
