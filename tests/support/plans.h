// Plans for tests: short texts in memory, read the way the program reads files.
#pragma once

#include <array>
#include <map>
#include <string>
#include <vector>

#include "checks/check.h"
#include "files/plan_loader.h"

namespace greymet::test {

using Files = std::map<std::string, std::string>;

// Where a range begins: file, line, column.
using Spot = std::array<std::uint32_t, 3>;
[[nodiscard]] inline Spot begin_of(const model::Range& range) {
  return {range.file, range.line, range.column};
}

// Loads `plan.toml` with these other files beside it.
[[nodiscard]] files::LoadedPlan load(const std::string& plan, Files others = {});

// Families whose rules look at the plan alone; T and H need its timing and, like N13, speak of
// every small plan.
inline constexpr const char* static_families =
    "P,S,N01,N02,N03,N04,N05,N06,N07,N08,N09,N10,N11,N12,F,M,D,C,R";

// All findings of reading and checking, one a line: "error F02 12:34 transaction x: message".
[[nodiscard]] std::vector<std::string> findings_of(const std::string& plan, Files others = {},
                                                   const std::string& rules = static_families);
// The same for one rule only, without its code: "error transaction x: message | remedy".
[[nodiscard]] std::vector<std::string> findings_of_rule(const std::string& code,
                                                        const std::string& plan, Files others = {});

// A controller `kiln` with %MW and %MX, a line `north`, slaves `gauge` (complete map) and `pump`
// (map with some registers); append [exchange] and more. Checks clean with any correct exchange.
[[nodiscard]] std::string base_plan();
[[nodiscard]] Files base_files();
// base_plan() with these rows of transactions, each `{ ... }`.
[[nodiscard]] std::string with_rows(const std::vector<std::string>& rows);
// The same without what only other rows would use: the slave `pump` and the area %MX.
[[nodiscard]] std::string nothing_unused(std::string plan);
// Replaces one text; the test fails if it is not there.
[[nodiscard]] std::string replaced(std::string text, const std::string& what,
                                   const std::string& with);

}  // namespace greymet::test
