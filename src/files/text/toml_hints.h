// What people meant who wrote what TOML does not read. Not for use outside this folder.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <string_view>

namespace greymet::files::internal {

// True for what a bare key or word may have.
[[nodiscard]] bool is_bare(char c);

// The word around a byte: what somebody typed where TOML wanted something else.
[[nodiscard]] std::string_view word_at(std::string_view line, std::size_t at);

// The cure for the common slips, in words, from the line and the byte in it at which the parser
// gave up.
[[nodiscard]] std::optional<std::string> hint_for(std::string_view line, std::size_t at);

// A value as TOML wants it: plain quotes, slashes in paths, quotes around durations and references.
[[nodiscard]] std::optional<std::string> right_value(std::string_view value);

}  // namespace greymet::files::internal
