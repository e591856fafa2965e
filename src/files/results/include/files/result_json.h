// JSON of findings and of the timing; docs/json.md lists the keys, which stay.
#pragma once

#include <optional>
#include <string>

#include "files/plan_loader.h"
#include "model/finding.h"
#include "packing/pack.h"
#include "packing/tune.h"
#include "timing/report.h"

namespace greymet::timing {
struct Why;
}

namespace greymet::files {

// What places of findings count through.
[[nodiscard]] std::vector<std::string> source_names(const LoadedPlan& loaded);
[[nodiscard]] std::string findings_json(const LoadedPlan& loaded, const model::Findings& findings);
[[nodiscard]] std::string timing_json(const model::ResolvedPlan& resolved,
                                      const timing::TimingReport& report);
// How one bound is made up.
[[nodiscard]] std::string why_json(const model::ResolvedPlan& resolved,
                                   const timing::TimingReport& report, const timing::Why& why);

// `raised`: what check will report more with these rows; none where they cannot be put in.
[[nodiscard]] std::string pack_json(const model::ResolvedPlan& resolved,
                                    const packing::PackResult& result,
                                    const std::optional<model::Findings>& raised);
[[nodiscard]] std::string tune_json(const LoadedPlan& loaded,
                                    const std::vector<packing::TuneAdvice>& advice);

}  // namespace greymet::files
