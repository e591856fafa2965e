// Every format the exchange is exported in.
#pragma once

#include <span>
#include <string>
#include <string_view>

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::files {

// One export: a file of its own that makes the text, and its row in exports.cpp.
struct Export {
  std::string_view name;                                     // "csv"
  std::string_view file;                                     // "exchange.csv"
  std::string (*make)(const model::ResolvedPlan& resolved);  // of a plan without errors
};

// In the order in which they are written.
[[nodiscard]] std::span<const Export> all_exports();

}  // namespace greymet::files
