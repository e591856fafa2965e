// Slaves' own watchdogs: what feeds them, and whose silence lets them run out.
#pragma once

#include <cstddef>
#include <optional>
#include <vector>

#include "timing/report.h"

namespace greymet::timing {

// What feeds a slave's watchdog: of the transactions that always run, the one with the least bound
// on the interval between two of them.
struct WatchdogFeeding {
  std::size_t meant = 0;               // transactions to the slave
  std::size_t timed = 0;               // of them those that could be timed
  std::optional<Duration> interval{};  // the least; none: nothing feeds it by the clock
  const TransactionReport* by = nullptr;
  std::size_t queue = 0;             // of `by`, into TimingModel::queues
  std::optional<std::size_t> gated;  // a transaction that feeds it while a bit is set
};

// Per slave. Pointers into the report, which must outlive them.
[[nodiscard]] std::vector<WatchdogFeeding> watchdog_feedings(const model::ResolvedPlan& resolved,
                                                             const TimingReport& report);

// How much longer the feeding of a watchdog may come while the slave of this stall is silent, until
// it is parked.
[[nodiscard]] Duration wait_of_feeding(const WatchdogFeeding& feeding, const Stall& stall);

// Slaves whose watchdog is fed often enough in health, and runs out when the slave of this stall
// falls silent: interval and wait together are longer.
[[nodiscard]] std::vector<std::size_t> watchdogs_run_out(
    const model::ResolvedPlan& resolved, const std::vector<WatchdogFeeding>& feedings,
    const Stall& stall);

}  // namespace greymet::timing
