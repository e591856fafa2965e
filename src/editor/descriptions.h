// What is told of an address, a point, a place in memory or a thing, in Markdown. Not for use
// outside this folder.
#pragma once

#include <string>
#include <string_view>

#include "editor/plan_view.h"
#include "editor/things.h"

namespace greymet::editor::internal {

// Every reading of a text that stands for an address of that slave, in a row with this function.
[[nodiscard]] std::string address_markdown(const PlanView& view, std::string_view word,
                                           std::size_t slave, std::string_view function);
[[nodiscard]] std::string point_markdown(const PlanView& view, std::size_t slave,
                                         const model::Point& point);
// Of a map that no slave of a plan uses.
[[nodiscard]] std::string lonely_point_markdown(const model::Point& point);
// A place in memory, with every use of it.
[[nodiscard]] std::string memory_markdown(const PlanView& view, const MemoryPlace& place);
// An area of a controller's memory: how much of it is used, and what is free. Empty where there is
// none of that name.
[[nodiscard]] std::string area_markdown(const PlanView& view, std::size_t controller,
                                        std::string_view name);
// A slave, line, gateway, controller or point; empty for all others.
[[nodiscard]] std::string thing_markdown(const PlanView& view, const Thing& thing);

}  // namespace greymet::editor::internal
