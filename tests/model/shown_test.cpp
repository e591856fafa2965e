// What may be shown of a text: nothing that steers, hides or turns around what follows.
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "model/utf8_text.h"

using namespace greymet::model;

TEST_CASE("what cannot be seen or steers is shown as an escape") {
  CHECK(shown("K\xC3\xBChler 1\xC2\xB5, \xE6\xB8\xA9\xE5\xBA\xA6 \xF0\x9F\x8C\xBE") ==
        "K\xC3\xBChler 1\xC2\xB5, \xE6\xB8\xA9\xE5\xBA\xA6 \xF0\x9F\x8C\xBE");
  CHECK(shown("a\033[2J\n\x7F\t") == "a\\u{1B}[2J\\u{A}\\u{7F}\\u{9}");
  CHECK(shown(std::string_view("\0", 1)) == "\\u{0}");
  CHECK(shown("\xC2\x9B") == "\\u{9B}");   // one byte's CSI, in UTF-8
  CHECK(shown("\xC2\xA0") == "\xC2\xA0");  // the first that is no control
  CHECK(shown("\xE2\x80\xAE"
              "x\xE2\x81\xA6") == "\\u{202E}x\\u{2066}");
  CHECK(shown("\xE2\x80\x8B\xEF\xBB\xBF\xC2\xAD") == "\\u{200B}\\u{FEFF}\\u{AD}");
  CHECK(shown("\xF3\xA0\x81\xA1") == "\\u{E0061}");  // a tag character
  CHECK(shown("\xEF\xBF\xBE\xF4\x8F\xBF\xBF") == "\\u{FFFE}\\u{10FFFF}");
  CHECK(shown("\xFF\xC3(\xED\xA0\x80") == "\\xFF\\xC3(\\xED\\xA0\\x80");  // no UTF-8; a surrogate
}

TEST_CASE("whatever the bytes, what is shown is UTF-8 without controls, and shows itself") {
  rc::prop("closed under showing", [] {
    const auto bytes = *rc::gen::container<std::string>(rc::gen::arbitrary<char>());
    const std::string text = shown(bytes);
    RC_ASSERT(first_bad_byte(text) == std::string::npos);
    RC_ASSERT(shown(text) == text);
    for (const char c : text) {
      const auto byte = static_cast<unsigned char>(c);
      RC_ASSERT(byte >= 0x20 && byte != 0x7F);
    }
  });
}
