// UTF-8 texts as people count them: in code points (RFC 3629), through utfcpp.
#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace greymet::model {

// The code point at byte `at`, or nothing where the bytes are no UTF-8; `behind` becomes the byte
// behind it. at < text.size()
[[nodiscard]] std::optional<std::uint32_t> decode(std::string_view text, std::size_t at,
                                                  std::size_t& behind);
// Byte at which the code point `steps` behind byte `from` begins; the end where there are fewer.
// Bytes that are no UTF-8 count one each.
[[nodiscard]] std::size_t advance(std::string_view text, std::size_t from, std::size_t steps);
// Code points of a text.
[[nodiscard]] std::size_t code_points(std::string_view text);
// At most `most` code points; what is cut off is told by a tilde in the last of them. most >= 1.
[[nodiscard]] std::string shortened(std::string_view text, std::size_t most);
// The text as it may be shown: what would steer a terminal, cannot be seen, or changes the
// direction of what follows (C0 and C1 controls, bidirectional and invisible characters,
// noncharacters) stands as \u{202E}, and bytes that are no UTF-8 as \xFF. All else stays as it is.
[[nodiscard]] std::string shown(std::string_view text);

// "no lines", "1 line", "4 lines".
[[nodiscard]] std::string counted(std::size_t count, std::string_view what);
// True for the code points that shown() does not let through.
[[nodiscard]] bool is_hidden(std::uint32_t code_point);
// The first byte that is not UTF-8 text (a NUL is not), or npos.
[[nodiscard]] std::size_t first_bad_byte(std::string_view text);

}  // namespace greymet::model
