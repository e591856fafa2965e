// The small files of run and serve: what is stated, what is expected, and whether this run can have
// it. Not for use outside this folder.
#pragma once

#include <vector>

#include "cli/wire_files.h"
#include "engine/run_watch.h"

namespace greymet::cli::internal {

[[nodiscard]] engine::Expectation expectation_of(const model::ResolvedPlan& plan,
                                                 const files::ExpectedValue& row);

// What is expected of a run, and what of it no transaction brings: that is read back at the end.
struct ExpectedOfRun {
  std::vector<engine::Expectation> expected;
  std::vector<std::size_t> read_back;  // into `expected`
  std::optional<int> refused;          // the exit status, after it has been said why
};
[[nodiscard]] ExpectedOfRun read_expected_of_run(const std::string& path,
                                                 const model::ResolvedPlan& plan,
                                                 const std::vector<std::size_t>& controllers,
                                                 const Terminal& terminal);

// Stated values that no run of these controllers could ever send.
[[nodiscard]] model::Findings never_sent(const std::vector<engine::StatedValue>& values,
                                         const model::ResolvedPlan& plan,
                                         const std::vector<std::size_t>& controllers);

// Stated values of points that a write of this run should have carried and did not: a line each.
[[nodiscard]] std::vector<std::string> never_sent_values(
    const model::ResolvedPlan& plan, const std::vector<engine::StatedValue>& values,
    const std::vector<engine::MeasuredTransaction>& transactions, engine::Duration lasted);

}  // namespace greymet::cli::internal
