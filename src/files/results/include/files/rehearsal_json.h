// A rehearsal as JSON; the keys are described in docs/json.md.
#pragma once

#include <string>

#include "engine/rehearsal.h"

namespace greymet::files {

[[nodiscard]] std::string rehearsal_json(const model::ResolvedPlan& plan,
                                         const engine::RehearsalResult& result);

}  // namespace greymet::files
