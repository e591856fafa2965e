// The small tables of serve, run and rehearse: faults, values, and what is expected. CSV with a
// header row, as maps are read; docs/wire.md describes the columns.
#pragma once

#include <optional>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "engine/faults.h"
#include "engine/generator.h"
#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::files {

// A value somewhere: a point of a slave, or a word or bit of a controller.
struct ValueSpot {
  std::optional<std::size_t> slave;
  std::size_t point = 0;  // into the slave's map
  model::ControllerIndex controller;
  std::optional<model::MemoryRange> memory;  // one word, or one bit
  std::string where;                         // as it was written
  model::Range place;                        // there
};

// One row of a table of values.
struct StatedValue {
  ValueSpot at;
  std::optional<engine::Generator> generator;  // a number is a constant
  std::optional<std::string> text;             // of a text point
};

// One row of a table of expected values.
struct ExpectedValue {
  ValueSpot at;
  std::optional<double> value;
  std::optional<std::string> text;
  double tolerance = 0;
  std::optional<model::Duration> within;  // from the start of the run; else at its end
};

template <class Row>
using TableOf = tl::expected<std::vector<Row>, model::Findings>;

// `file` is the index that places get. Fails with what is wrong with the rows, all of them.
[[nodiscard]] TableOf<engine::Fault> read_faults(const std::string& text, std::uint32_t file,
                                                 const model::ResolvedPlan& plan);
// `may_move`: generators may stand for values.
[[nodiscard]] TableOf<StatedValue> read_values(const std::string& text, std::uint32_t file,
                                               const model::ResolvedPlan& plan, bool may_move);
[[nodiscard]] TableOf<ExpectedValue> read_expected(const std::string& text, std::uint32_t file,
                                                   const model::ResolvedPlan& plan);

}  // namespace greymet::files
