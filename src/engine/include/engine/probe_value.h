// Off by one, order of words, type and factor of one value, settled against what the device's own
// display shows.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/probe.h"
#include "model/register_map.h"

namespace greymet::engine {

// What the plan takes it for.
struct ValueTarget {
  model::Area area = model::Area::holding_register;
  std::uint32_t first = 0;
  model::DataType type;
  model::WordOrder order = model::WordOrder::abcd;
  double factor = 1;  // engineering value = raw x factor + offset
  double offset = 0;
};

// One reading of some registers that could be the shown value.
struct ValueFit {
  int shift = 0;  // registers above where the plan looks
  model::DataType type;
  model::WordOrder order = model::WordOrder::abcd;  // abcd where it plays no part
  double scale = 1;      // the shown value is the plan's times this: 0.1, 60 ...
  double value = 0;      // engineering, with that scale
  double deviation = 0;  // from what is shown, as a part of it; 0 where all shown digits agree
  std::vector<model::DataType> also;  // types of the same width that give the very same value
};

// Registers as they were read, one shift each.
struct ShiftAnswer {
  int shift = 0;
  ProbeBlock block;
  ProbeAnswer answer;
};

struct ValueProbe {
  std::vector<ShiftAnswer> asked;  // as the plan means it first, then one lower, one higher
  std::vector<ValueFit> fits;      // the nearest first; none without a shown value
  // The one fit that nothing else comes near to. Where several do, or a scale had to be guessed
  // for something else than the plan's reading, it is not settled, and `why_not` says why.
  bool settled = false;
  std::string why_not;
};

// The type, and the other types of numbers that take as many registers.
[[nodiscard]] std::vector<model::DataType> types_as_wide_as(model::DataType type);

// Blocks that probe_value() may ask for.
[[nodiscard]] std::vector<ProbeBlock> value_blocks(const ValueTarget& target);

// Reads the value where the plan has it, one register lower and one higher. With `near`, what the
// display shows, all types of that width in all orders are held against it: as they are first, then
// with powers of ten, 60 and 3600. Where more than one reading lies within
// modbus::plausible_deviation of it, nothing is settled: neighbours often show nearly the same, and
// values move while one looks. One kind of neighbour does not count: the same leading word with
// another one behind it, which is near whatever that is; where four digits or more are shown, only
// one reading has them, and two more looks show that the value stands still. `near` must be a
// number.
[[nodiscard]] ValueProbe probe_value(PoliteDevice& device, const ValueTarget& target,
                                     const std::optional<std::string>& near);

}  // namespace greymet::engine
