// The plans of the exact search as timing models.
#pragma once

#include <algorithm>
#include <vector>

#include "exact_search.h"
#include "queues.h"
#include "timing/timing_model.h"

namespace greymet::test {

// `where` takes the place of each job.
inline timing::TimingModel model_of(const SearchPlan& plan, std::vector<timing::JobRef>& where) {
  using namespace timing;
  TimingModel timing;
  std::size_t controllers = 0;
  for (const auto& each : plan.queues) {
    Queue queue;
    queue.kind = each.gateway ? QueueKind::gateway : QueueKind::tcp;
    queue.controller = model::ControllerIndex(each.controller);
    if (each.gateway) queue.line = model::LineIndex(0);
    queue.in_flight = each.places;
    queue.scan = Duration(plan.scan);
    timing.queues.push_back(queue);
    controllers = std::max(controllers, each.controller + 1);
  }
  for (const SearchJob& each : plan.jobs) {
    Job job = plan.queues[each.queue].gateway
                  ? test::behind_gateway(each.gap, 0, 0, 1, each.service)
                  : test::cyclic(each.gap, 0, each.service);
    if (job.times.network) {
      job.times.network->out_typical = job.times.network->out_longest = Duration(each.out);
      job.times.network->back_typical = job.times.network->back_longest = Duration(each.back);
      job.times.longest = Duration(each.out + each.service + each.back);
    }
    job.kind = each.continuous ? model::TriggerKind::continuous : model::TriggerKind::on_bit;
    where.push_back({each.queue, timing.queues[each.queue].jobs.size()});
    timing.queues[each.queue].jobs.push_back(job);
  }
  for (std::size_t c = 0; c < controllers; ++c) {
    timing.in_flight_limit.push_back(
        plan.limits[c] > 0 ? std::optional<std::int64_t>(plan.limits[c]) : std::nullopt);
  }
  return timing;
}

}  // namespace greymet::test
