// Following one value through reads, copies and writes to every place it reaches, with the word
// order it has there.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "model/data_type.h"
#include "model/value_flow.h"

namespace greymet::model {

struct ResolvedPlan;

// A place that the value reaches, and the step that brings it there.
struct TracedPlace {
  ValuePlace place;
  std::optional<WordOrder> order;     // of its words there; nothing where nobody says
  std::optional<std::size_t> before;  // where it came from, in the same list; none: the start
  ValueMove by;                       // of all but the start
};

// The start first, then in the order of the steps. Ends at `most_traced` places. A value whose
// words are split among several steps reaches nothing as a whole.
inline constexpr std::size_t most_traced = 1000;
[[nodiscard]] std::vector<TracedPlace> trace_value(const ResolvedPlan& plan, const ValuePlace& from,
                                                   std::optional<WordOrder> order);

// The order of a value behind this step, `swap` of its transaction done.
[[nodiscard]] std::optional<WordOrder> order_behind(const ResolvedPlan& plan, const ValueMove& move,
                                                    std::optional<WordOrder> order);

}  // namespace greymet::model
