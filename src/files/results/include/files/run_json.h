// What run measured, as JSON and CSV; docs/json.md and docs/wire.md describe them.
#pragma once

#include <string>

#include <nlohmann/json_fwd.hpp>

#include "engine/run_verdict.h"
#include "engine/run_watch.h"
#include "engine/stage.h"
#include "tables/table.h"

namespace greymet::files {

// One run, over or not.
struct ToldProgram {
  std::string controller;
  std::optional<std::uint16_t> told;  // nothing: it could not be asked
  std::uint16_t wanted = 0;           // of this plan
  std::string text;                   // "runs this exchange (59BF)"

  [[nodiscard]] bool is_other() const { return told && *told != wanted; }
};

struct RunSummary {
  model::Duration lasted{};
  std::vector<engine::MeasuredTransaction> transactions;
  std::vector<engine::Expectation> expected;
  std::vector<engine::ExpectationResult> results;  // parallel
  std::vector<engine::OddWire> odd;                // what came and was no answer
  std::vector<engine::SlaveState> slaves;
  std::vector<engine::WireState> wires;
  std::vector<engine::RunHeartbeat> heartbeats;
  std::vector<ToldProgram> programs;  // of controllers that tell it, before the first request
  bool accounted = true;
  engine::RunVerdict verdict;
  std::string lost;  // a device that went away, as it is shown; empty if none did
};

// What was no answer, a row a wire with a count a kind: part of both documents.
[[nodiscard]] nlohmann::ordered_json odd_wires_json(const std::vector<engine::OddWire>& wires);

[[nodiscard]] std::string run_json(const model::ResolvedPlan& plan,
                                   const timing::TimingReport& report, const RunSummary& summary);
// What controllers wrote to what was served, against what was expected.
[[nodiscard]] std::string served_json(const tables::Table& expected, bool good);
// "where,value,unit,raw,age_s,transaction"
[[nodiscard]] std::string values_csv(const model::ResolvedPlan& plan,
                                     const engine::PointValues& points, model::Duration now);

}  // namespace greymet::files
