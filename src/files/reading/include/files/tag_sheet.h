// Lists of a program's variables as workbooks hold them (XLSX, ODS) -> a table of tags.
#pragma once

#include <string>
#include <tl/expected.hpp>

#include "files/file_source.h"

namespace greymet::files {

// True for a file of that kind, by its first bytes.
[[nodiscard]] bool looks_like_workbook(const std::string& content);

// The first sheet with a row of headings that name the variable, its address and its type, in
// English or German, as CSV with our names for them; line n of it is row n of the sheet, and rows
// without an address (variables that lie nowhere in particular) are blank. The error says what was
// looked for.
[[nodiscard]] tl::expected<std::string, FileError> tag_table_of_workbook(
    const std::string& content);

}  // namespace greymet::files
