// Writing RFC 4180.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include <csv.h>

#include "model/utf8_text.h"

namespace greymet::files {

// What becomes of characters that are not seen: results are shown to people and escape them, what
// is read again keeps them.
enum class CsvFor : std::uint8_t { people, storage };

// Row by row; cells are quoted where they have to be.
class CsvWriter {
 public:
  explicit CsvWriter(CsvFor whom = CsvFor::people) : for_(whom) {}
  void row(const std::vector<std::string>& cells) {
    for (std::size_t i = 0; i < cells.size(); ++i) {
      if (i > 0) text_ += ',';
      const std::string cell = as_text(cells[i]);
      if (cell.find_first_of(",\"\r\n") == std::string::npos) {
        text_ += cell;
        continue;
      }
      std::string quoted(2 * cell.size() + 2, '\0');
      quoted.resize(csv_write(quoted.data(), quoted.size(), cell.data(), cell.size()));
      text_ += quoted;
    }
    text_ += "\r\n";  // RFC 4180
  }
  [[nodiscard]] std::string take() { return std::move(text_); }

 private:
  // A name that a spreadsheet would take for a formula is marked as text. Numbers stay numbers.
  [[nodiscard]] std::string as_text(const std::string& cell) const {
    const bool formula =
        !cell.empty() && std::string_view("=+-@\t\r").find(cell[0]) != std::string_view::npos;
    const bool number = cell.find_first_not_of("+-.0123456789") == std::string::npos;
    const std::string text = formula && !number ? "'" + cell : cell;
    return for_ == CsvFor::storage ? text : model::shown(text);
  }

  CsvFor for_;
  std::string text_;
};

}  // namespace greymet::files
