// Reads back what run and rehearse wrote, for `--measured`.
#pragma once

#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "files/plan_loader.h"
#include "timing/measured_facts.h"

namespace greymet::files {

// The durations in a run.json or rehearse.json; or, in words, why there are none.
[[nodiscard]] tl::expected<std::vector<timing::MeasuredDuration>, std::string> read_measured(
    const std::string& text);

// Lets what stands in `text`, the content of the file `name`, count in place of what the plan
// states. Fails, in words, where nothing of this plan was measured; the plan is then as it was.
[[nodiscard]] tl::expected<void, std::string> measure(LoadedPlan& loaded, const std::string& name,
                                                      const std::string& text);

}  // namespace greymet::files
