// UTF-8 texts as people count them: in code points (RFC 3629), through utfcpp.
#pragma once

#include <cstddef>
#include <cstdint>
#include <string>
#include <string_view>

namespace greymet::model {

// Byte at which the code point `steps` behind byte `from` begins; the end where there are fewer.
// Bytes that are no UTF-8 count one each.
[[nodiscard]] std::size_t advance(std::string_view text, std::size_t from, std::size_t steps);
// Code points of a text.
[[nodiscard]] std::size_t code_points(std::string_view text);
// At most `most` code points; what is cut off is told by a tilde in the last of them. most >= 1.
[[nodiscard]] std::string shortened(std::string_view text, std::size_t most);
// The first byte that is not UTF-8 text (a NUL is not), or npos.
[[nodiscard]] std::size_t first_bad_byte(std::string_view text);

}  // namespace greymet::model
