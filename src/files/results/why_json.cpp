#include "files/json_text.h"
#include "files/result_json.h"
#include "files/table_json.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "tables/timing_tables.h"
#include "timing/why.h"

#include <nlohmann/json.hpp>

namespace greymet::files {

using Json = nlohmann::ordered_json;
using timing::BoundProof;

namespace {

std::string_view word_of(BoundProof proof) {
  switch (proof) {
    case BoundProof::any_phase: return "any phase";
    case BoundProof::busy_period: return "busy period";
    case BoundProof::simulation: return "simulation";
    case BoundProof::sums: return "sums";
  }
  return {};
}

}  // namespace

std::string why_json(const model::ResolvedPlan& resolved, const timing::TimingReport& report,
                     const timing::Why& why) {
  const auto name_of = [&](timing::JobRef ref) {
    return resolved.transaction_name(job_at(report.model, ref).transaction);
  };
  const auto shares_json = [&](const std::vector<timing::BoundShare>& shares) {
    return rows_json(tables::shares_table(resolved, report, shares));
  };
  Json closest = nullptr;
  if (why.closest) {
    Json schedule = Json::array();
    for (const auto& [ref, service] : why.schedule) {
      schedule.push_back({{"transaction", name_of(ref)},
                          {"line", report.model.queues[ref.queue].name},
                          {"start_ms", model::to_ms(service.start)},
                          {"end_ms", model::to_ms(service.end)}});
    }
    closest = {{"release_ms", model::to_ms(why.closest->release)},
               {"response_ms", model::to_ms(why.closest->end - why.closest->release)},
               {"schedule", std::move(schedule)}};
  }
  return dump({{"transaction", name_of(why.job)},
               {"line", report.model.queues[why.job.queue].name},
               {"response_bound_ms", model::to_ms(why.bound)},
               {"proof", word_of(why.proof)},
               {"shares", shares_json(why.in_phase_shares)},
               {"response_bound_any_phase_ms", model::to_ms(why.any_phase)},
               {"places", why.places},
               {"any_phase_shares", shares_json(why.any_phase_shares)},
               {"closest", std::move(closest)}});
}

}  // namespace greymet::files
