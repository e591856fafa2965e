// Whose memory a place of a row or want names. Not for use outside this folder.
#pragma once

#include <string>

#include "model/resolved_plan.h"

namespace greymet::model {

// The memory of the controller that asks this slave: the one that is named, else the master of the
// slave's line, else the only one. Null where nothing says which. Valid as long as the plan.
[[nodiscard]] const MemoryLayout* asking_memory(const ResolvedPlan& resolved,
                                                const Declared<std::string>& controller,
                                                const std::string& slave);

}  // namespace greymet::model
