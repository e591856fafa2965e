#include "files/rehearsal_json.h"

#include <nlohmann/json.hpp>

#include "files/exchange_export.h"
#include "files/json_text.h"
#include "files/run_json.h"
#include "files/table_json.h"
#include "tables/measured_tables.h"

namespace greymet::files {

namespace {

nlohmann::ordered_json acts_json(const std::vector<engine::RehearsedAct>& acts) {
  auto out = nlohmann::ordered_json::array();
  for (const engine::RehearsedAct& act : acts) {
    out.push_back({{"name", act.name},
                   {"from_s", model::to_ms(act.from) / 1000},
                   {"to_s", model::to_ms(act.to) / 1000}});
  }
  return out;
}

}  // namespace

std::string rehearsal_json(const model::ResolvedPlan& plan, const engine::RehearsalResult& result) {
  return dump(
      {{"fingerprint", fingerprint_of(plan)},
       {"duration_s", model::to_ms(result.lasted) / 1000},
       {"verdict", result.stopped  ? "stopped"
                   : result.passed ? "passed"
                                   : "failed"},
       {"because", result.because},
       {"acts", acts_json(result.acts)},
       {"transactions", rows_json(tables::measured_table(result.transactions))},
       {"heartbeats", rows_json(tables::rehearsed_heartbeats_table(plan, result.heartbeats))},
       {"faults", rows_json(tables::faults_table(plan, result.faults))},
       {"blocks", rows_json(tables::blocks_table(plan, result.blocks))},
       {"watchdogs_tripped", rows_json(tables::watchdogs_table(plan, result.watchdogs))},
       {"oddities", engine::total_of(result.odd)},
       {"odd_wires", odd_wires_json(result.odd)},
       {"accounted", result.accounted}});
}

}  // namespace greymet::files
