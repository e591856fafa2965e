// The other end of every value: the variables of a controller's program, as its table declares
// them.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/data_type.h"
#include "model/range.h"
#include "model/strong.h"

namespace greymet::model {

// What the program takes the bits of a tag to be. `raw`: a string of bits of that width (WORD,
// DWORD, LWORD, bits), which may hold a value of any type.
struct TagType {
  DataType type;
  bool raw = false;
  friend bool operator==(const TagType&, const TagType&) = default;
};

// A type of a register map, or the IEC 61131-3 name of one (BOOL, INT, UINT, DINT, UDINT, LINT,
// ULINT, REAL, LREAL, WORD, DWORD, LWORD, STRING[n]), in any case of letters. A text of n
// characters takes (n + 1) / 2 words.
[[nodiscard]] std::optional<TagType> tag_type_from(std::string_view text);
// The IEC name where there is one: "REAL", "STRING[16]", "bcd16".
[[nodiscard]] std::string to_text(TagType type);
// Of the values a map lists: "f32" as "REAL", "bits" as "WORD".
[[nodiscard]] TagType tag_type_of(DataType type);

// Columns of a tag whose cells findings point at.
enum class TagCell : std::uint8_t { type, word_order, factor, offset, unit };
inline constexpr std::size_t tag_cells = 5;

// One variable. What is left out is not stated, and not judged.
struct Tag {
  std::string name;
  Range place;                   // of its name
  Located<std::string> address;  // "%MW100", "%MX40", "%MW114.3"
  TagType type;
  std::optional<WordOrder> word_order;  // else the controller's
  std::optional<double> factor;         // engineering value = raw x factor + offset
  std::optional<double> offset;
  std::string unit;
  Declared<std::string> from;  // "slave.point", "controller.tag", or "program"
  Declared<std::string> to;
  Declared<Duration> max_age;
  std::string note;
  std::array<CellSpot, tag_cells> cells{};
};

// The cell of that column; the tag's name where it has none.
[[nodiscard]] Range place_of(const Tag& tag, TagCell cell);

// What `from` or `to` says of a tag that is the program's own, whatever points are called.
inline constexpr std::string_view program_alone = "program";

// The tags of one controller, in the order of the file. `incomplete`: rows or columns could not be
// read, so that a tag that seems to be missing may be there.
struct TagTable {
  std::string file;
  Range place;  // of the name of the file, in the plan
  std::vector<Tag> tags;
  bool incomplete = false;
  std::vector<std::string> left_out;  // names of rows that could not be read
};

}  // namespace greymet::model
