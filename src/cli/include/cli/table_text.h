// Tables on a terminal.
#pragma once

#include <string>
#include <string_view>

#include "tables/table.h"

namespace greymet::cli {

struct Terminal;

// The title, then headings and rows, as wide as the terminal at the most: columns without a value
// are left out, those that are 0 in every row are named below, and where room is short the lightest
// go, which is said too. What the columns mean stands below. Times are in ms, with as many digits
// as their size leaves sense in, three at the most.
[[nodiscard]] std::string table_text(std::string_view title, const tables::Table& table,
                                     const Terminal& terminal);

}  // namespace greymet::cli
