// Places as editors count them, against a count of every byte.
#include "editor/text_position.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

using namespace greymet::editor;
using greymet::files::SourceText;
using greymet::files::Span;

namespace {

// Letters of one, two, three and four bytes, and line ends.
std::string some_text() {
  const auto parts = *rc::gen::container<std::vector<int>>(rc::gen::inRange(0, 7));
  std::string text;
  for (const int part : parts) {
    static const char* const letters[] = {
        "a", "\xC3\xA4", "\xE2\x82\xAC", "\xF0\x9F\x98\x80", "\n", "\r\n", " "};
    text += letters[part];
  }
  return text;
}

}  // namespace

TEST_CASE("a position names its byte, and a byte its position, in all encodings") {
  rc::prop("there and back", [] {
    const std::string text = some_text();
    const SourceText lines(text);
    for (const PositionUnits units :
         {PositionUnits::utf8, PositionUnits::utf16, PositionUnits::utf32}) {
      TextPosition at;
      for (std::size_t byte = 0; byte <= text.size();) {
        // behind '\r' there is no place of its own
        const bool in_break =
            byte > 0 && byte < text.size() && text[byte] == '\n' && text[byte - 1] == '\r';
        if (!in_break) {
          RC_ASSERT(byte_of(text, at, units) == byte);
          RC_ASSERT(byte_of(lines, at, units) == byte);
          RC_ASSERT(stretch_of(lines, Span{byte, byte}, units).begin == at);
        }
        if (byte == text.size()) break;
        const auto c = static_cast<unsigned char>(text[byte]);
        const std::size_t bytes = c >= 0xF0 ? 4 : c >= 0xE0 ? 3 : c >= 0xC0 ? 2 : 1;
        if (c == '\n') {
          ++at.line;
          at.character = 0;
        } else {
          at.character += units == PositionUnits::utf8    ? static_cast<std::uint32_t>(bytes)
                          : units == PositionUnits::utf16 ? (bytes == 4 ? 2U : 1U)
                                                          : 1U;
        }
        byte += bytes;
      }
    }
  });
}

TEST_CASE("places beyond a line or a text are its end") {
  const std::string text = "ab\ncd";
  CHECK(byte_of(text, {0, 99}, PositionUnits::utf16) == 2);
  CHECK(byte_of(text, {7, 0}, PositionUnits::utf16) == 5);
  CHECK(byte_of(SourceText(text), {7, 0}, PositionUnits::utf16) == 5);
  CHECK(stretch_of(SourceText(text), Span{4, 400}, PositionUnits::utf8).end == TextPosition{1, 2});
  CHECK(stretch_of(SourceText(text), greymet::model::Range{0, 0, 0, 0, 0}, PositionUnits::utf8) ==
        TextStretch{{0, 0}, {0, 2}});
  CHECK(stretch_of(SourceText(text), greymet::model::Range{0, 99, 99, 0, 0}, PositionUnits::utf8)
            .begin == TextPosition{1, 2});
  CHECK(stretch_of(SourceText(""), greymet::model::Range{0, 3, 1, 3, 9}, PositionUnits::utf8) ==
        TextStretch{});
  // within a letter of four bytes: its begin
  CHECK(byte_of("\xF0\x9F\x98\x80x", {0, 1}, PositionUnits::utf16) == 0);
}

TEST_CASE("paths become URIs and come back") {
  rc::prop("any path", [] {
    std::string path = "/" + *rc::gen::arbitrary<std::string>();
    std::erase(path, '\0');
    RC_ASSERT(path_of_uri(uri_of_path(path)) == path);
  });
  CHECK(uri_of_path("/a b/\xC3\xA4.toml") == "file:///a%20b/%C3%A4.toml");
  CHECK(path_of_uri("file://host/x%2Fy") == "/x/y");
  CHECK(path_of_uri("http://host/x").empty());
  CHECK(path_of_uri("file://").empty());
  CHECK(path_of_uri("file:///a%00b").empty());
  CHECK(path_of_uri("file:///a%zz") == "/a%zz");
}
