// Whether a value may be taken for what a tag says it is. Not for use outside this folder.
#pragma once

#include <optional>
#include <string>

#include "model/resolved_plan.h"

namespace greymet::checks::internal {

// One end of a value: what it is there. What is left out is not stated.
struct ValueEnd {
  model::TagType type;
  std::optional<model::WordOrder> order;
  std::optional<double> factor;
  std::optional<double> offset;
  std::string unit;
  std::optional<double> raw_min;  // range of the raw value, where both ends of it are known
  std::optional<double> raw_max;
};

// As the slave keeps the point; its order is the slave's where the map has none.
[[nodiscard]] ValueEnd end_of_point(const model::ResolvedPlan& plan, std::size_t slave,
                                    const model::Point& point);
// As the program takes the tag; its order is the controller's where the table has none.
[[nodiscard]] ValueEnd end_of_tag(const model::ResolvedPlan& plan, const model::ResolvedTag& tag);
// The point or the peer's tag.
[[nodiscard]] ValueEnd end_of(const model::ResolvedPlan& plan, const model::TagEnd& end);

// How well one type serves as the other.
enum class TypeFit { fits, perhaps, wrong };
// `perhaps`: integers of one width, one with a sign, and no range says that it never matters.
[[nodiscard]] TypeFit fit_of(const ValueEnd& value, model::TagType taken_for);

// True where a value that arrives in one order would be read wrong in the other.
[[nodiscard]] bool orders_differ(model::TagType type, model::WordOrder a, model::WordOrder b);

// "factor 0.1 against 0.01, °C against K"; empty where nothing that both state differs.
[[nodiscard]] std::string scale_difference(const ValueEnd& value, const ValueEnd& tag);

}  // namespace greymet::checks::internal
