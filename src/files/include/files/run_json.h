// What run measured, as JSON and CSV; docs/json.md and docs/wire.md describe them.
#pragma once

#include <string>

#include "engine/run_watch.h"

namespace greymet::files {

// One run, over or not.
struct RunSummary {
  model::Duration lasted{};
  std::vector<engine::RunTransaction> transactions;
  std::vector<engine::Expectation> expected;
  std::vector<engine::ExpectationResult> results;  // parallel
  std::size_t oddities = 0;
  bool accounted = true;
  bool passed = false;
  std::string lost;  // a device that went away, as it is shown; empty if none did
};

[[nodiscard]] std::string run_json(const model::ResolvedPlan& plan, const RunSummary& summary);
// "where,value,unit,raw,age_s,transaction"
[[nodiscard]] std::string values_csv(const model::ResolvedPlan& plan,
                                     const engine::PointValues& points, model::Duration now);

}  // namespace greymet::files
