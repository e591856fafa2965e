// Tables as parts of a page and as sheets of a workbook.
#pragma once

#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "tables/table.h"

namespace greymet::exports {

// All of a table as HTML: a heading and a table for each group, or its `none`. Columns without any
// value are left out; where a page is too narrow the lightest stand below their row, with what they
// are called, where they have a value that is not "no". Rows and states have the colour of their
// mood; the meaning of a column shows when one points at its heading.
[[nodiscard]] std::string table_html(const tables::Table& table);

// One sheet a table, with all its columns. The same tables give the same bytes. Fails only where a
// temporary file cannot be written.
[[nodiscard]] tl::expected<std::string, std::string> tables_workbook(
    const std::vector<tables::Table>& tables, const std::string& title = {},
    const std::string& comments = {});

}  // namespace greymet::exports
