// JSON of the memory report; docs/json.md lists the keys.
#pragma once

#include <string>

#include "model/memory_report.h"

namespace greymet::files {

[[nodiscard]] std::string memory_json(const model::ResolvedPlan& resolved,
                                      const model::MemoryReport& report);

}  // namespace greymet::files
