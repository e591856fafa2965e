#include "timing/watchdogs.h"

#include <algorithm>

#include "model/resolved_plan.h"

namespace greymet::timing {

std::vector<WatchdogFeeding> watchdog_feedings(const model::ResolvedPlan& resolved,
                                               const TimingReport& report) {
  std::vector<WatchdogFeeding> feedings(resolved.plan.slaves.size());
  for (const model::ResolvedTransaction& t : resolved.transactions) {
    if (t.target && !t.target->is_peer) ++feedings[t.target->index].meant;
  }
  for (const LineReport& line : report.lines) {
    for (const TransactionReport& each : line.transactions) {
      const model::ResolvedTransaction& t = resolved.transactions[each.transaction];
      if (t.target->is_peer) continue;
      WatchdogFeeding& fed = feedings[t.target->index];
      ++fed.timed;
      const bool by_writes =
          resolved.exchange.slaves[t.target->index].watchdog_by == model::WatchdogBy::writes;
      if ((by_writes && !t.write) || !each.interval_bound) continue;
      if (t.gate) {
        fed.gated = each.transaction;
      } else if (!fed.interval || *each.interval_bound < *fed.interval) {
        fed.interval = each.interval_bound;
        fed.by = &each;
        fed.queue = line.queue.value_or(0);
      }
    }
  }
  return feedings;
}

Duration wait_of_feeding(const WatchdogFeeding& feeding, const Stall& stall) {
  Duration longest{};
  for (const StallOn& on : stall.queues) {
    if (on.queue == feeding.queue) longest = std::max(longest, on.first);
  }
  return longest;
}

std::vector<std::size_t> watchdogs_run_out(const model::ResolvedPlan& resolved,
                                           const std::vector<WatchdogFeeding>& feedings,
                                           const Stall& stall) {
  std::vector<std::size_t> slaves;
  for (std::size_t s = 0; s < feedings.size(); ++s) {
    const auto& watchdog = resolved.plan.slaves[s].watchdog;
    const auto& interval = feedings[s].interval;
    if (!watchdog || !interval || *interval > watchdog->value) continue;
    if (!stall.silent.is_peer && stall.silent.index == s) continue;
    if ((*interval + wait_of_feeding(feedings[s], stall)) > watchdog->value) {
      slaves.push_back(s);
    }
  }
  return slaves;
}

}  // namespace greymet::timing
