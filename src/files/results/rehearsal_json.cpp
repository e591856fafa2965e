#include "files/rehearsal_json.h"

#include <nlohmann/json.hpp>

#include "files/exchange_export.h"
#include "files/json_text.h"
#include "files/run_json.h"

namespace greymet::files {

using Json = nlohmann::ordered_json;

namespace {

template <class T>
Json value_or_null(const std::optional<T>& value) {
  return value ? Json(*value) : Json(nullptr);
}

Json transaction_json(const engine::RehearsedTransaction& t) {
  return {{"name", t.name},
          {"sent", t.all.sent},
          {"good", t.all.good},
          {"exceptions", t.all.exceptions},
          {"timeouts", t.all.timeouts},
          {"bad", t.all.bad},
          {"unfinished", t.all.unfinished},
          {"dropped", t.all.dropped},
          {"missed", t.missed},
          {"response_min_ms", ms_or_null(t.quiet.responses.least())},
          {"response_mean_ms", value_or_null(t.quiet.responses.mean_ms())},
          {"response_median_ms", ms_or_null(t.quiet.responses.median())},
          {"response_p99_ms", ms_or_null(t.quiet.responses.quantile(0.99))},
          {"response_max_ms", ms_or_null(t.quiet.responses.greatest())},
          {"predicted_ms", ms_or_null(t.predicted)},
          {"bound_ms", ms_or_null(t.bound)},
          {"duration_median_ms", ms_or_null(t.quiet.services.median())},
          {"typical_ms", ms_or_null(t.typical)},
          {"expected_ms", ms_or_null(t.expected)},
          {"verdict", to_string(t.verdict)}};
}

Json heartbeat_json(const model::ResolvedPlan& plan, const engine::RehearsedHeartbeat& beat) {
  return {{"name", plan.exchange.heartbeats[beat.heartbeat].name},
          {"watched", beat.watched},
          {"changes_seen", beat.changes_seen},
          {"longest_apart_ms", ms_or_null(beat.longest_gap)},
          {"false_alarms", beat.false_alarms},
          {"alarm_ms", ms_or_null(beat.alarm)},
          {"latest_alarm_ms", ms_or_null(beat.latest_alarm)},
          {"cleared_ms", ms_or_null(beat.cleared)},
          {"verdict", beat.good      ? "good"
                      : beat.watched ? "bad"
                                     : "not watched"}};
}

Json fault_json(const model::ResolvedPlan& plan, const engine::RehearsedFault& each) {
  const engine::Fault& fault = each.fault;
  const bool lasts = fault.until == model::Duration::max();
  return {{"at_ms", model::to_ms(fault.at)},
          {"for_ms", lasts ? Json(nullptr) : Json(model::to_ms(fault.until - fault.at))},
          {"slave", plan.target_name({fault.is_peer, fault.index, 0})},
          {"fault", to_string(fault.kind)},
          {"noticed_ms", ms_or_null(each.noticed)},
          {"recovered_ms", ms_or_null(each.recovered)},
          {"verdict", each.good ? "good" : "bad"}};
}

}  // namespace

std::string rehearsal_json(const model::ResolvedPlan& plan, const engine::RehearsalResult& result) {
  Json transactions = Json::array();
  for (const auto& t : result.transactions) transactions.push_back(transaction_json(t));
  Json heartbeats = Json::array();
  for (const auto& beat : result.heartbeats) heartbeats.push_back(heartbeat_json(plan, beat));
  Json faults = Json::array();
  for (const auto& fault : result.faults) faults.push_back(fault_json(plan, fault));
  Json blocks = Json::array();
  for (const engine::RehearsedBlock& block : result.blocks) {
    blocks.push_back({{"transaction", plan.exchange.find(block.transaction)->name},
                      {"direction", block.is_read ? "read" : "write"},
                      {"first_word", to_string(block.first)},
                      {"last_word", to_string(block.last)},
                      {"after_ms", ms_or_null(block.after)}});
  }
  Json watchdogs = Json::array();
  for (const engine::Field::Tripped& each : result.watchdogs) {
    watchdogs.push_back({{"slave", plan.plan.slaves[each.slave].name},
                         {"at_ms", model::to_ms(each.at)},
                         {"times", each.times}});
  }
  return dump({{"fingerprint", fingerprint_of(plan)},
               {"duration_s", model::to_ms(result.lasted) / 1000},
               {"verdict", result.stopped  ? "stopped"
                           : result.passed ? "passed"
                                           : "failed"},
               {"transactions", std::move(transactions)},
               {"heartbeats", std::move(heartbeats)},
               {"faults", std::move(faults)},
               {"blocks", std::move(blocks)},
               {"watchdogs_tripped", std::move(watchdogs)},
               {"oddities", engine::total_of(result.odd)},
               {"odd_wires", odd_wires_json(result.odd)},
               {"accounted", result.accounted}});
}

}  // namespace greymet::files
