// TOML text -> value tree, through toml++.
#pragma once

#include <optional>
#include <string>

#include "files/value_tree.h"
#include "model/finding.h"

namespace greymet::files {

// Reads TOML 1.0. A table opened twice, or a key written twice, is reported as P04 and reading
// goes on; any other syntax error is reported as P01 and nothing comes back.
// `file` is the index that places get.
[[nodiscard]] std::optional<Value> read_toml(const std::string& text, std::uint32_t file,
                                             model::Findings& findings);

}  // namespace greymet::files
