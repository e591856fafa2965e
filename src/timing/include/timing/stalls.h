// Stalls: how long one silent slave keeps all others waiting.
//
// At most one instance of each transaction waits (timing/bounds.h), so between two transactions of
// another slave at most all recurring transactions to the silent one are tried once each, and one
// continuous one may just have begun:
//     first stall  = sum over its recurring transactions of (1 + retries) failed attempts
//                    + the longest continuous one
// With `park` only the first `after` of them fail so slowly, and from then on a single attempt is
// made every `retry`:
//     steady stall = the longest failed attempt; without `park` the same as the first
// (as long as `retry` is longer than any wait on the line: else two trials may fall into one).
// Behind a gateway with several masters each request of the one that waits may stand behind as many
// failing ones of every other master as that may have under way:
//     first stall  = max over masters of (its own failing ones + its requests x sum over the other
//                    masters m of n_m x m's longest failing one)
// With n requests under way on a connection the silent slave takes n places before it stalls
// anybody; the sum is then shared among them.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing {

// One job to the silent slave, and what its failures are made of.
struct FailingJob {
  JobRef job;
  Duration once{};  // per transaction: the way to a gateway and back
  Duration each{};  // per try, without the timeout: request and gap
  Duration timeout{};
  std::int64_t tries = 1;
  [[nodiscard]] Duration silent() const {
    return model::sum_of(once, model::times(tries, model::sum_of(each, timeout)));
  }
  [[nodiscard]] Duration one_try() const {
    return model::sum_of(once, model::sum_of(each, timeout));
  }
};

// What happens to one line or connection when one slave (or peer) does not answer.
struct Stall {
  model::Target silent;
  std::vector<FailingJob> failing;  // recurring ones, and the longest continuous one
  std::optional<model::Park> park;
  std::int64_t places = 1;  // requests under way
  Duration first{};
  Duration steady{};
  std::size_t pool = 0;  // into StallReport::cyclic
};

// All that can stall. Jobs that wait for the same thing share a pool.
struct StallReport {
  std::vector<Stall> stalls;  // one for each slave and pool, in the order of the queues
  std::vector<std::vector<JobRef>> cyclic;  // per pool: its cyclic jobs, the quickest first
};

[[nodiscard]] StallReport stalls_of(const model::ResolvedPlan& resolved, const TimingModel& timing);

// Cyclic jobs of other slaves whose period is shorter than `length`, the quickest first; at most
// `limit` of them.
[[nodiscard]] std::vector<JobRef> jobs_hurt(const model::ResolvedPlan& resolved,
                                            const TimingModel& timing, const StallReport& report,
                                            const Stall& stall, Duration length, std::size_t limit);

// The stalls of `failing` for these settings, as in the header.
[[nodiscard]] Duration stall_of(std::vector<FailingJob> failing, std::int64_t places,
                                std::optional<std::int64_t> at_most);

}  // namespace greymet::timing
