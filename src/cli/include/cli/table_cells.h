// Cells of the tables that several parts of a command print.
#pragma once

#include <chrono>
#include <optional>
#include <string>
#include <string_view>

namespace greymet::cli {

struct Terminal;

// A duration in milliseconds, right-aligned; "-" where there is none.
[[nodiscard]] std::string ms_cell(const std::optional<std::chrono::nanoseconds>& d,
                                  std::size_t width);
// A name, left-aligned and cut to the width in whole UTF-8 characters ("~" marks a cut).
[[nodiscard]] std::string name_cell(const std::string& text, std::size_t width);
// A table's title, and its columns below.
[[nodiscard]] std::string heading(const Terminal& terminal, std::string_view title,
                                  const std::string& columns);

}  // namespace greymet::cli
