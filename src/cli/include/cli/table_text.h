// Tables on a terminal.
#pragma once

#include <string>
#include <string_view>

#include "tables/table.h"

namespace greymet::cli {

struct Terminal;

// The title, then headings and rows, as wide as the terminal at the most: columns without a value
// are left out, those that are 0 in every row are named below, and where room is short the lightest
// go, which is said too. Times are in ms, with as many digits as they need up to three.
[[nodiscard]] std::string table_text(std::string_view title, const tables::Table& table,
                                     const Terminal& terminal);

// "period: of a cyclic one. ...": what the columns of a table mean, folded to the width.
[[nodiscard]] std::string legend_text(const tables::Table& table, const Terminal& terminal);

}  // namespace greymet::cli
