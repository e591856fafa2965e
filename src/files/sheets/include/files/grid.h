// Tables as rows of texts, however they were stored.
#pragma once

#include <cstddef>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "files/file_source.h"

namespace greymet::files::internal {

// One table with all that stands above and below it.
struct Grid {
  std::string name;                            // of a sheet; "table 2" of a page; else empty
  std::vector<std::vector<std::string>> rows;  // texts of cells; rows may differ in length
  std::vector<std::size_t> lines;              // where each row stands in its file, from 1
  bool of_numbers = false;  // cells may be numbers of a spreadsheet: 40012.10 is 40012.1 there
};

// What a text may be: cells between commas, semicolons, tabs or bars, and columns that blanks keep
// apart. At least one; which of them it is, headings tell. Fails where a quote is never closed, and
// nothing else fits.
[[nodiscard]] tl::expected<std::vector<Grid>, FileError> grids_of_text(const std::string& text);
// Every table of an HTML page. Cells that span several columns or rows stand in all of them.
[[nodiscard]] tl::expected<std::vector<Grid>, FileError> grids_of_page(const std::string& page);
// Every sheet of an OpenDocument spreadsheet (ISO/IEC 26300).
[[nodiscard]] tl::expected<std::vector<Grid>, FileError> grids_of_ods(const std::string& archive);
// Every sheet of a workbook, OpenDocument or Office Open XML (ISO/IEC 29500), by what is in it.
[[nodiscard]] tl::expected<std::vector<Grid>, FileError> grids_of_archive(
    const std::string& archive);

}  // namespace greymet::files::internal
