// The frames of a transaction with values in them.
#pragma once

#include <string>
#include <tl/expected.hpp>
#include <vector>

#include "engine/stated_value.h"
#include "modbus/planned_frames.h"

namespace greymet::engine {

// As its master sends them and its slave answers, with these values of points or of memory, all
// others 0 but for constants. Fails with one line for a value that the transaction does not carry.
[[nodiscard]] tl::expected<modbus::PlannedFrames, std::string> stated_frames(
    const model::ResolvedPlan& plan, const model::ExchangeTransaction& t,
    const std::vector<StatedValue>& values);

}  // namespace greymet::engine
