// A guard in front of the TOML parser, which recurses once for each list, table and part of a key.
// Not for use outside this folder.
#pragma once

#include <optional>
#include <string_view>

namespace greymet::files::internal {

// What no plan needs, and the parser's stack can stand many times over.
inline constexpr std::size_t deepest_nesting = 200;

// The byte at which lists, tables and dotted keys first nest deeper than that. Right for TOML up to
// its first syntax error, at which the parser ends as well.
[[nodiscard]] std::optional<std::size_t> too_deep(std::string_view text);

}  // namespace greymet::files::internal
