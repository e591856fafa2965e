#include "files/json_text.h"
#include "files/result_json.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "timing/why.h"

#include <nlohmann/json.hpp>

namespace greymet::files {

using Json = nlohmann::ordered_json;
using timing::BoundProof;
using timing::BoundShare;

namespace {

std::string_view word_of(BoundShare::Kind kind) {
  switch (kind) {
    case BoundShare::Kind::first_wait: return "first wait";
    case BoundShare::Kind::begun: return "begun";
    case BoundShare::Kind::other: return "other";
    case BoundShare::Kind::own: return "own";
    case BoundShare::Kind::ways: return "ways";
    case BoundShare::Kind::foreign: return "foreign";
    case BoundShare::Kind::elapsed: return "elapsed";
  }
  return {};
}

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
  const auto shares_json = [&](const std::vector<BoundShare>& shares) {
    Json list = Json::array();
    for (const BoundShare& share : shares) {
      list.push_back(
          {{"kind", word_of(share.kind)},
           {"transaction", share.job ? Json(name_of(*share.job)) : Json(nullptr)},
           {"controller",
            share.queue
                ? Json(resolved.plan.controllers[report.model.queues[*share.queue].controller].name)
                : Json(nullptr)},
           {"times", share.times},
           {"each_ms", model::to_ms(share.each)}});
    }
    return list;
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
