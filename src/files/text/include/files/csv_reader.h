// CSV text (RFC 4180) -> header and rows with places, through libcsv.
#pragma once

#include <optional>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "model/range.h"

namespace greymet::files {

// One cell; empty cells are kept.
struct Cell {
  std::string text;
  model::Range place;
};

// A table with its header row. Rows may be shorter or longer than the header: the caller says so.
struct CsvTable {
  std::vector<Cell> header;
  std::vector<std::vector<Cell>> rows;
  char delimiter = ',';
};

// Why a text is no table.
struct CsvError {
  model::Range place;
  std::string message;
  std::string remedy;
};

// The delimiter (comma, semicolon or tab) is the one that occurs most often in the header row,
// unless it is given. A byte order mark, CRLF and blank lines are accepted.
[[nodiscard]] tl::expected<CsvTable, CsvError> read_csv(const std::string& text, std::uint32_t file,
                                                        std::optional<char> delimiter = {});

}  // namespace greymet::files
