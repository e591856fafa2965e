// A comma or a quote that somebody forgot: found by putting it in and reading again. Not for use
// outside this folder.
#pragma once

#include <cstddef>
#include <functional>
#include <optional>
#include <string>
#include <string_view>

namespace greymet::files::internal {

// Where the parser gives up on a text; nothing where it does not. Byte in the text.
using FirstError = std::function<std::optional<std::size_t>(std::string_view text)>;

// One mark that is missing.
struct MissingMark {
  char mark = ',';
  std::size_t at = 0;     // it belongs in front of this byte
  std::size_t begin = 0;  // of a quote: where the text begins that it would end
};

// The mark without which the parser gives up at byte `error_at`: with it, it gets further than that
// line, and no other single mark does the same. Nothing where there is none such. Costs up to three
// readings of the text.
[[nodiscard]] std::optional<MissingMark> missing_mark(std::string_view text, std::size_t error_at,
                                                      const FirstError& first_error);

// The text with the mark, every byte behind it where it was: it takes the place of a blank. Nothing
// where there is no blank to take.
[[nodiscard]] std::optional<std::string> with_mark_in_place(std::string_view text,
                                                            const MissingMark& missing);

}  // namespace greymet::files::internal
