#include "supervision_json.h"

#include "files/json_text.h"
#include "model/resolved_plan.h"

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
    names.push_back(resolved.declared(resolved.transactions[job.transaction]).name);
  }
  return names;
}

Json hurt_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report,
               const timing::Stall& stall, timing::StallKind kind) {
  return names_json(resolved, report,
                    jobs_hurt(resolved, report.model, report.stalls, stall, kind, most_names));
}

// What was simulated of the slave's silence, or null.
const timing::SilentCase* case_of(const timing::TimingReport& report, std::size_t stall) {
  for (const timing::SilentCase& silent : report.silence.cases) {
    if (silent.stall == stall) return &silent;
  }
  return nullptr;
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
  const bool copy = hop.kind == model::MoveKind::copy;
  const std::string name = copy ? "copy " + std::to_string(hop.index + 1)
                                : resolved.declared(resolved.transactions[hop.index]).name;
  const char* kind = copy ? "copy" : hop.kind == model::MoveKind::read ? "read" : "write";
  return {{"kind", kind},
          {"name", name},
          {"controller", resolved.plan.controllers[hop.controller].name},
          {"least_ms", model::to_ms(hop.least)},
          {"bound_ms", ms_or_null(hop.bound)}};
}

}  // namespace

Json heartbeats_json(const timing::TimingReport& report) {
  Json heartbeats = Json::array();
  for (std::size_t i = 0; i < report.heartbeats.size(); ++i) {
    const timing::HeartbeatReport& h = report.heartbeats[i];
    Json out = {{"name", h.name},
                {"carried_by", h.carried_by.empty() ? Json(nullptr) : Json(h.carried_by)},
                {"longest_gap_ms", ms_or_null(h.longest_gap)},
                {"watch_ms", model::to_ms(h.watch)},
                {"watch_min_ms", ms_or_null(h.watch_min)},
                {"watch_max_ms", ms_or_null(h.watch_max)},
                {"latest_alarm_ms", ms_or_null(h.latest_alarm)},
                {"verdict", to_string(h.verdict)}};
    if (i < report.heartbeat_runs.size()) {
      const timing::HeartbeatRun& run = report.heartbeat_runs[i];
      const auto& seen = run.detection;
      out["detection_least_ms"] = seen ? Json(model::to_ms(seen->least)) : Json(nullptr);
      out["detection_mean_ms"] = seen ? Json(seen->mean_ms) : Json(nullptr);
      out["detection_latest_ms"] = seen ? Json(model::to_ms(seen->latest)) : Json(nullptr);
      out["tries_to_false_alarm"] = run.tries_to_alarm ? Json(*run.tries_to_alarm) : Json(nullptr);
      out["false_alarms_per_year"] = run.runs_per_year ? Json(*run.runs_per_year) : Json(nullptr);
      const auto& errors = run.with_errors;
      out["false_alarms_simulated"] = errors ? Json(errors->alarms) : Json(nullptr);
      out["simulated_s"] = errors ? Json(model::to_ms(errors->observed) / 1000) : Json(nullptr);
    }
    heartbeats.push_back(std::move(out));
  }
  return heartbeats;
}

Json tag_ages_json(const timing::TimingReport& report) {
  Json ages = Json::array();
  for (const timing::TagAge& age : report.tag_ages) {
    ages.push_back({{"tag", age.path.name},
                    {"simulated_ms", ms_or_null(age.path.simulated)},
                    {"bound_ms", ms_or_null(age.path.bound)},
                    {"max_age_ms", ms_or_null(age.path.budget)},
                    {"verdict", to_string(age.path.verdict)}});
  }
  return ages;
}

Json paths_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report) {
  Json paths = Json::array();
  for (const timing::PathReport& path : report.paths) {
    Json hops = Json::array();
    for (const timing::Hop& hop : path.hops) hops.push_back(hop_json(resolved, hop));
    const auto age = [&](auto member) {
      return ms_or_null(path.ages ? std::optional((*path.ages).*member) : std::nullopt);
    };
    using Ages = timing::AgeDistribution;
    paths.push_back({{"name", path.name},
                     {"least_ms", ms_or_null(path.least)},
                     {"simulated_ms", ms_or_null(path.simulated)},
                     {"bound_ms", ms_or_null(path.bound)},
                     {"budget_ms", ms_or_null(path.budget)},
                     {"verdict", to_string(path.verdict)},
                     {"typical_ms", age(&Ages::median)},
                     {"p99_ms", age(&Ages::p99)},
                     {"mean_ms", path.ages ? Json(path.ages->mean_ms) : Json(nullptr)},
                     {"dominating_hop", path.dominating ? Json(*path.dominating) : Json(nullptr)},
                     {"hops", std::move(hops)}});
  }
  return paths;
}

Json silent_slaves_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report) {
  Json slaves = Json::array();
  for (std::size_t i = 0; i < report.stalls.stalls.size(); ++i) {
    const timing::Stall& stall = report.stalls.stalls[i];
    const auto retry = stall.park ? std::optional(stall.park->retry) : std::nullopt;
    const timing::SilentCase* silent = case_of(report, i);
    slaves.push_back(
        {{"slave", resolved.target_name(stall.silent)},
         {"line", report.model.queues[stall.failing.front().job.queue].name},
         {"transactions", stall.counted},
         {"first_stall_ms", model::to_ms(stall.first)},
         {"steady_stall_ms", model::to_ms(stall.steady)},
         {"park_retry_ms", ms_or_null(retry)},
         {"first_hurts", hurt_json(resolved, report, stall, timing::StallKind::first)},
         {"steady_hurts", hurt_json(resolved, report, stall, timing::StallKind::steady)},
         {"simulated",
          silent != nullptr ? simulated_json(resolved, report, *silent) : Json(nullptr)}});
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
