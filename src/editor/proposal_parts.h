// Parts of what is proposed. Not for use outside this folder.
#pragma once

#include <span>
#include <string_view>

#include "editor/features.h"

namespace greymet::editor::internal {

inline constexpr std::size_t most_proposed = 2000;

// A piece of a plan with places to fill in.
struct Template {
  std::string_view label;
  std::string_view detail;
  std::string_view text;
};
// Tables, at the begin of a line; rows of `transactions`.
[[nodiscard]] std::span<const Template> section_templates();
[[nodiscard]] std::span<const Template> row_templates();

// Cells of a table: what its column may hold.
[[nodiscard]] Proposals proposals_in_table(const PlanView& view, std::string_view text,
                                           TableKind kind, std::size_t byte);

}  // namespace greymet::editor::internal
