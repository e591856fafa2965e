// Reads back what run and rehearse wrote, for `--measured`.
#pragma once

#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "timing/measured_facts.h"

namespace greymet::files {

// The durations in a run.json or rehearse.json; or, in words, why there are none.
[[nodiscard]] tl::expected<std::vector<timing::MeasuredDuration>, std::string> read_measured(
    const std::string& text);

}  // namespace greymet::files
