// ZIP archives and the sheets of workbooks in them, read by other means than the program's.
#pragma once

#include <map>
#include <string>
#include <vector>

namespace greymet::test {

// Every member by its name; the test fails where it is no archive.
[[nodiscard]] std::map<std::string, std::string> unzipped(const std::string& archive);

// An archive of these members.
[[nodiscard]] std::string zipped(const std::map<std::string, std::string>& members);

// A workbook (XLSX) with one sheet of these texts.
[[nodiscard]] std::string workbook_of(const std::vector<std::vector<std::string>>& rows);

// The cells of each sheet, in their order, row by row as texts; empty ones are empty.
[[nodiscard]] std::vector<std::vector<std::vector<std::string>>> sheets_of(
    const std::string& workbook);

}  // namespace greymet::test
