// The nearest known name to a misspelt one.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>

namespace greymet::model {

// Number of single-character insertions, deletions, replacements and swaps of neighbours that
// turn `a` into `b` (optimal string alignment). Texts over 64 characters count as unrelated.
[[nodiscard]] std::size_t edit_distance(std::string_view a, std::string_view b);

// Of more known names only so many are looked at, so that many unknown ones take no longer than
// reading them.
inline constexpr std::size_t most_names_compared = 500;

// The known name nearest to `name`, if one is near enough to be meant. Ties: the first.
[[nodiscard]] std::optional<std::string> nearest_name(std::string_view name,
                                                      std::span<const std::string_view> known);

// The same, and whether it is the only one that is near enough. `is_slip`: one letter too many, too
// few, another, or two changed round; a digit tells things of one kind apart, and two letters do
// ("min_level", "max_level"): then another may have been meant, and is not there.
struct NearName {
  std::string name;
  bool only = true;
  bool is_slip = true;
};
[[nodiscard]] std::optional<NearName> near_name(std::string_view name,
                                                std::span<const std::string_view> known);

// " (did you mean 'x'?)" or nothing, to be put behind a message.
[[nodiscard]] std::string did_you_mean(std::string_view name,
                                       std::span<const std::string_view> known);

// did_you_mean(), or where no name is near enough the first known one as an example:
// "; write e.g. burner-in". Empty if there are none.
[[nodiscard]] std::string nearest_or_example(std::string_view name,
                                             std::span<const std::string_view> known);

}  // namespace greymet::model
