// What the headings of a maker's table mean. Not for use outside this folder.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>

#include "model/address.h"

namespace greymet::files::internal {

// What a column of such a table can hold.
enum class Column : std::uint8_t {
  none,
  point,
  area,
  address,
  type,
  bit,
  word_order,
  factor,   // value = raw x this
  divisor,  // value = raw / this
  scale,    // one of the two: a number above 1 does not tell
  offset,
  decimals,
  unit,
  min,
  max,
  range,  // both ends in one cell
  access,
  note,
  names,
  wears,
  function,  // codes, for both directions
  read_function,
  write_function,
  length,
};
// "address", "read function": as messages name it.
[[nodiscard]] std::string_view to_string(Column column);

enum class Counted : std::uint8_t { unsaid, registers, bytes, bits };

// What one heading says.
struct Heading {
  Column column = Column::none;
  bool is_ours = false;               // it is a column of our own maps, to the letter
  std::optional<bool> hexadecimal;    // of addresses: "(hex)", "(dec)"
  std::optional<int> counts_from;     // "0-based", "1-based"
  Counted counted = Counted::unsaid;  // of lengths
  std::optional<model::Area> area;    // of addresses: "Holding register"
};

// Headings that a person adds: a heading as it stands in a table, and one of our words for columns.
using OwnHeadings = std::map<std::string, Column>;
// Reads "Messstelle,point" lines. Nothing where a line names no column; `trouble` says why then.
[[nodiscard]] std::optional<OwnHeadings> own_headings_from(const std::string& text,
                                                           std::string& trouble);

// In any case of letters, with umlauts or without, in English or German. Column::none where it is
// not known.
[[nodiscard]] Heading heading_of(std::string_view text, const OwnHeadings& own = {});

}  // namespace greymet::files::internal
