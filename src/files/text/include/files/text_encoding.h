// Texts from elsewhere, in whatever encoding they were saved -> UTF-8, faithfully.
#pragma once

#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "files/file_source.h"

namespace greymet::files {

// Encodings that tables from device makers come in.
enum class Encoding : std::uint8_t { utf8, utf16_little, utf16_big, windows_1252 };
// "UTF-8", "UTF-16 (little endian)", "UTF-16 (big endian)", "Windows-1252"
[[nodiscard]] std::string_view to_string(Encoding encoding);

// A text without its byte order mark. Every code point of the source is in it, and no other.
struct DecodedText {
  std::string text;
  Encoding encoding = Encoding::utf8;
};

// UTF-8 and UTF-16 by their mark, else by what the bytes can be: UTF-16 where every other byte is
// mostly 0, UTF-8 where all is UTF-8, Windows-1252 where all of it is text (The Unicode Standard,
// chapter 3.9 and 23.8; the code page of that name). What is no text in any of them, control
// characters included, is refused at its byte.
[[nodiscard]] tl::expected<DecodedText, FileError> decode_text(std::string_view bytes);

}  // namespace greymet::files
