// Register maps from what device makers give: CSV, a sheet of a workbook (XLSX), a W3C Thing
// Description. Whatever is not as our maps have it is brought into their form, and said; what is
// not certain is left as it stands, for check to speak about.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

#include "files/file_source.h"

namespace greymet::files {

// What a Thing Description knows of the device itself.
struct ImportedEndpoint {
  std::string host;
  std::int64_t port = 502;
  std::optional<std::int64_t> unit;
};

// A map in our form, and what had to be guessed for it.
struct ImportedMap {
  std::string csv;                 // as docs/register-maps.md has it
  std::vector<std::string> notes;  // one line each: what was taken for what, what was left out
  std::optional<std::string> numbering;  // "reference" or "from-0", where the addresses tell
  std::optional<ImportedEndpoint> endpoint;
  std::size_t points = 0;
};

// `name` is that of the file, and its ending decides how it is read; `sheet` picks a sheet of a
// workbook, else the first one with headings that are known. The error is ready to be shown behind
// the file's name.
[[nodiscard]] tl::expected<ImportedMap, FileError> import_map(std::string_view name,
                                                              const std::string& content,
                                                              const std::string& sheet);

// The texts of a sheet, row by row; rows and cells that are empty are kept up to the last one that
// is not.
struct Sheet {
  std::string name;
  std::vector<std::vector<std::string>> rows;
};
// All sheets of a workbook (ECMA-376, parts 1 and 2). Never more than most_rows rows and most_cells
// cells.
[[nodiscard]] tl::expected<std::vector<Sheet>, FileError> read_workbook(const std::string& content);

}  // namespace greymet::files
