// The JSON Schema (draft 2020-12) of a plan, for editors that know TOML and no language server.
#pragma once

#include <functional>
#include <string>
#include <string_view>

namespace greymet::files {

// What a key of a table means, as plain text; empty where nothing is said. The path is that of
// files/plan_keys.h.
using DescribeKey = std::function<std::string(std::string_view path, std::string_view key)>;

// Made of the table of keys that the reader uses. Every plan that it reads without a finding about
// a key or the kind of a value fits; what does not fit has such a finding.
[[nodiscard]] std::string plan_schema(const DescribeKey& describe);

}  // namespace greymet::files
