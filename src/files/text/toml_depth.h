// A guard in front of the TOML parser, which recurses once for each list, table and part of a key,
// and makes some hundred bytes of a key or an entry of two.
// Not for use outside this folder.
#pragma once

#include <optional>
#include <string_view>

namespace greymet::files::internal {

// What no plan needs, and the parser's stack can stand many times over.
inline constexpr std::size_t deepest_nesting = 200;

// Most commas, and most parts of keys and opened brackets: a plan of usual rows has fewer in 12 MB.
inline constexpr std::size_t most_parts = 1'000'000;

// Where a text goes beyond one of the limits first.
struct Excess {
  enum class Of { nesting, parts };
  std::size_t at = 0;
  Of of = Of::nesting;
};

// Right for TOML up to its first syntax error, at which the parser ends as well.
[[nodiscard]] std::optional<Excess> beyond_limits(std::string_view text);

}  // namespace greymet::files::internal
