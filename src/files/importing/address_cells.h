// Addresses as makers print them: what one cell says, and what a whole column of them counts in.
// Not for use outside this folder.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/address.h"

namespace greymet::files::internal {

// One number of a cell as it is written.
struct WrittenNumber {
  std::string digits;    // without marks, blanks and leading words
  bool marked = false;   // as hexadecimal: 0x, h, 16#, $, &H
  bool letters = false;  // A to F among its digits
  // The number in this base; nothing where its digits are none, or it is above 65536 x 10.
  [[nodiscard]] std::optional<std::int64_t> value(bool hexadecimal) const;
};

// "40001", "0x0048", "40001-40010", "40012.3", "4x0001", "40 001", "hr:12".
struct AddressCell {
  WrittenNumber first;
  std::optional<WrittenNumber> last;  // of a range
  std::optional<std::uint32_t> bit;
  std::optional<model::Area> area;  // where the cell names it
  bool is_offset = false;           // ... and counts from 0: "hr:12"
};
// Nothing where it is no address.
[[nodiscard]] std::optional<AddressCell> address_cell_from(std::string_view text);

// What the numbers of a column are written in.
enum class Base : std::uint8_t { decimal, hexadecimal, doubtful };

// One row of a column, in the order of the table.
struct ColumnCell {
  AddressCell cell;
  std::optional<std::uint32_t> length;  // of its value, in registers; nothing where not known
};

// Hexadecimal where a cell shows it by letters, and where values would overlap as decimal ones;
// decimal where values follow each other without gaps over a ten, and where no number is filled up
// with zeros. Doubtful where numbers of one width are, and nothing tells. Marked numbers are of no
// account: each says itself what it is.
[[nodiscard]] Base base_of(const std::vector<ColumnCell>& column);

}  // namespace greymet::files::internal
