// What other tables of transactions call our keys. Not for use outside this folder.
#pragma once

#include <optional>
#include <string_view>

namespace greymet::files::internal {

// The key that a heading means: "Function code" is fc. Nothing where it may mean several
// ("Memory"), or none.
[[nodiscard]] std::optional<std::string_view> key_meant_by(std::string_view heading);

// What to do about a heading that may mean several keys; empty for all others.
[[nodiscard]] std::string_view advice_on(std::string_view heading);

}  // namespace greymet::files::internal
