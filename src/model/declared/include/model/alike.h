// Slaves that a plan writes once: `[slave.fan]` with `count = 8`, or `[slave.fan2]` with
// `like = "fan1"`. Their rows are written once too, and stand for one row a slave.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/range.h"
#include "model/subject.h"

namespace greymet::model {

inline constexpr std::int64_t most_alike = 1000;

// One of them. Its places in memory lie `number` steps behind those that are written, or at the
// distance it states.
struct AlikeSlave {
  std::string name;
  std::int64_t number = 0;                      // from 0
  std::optional<std::int64_t> offset;           // in every area, words or bits as the area counts
  std::map<std::string, std::int64_t> offsets;  // by areas
};

// All that are written as one, the first of them first. `name` is what rows call them.
struct AlikeSlaves {
  std::string name;
  Range place;
  std::vector<AlikeSlave> members;
};

// What stands for a thing in the file, by the thing: of "slave fan3" it is "slave fan".
using WrittenAs = std::map<Subject, Subject>;
// How a thing is called in the file.
[[nodiscard]] std::string written_name(const WrittenAs& written_as, const Subject& subject);

// "%MW100+20": an address, and how far behind it that of the next slave lies. Without a step the
// text itself.
struct SteppedText {
  std::string base;
  std::optional<std::int64_t> step;
};
[[nodiscard]] SteppedText stepped_text(std::string_view text);

// The name of a row for one of the slaves: theirs takes the place of the common one, "fan-in"
// becomes "fan3-in"; where that does not stand in it, "speeds" becomes "speeds-3".
[[nodiscard]] std::string name_for(std::string_view row, std::string_view common,
                                   const AlikeSlave& slave);

// "fan1", "fan1 and fan2", "fan1 to fan8".
[[nodiscard]] std::string list_of_names(const std::vector<std::string>& names);

// A text with each number in it as "#": what is said of several that are alike differs in no more.
[[nodiscard]] std::string without_numbers(std::string_view text);

}  // namespace greymet::model
