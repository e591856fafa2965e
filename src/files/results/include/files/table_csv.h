// Tables as CSV (RFC 4180): keys of the columns, then one line a row. Flags are true or false,
// words are put together with "; ".
#pragma once

#include <string>

#include "tables/table.h"

namespace greymet::files {

// `last` is a further column that is the same in every row: its key, its text.
[[nodiscard]] std::string table_csv(const tables::Table& table,
                                    const std::pair<std::string, std::string>& last = {});

}  // namespace greymet::files
