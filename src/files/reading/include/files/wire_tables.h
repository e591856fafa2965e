// The small tables of serve, run and rehearse: faults, values, and what is expected. CSV with a
// header row, as maps are read; docs/wire.md describes the columns.
#pragma once

#include <optional>
#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "engine/faults.h"
#include "engine/stated_value.h"
#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::files {

using engine::StatedValue;
using engine::ValueSpot;

// One row of a table of expected values.
struct ExpectedValue {
  ValueSpot at;
  std::optional<double> value;
  std::string digits;  // the number as it was written
  std::optional<std::string> text;
  double tolerance = 0;
  std::optional<model::Duration> within;  // from the start of the run; else at its end
};

template <class Row>
using TableOf = tl::expected<std::vector<Row>, model::Findings>;

// `file` is the index that places get. Fails with what is wrong with the rows, all of them.
[[nodiscard]] TableOf<engine::Fault> read_faults(const std::string& text, std::uint32_t file,
                                                 const model::ResolvedPlan& plan);
// Generators may stand for values; a place may stand several times, each from another time on.
[[nodiscard]] TableOf<StatedValue> read_values(const std::string& text, std::uint32_t file,
                                               const model::ResolvedPlan& plan);
// One line without a header, "where,value" or "where,value,at", as somebody types it; `line` is its
// number there. Nothing for a line that is empty, or the header.
[[nodiscard]] TableOf<StatedValue> read_value_line(const std::string& text, std::uint32_t line,
                                                   const model::ResolvedPlan& plan);
// One place alone; fails with one line.
[[nodiscard]] tl::expected<ValueSpot, std::string> read_spot(const std::string& where,
                                                             const model::ResolvedPlan& plan);
[[nodiscard]] TableOf<ExpectedValue> read_expected(const std::string& text, std::uint32_t file,
                                                   const model::ResolvedPlan& plan);

}  // namespace greymet::files
