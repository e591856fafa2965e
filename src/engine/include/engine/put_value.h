// Where stated values go: into a controller's memory, or where writes take them from.
#pragma once

#include <vector>

#include "engine/controller_memory.h"
#include "engine/stated_value.h"
#include "modbus/value_codec.h"

namespace greymet::engine {

// What a row says for a point, `elapsed` after it began: a constant as it was written, to the
// digit; what moves is cut to what the type holds.
[[nodiscard]] modbus::RawValue raw_of(const StatedValue& value, const model::Point& point,
                                      Duration elapsed);

// Puts it where it belongs at controllers: a word, bit or tag into memory, a point of a slave where
// each write takes it from. `memories`: of all controllers of the plan.
void put_stated(const model::ResolvedPlan& plan, const StatedValue& value, Duration elapsed,
                const std::vector<ControllerMemory*>& memories);

}  // namespace greymet::engine
