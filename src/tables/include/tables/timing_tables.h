// The tables of a timing report. All durations are bounds or simulations of timing/report.h.
#pragma once

#include "tables/table.h"
#include "timing/report.h"
#include "timing/why.h"

namespace greymet::tables {

// One row a line or connection.
[[nodiscard]] Table lines_table(const timing::TimingReport& report);

// One row a transaction, grouped by its line or connection. Lines without transactions have none.
[[nodiscard]] Table timing_table(const timing::TimingReport& report);

// Of one transaction: the longest simulated response over its bound, 1 where the bound is met.
[[nodiscard]] std::optional<double> tightness(const timing::TransactionReport& transaction);

// One row a heartbeat, one a path, one a tag that states a max_age, one a slave that falls silent.
[[nodiscard]] Table heartbeats_table(const timing::TimingReport& report);
[[nodiscard]] Table paths_table(const timing::TimingReport& report);
[[nodiscard]] Table tag_ages_table(const timing::TimingReport& report);
[[nodiscard]] Table silent_slaves_table(const model::ResolvedPlan& plan,
                                        const timing::TimingReport& report);

// How one bound is made up (timing/why.h): one row a summand; `each` times `times`, over all rows,
// is the sum.
[[nodiscard]] Table shares_table(const model::ResolvedPlan& plan,
                                 const timing::TimingReport& report,
                                 const std::vector<timing::BoundShare>& shares);

// What was simulated of that stall's slave being silent; null where nothing was.
[[nodiscard]] const timing::SilentCase* simulated_silence(const timing::TimingReport& report,
                                                          std::size_t stall);

// When at the latest a master has noticed that this slave (or peer) does not answer any more: of
// its quickest cyclic transaction one period, its wait behind failed tries, and all its own tries.
// Nothing where no cyclic transaction asks it.
[[nodiscard]] std::optional<Duration> noticed_at_the_latest(const model::ResolvedPlan& plan,
                                                            const timing::TimingReport& report,
                                                            const model::Target& target);

}  // namespace greymet::tables
