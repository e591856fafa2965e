// Texts as TOML 1.0 writes them.
#pragma once

#include <string>
#include <string_view>

namespace greymet::model {

// A basic string with its quotes; what TOML does not allow in one is escaped.
[[nodiscard]] std::string toml_string(std::string_view text);

}  // namespace greymet::model
