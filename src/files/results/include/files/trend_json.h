// Values over time as JSON; docs/json.md.
#pragma once

#include <string>

#include "files/log_reader.h"

namespace greymet::files {

[[nodiscard]] std::string trend_json(const LogTrends& trends);

}  // namespace greymet::files
