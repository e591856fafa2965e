// Tables of transactions as workbooks hold them (XLSX, ODS). Not for use outside this folder.
#pragma once

#include <string>
#include <tl/expected.hpp>

#include "files/file_source.h"

namespace greymet::files::internal {

// The first sheet with a row of headings for the name, the slave and the function, as CSV with
// our keys for them; line n of it is row n of the sheet. A column "Memory" is `into` for what is
// read and `from` for what is sent; "Period (ms)" gives its numbers their unit. The error says
// what was looked for.
[[nodiscard]] tl::expected<std::string, FileError> transaction_table_of_workbook(
    const std::string& content);

}  // namespace greymet::files::internal
