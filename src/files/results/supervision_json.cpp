#include "supervision_json.h"

#include "files/json_text.h"
#include "files/table_json.h"
#include "model/resolved_plan.h"
#include "tables/timing_tables.h"

namespace greymet::files::internal {

using Json = nlohmann::ordered_json;

namespace {

constexpr std::size_t most_names = 1000;

Json names_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report,
                const std::vector<timing::JobRef>& jobs) {
  Json names = Json::array();
  for (const timing::JobRef ref : jobs) {
    if (names.size() == most_names) break;
    const auto& job = job_at(report.model, ref);
    names.push_back(resolved.transaction_name(job.transaction));
  }
  return names;
}

Json tripped_json(const timing::TimingReport& report, const timing::SilentCase& silent) {
  Json names = Json::array();
  for (std::size_t h : silent.tripped) names.push_back(report.heartbeats[h].name);
  return names;
}

Json simulated_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report,
                    const timing::SilentCase& silent) {
  return {{"first_stall_ms", model::to_ms(silent.first)},
          {"steady_stall_ms", model::to_ms(silent.steady)},
          {"without_park_stall_ms", model::to_ms(silent.without_park)},
          {"missing", names_json(resolved, report, silent.missing)},
          {"missing_steady", names_json(resolved, report, silent.missing_steady)},
          {"missing_without_park", names_json(resolved, report, silent.missing_without_park)},
          {"heartbeats_tripped", tripped_json(report, silent)}};
}

Json hop_json(const model::ResolvedPlan& resolved, const timing::Hop& hop) {
  const char* kind = hop.kind == model::MoveKind::copy   ? "copy"
                     : hop.kind == model::MoveKind::read ? "read"
                                                         : "write";
  return {{"kind", kind},
          {"name", resolved.move_name(hop.kind, hop.index)},
          {"controller", resolved.plan.controllers[hop.controller].name},
          {"least_ms", model::to_ms(hop.least)},
          {"bound_ms", ms_or_null(hop.bound)}};
}

}  // namespace

Json paths_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report) {
  Json paths = rows_json(tables::paths_table(report));
  for (std::size_t i = 0; i < report.paths.size(); ++i) {
    Json hops = Json::array();
    for (const timing::Hop& hop : report.paths[i].hops) hops.push_back(hop_json(resolved, hop));
    paths[i]["hops"] = std::move(hops);
  }
  return paths;
}

Json silent_slaves_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report) {
  Json slaves = rows_json(tables::silent_slaves_table(resolved, report));
  for (std::size_t i = 0; i < report.stalls.stalls.size(); ++i) {
    const timing::SilentCase* silent = tables::simulated_silence(report, i);
    slaves[i]["simulated"] =
        silent != nullptr ? simulated_json(resolved, report, *silent) : Json(nullptr);
  }
  return slaves;
}

Json silent_pairs_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report) {
  Json pairs = Json::array();
  for (const timing::SilentCase& silent : report.silence.cases) {
    if (silent.devices.size() < 2) continue;
    Json slaves = Json::array();
    for (std::size_t d : silent.devices) {
      slaves.push_back(resolved.target_name(report.model.devices[d]));
    }
    pairs.push_back({{"slaves", std::move(slaves)},
                     {"line", report.model.queues[silent.queue].name},
                     {"simulated", simulated_json(resolved, report, silent)}});
  }
  return pairs;
}

}  // namespace greymet::files::internal
