// Small slips: every way in which one value, key, row or cell of a plan's files may be wrong by
// one move of the hand. Knows the texts alone, no rule.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "model/resolved_plan.h"

namespace greymet::mutants {

using Files = std::map<std::string, std::string>;  // by path, as the plan names them

// What was done, for the table.
enum class SlipClass {
  number,    // +-1, x10, /10, x1000, digits swapped
  notation,  // hex as decimal, 40001 as a number, counting from 1
  duration,  // another unit, x10, /10, digits swapped
  memory,    // another word, bit or area of a controller
  choice,    // another word of a few: mode, format, order
  name,      // another slave, line, controller or point of the same kind
  key_left_out,
  row,       // lost, copied, half copied, swapped with its neighbour
  map_cell,  // of a register map
  tag_cell   // of a table of tags
};
[[nodiscard]] std::string_view to_string(SlipClass c);

// One slip: the changed file, and where.
struct Slip {
  SlipClass kind = SlipClass::number;
  std::string file;
  std::uint32_t line = 0;  // counted from 1
  std::string key;         // or the column
  std::string row;         // of `transactions`: the name; else the section
  std::string what;        // "at = 100 -> 101"
  std::string text;        // of the whole file
};

// All of them, in the order of the files. `plan` is what the files say, for names of a kind.
[[nodiscard]] std::vector<Slip> slips_of(const Files& files, const std::string& plan_path,
                                         const model::ResolvedPlan& plan);

}  // namespace greymet::mutants
