// The columns of register maps, and what other tables call them. Not for use outside this folder.
#pragma once

#include <array>
#include <optional>
#include <string_view>

namespace greymet::files::internal {

inline constexpr std::array<std::string_view, 14> columns{
    "point",  "area",     "address", "type", "bit", "word_order", "factor",
    "offset", "decimals", "unit",    "min",  "max", "access",     "note"};

// The column a heading seems to mean. `certain`: no other one is near.
struct MeantColumn {
  std::string_view column;
  bool certain = true;
};

[[nodiscard]] std::optional<MeantColumn> meant_column(std::string_view heading);

}  // namespace greymet::files::internal
