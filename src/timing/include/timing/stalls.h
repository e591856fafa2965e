// Stalls: how long one silent slave keeps all others waiting.
//
// A request of another slave is stalled at an instant if it waits and nothing but the silent slave
// is in its way: every place it could take is held by a request that is being tried in vain, or
// that stands, behind a gateway, at a line which just then is kept busy by such a try; or it stands
// at such a line itself. A place that becomes free is held until the controller may send again
// (`sends = "scan"`). Per queue q, X the requests to the silent slave, C their times in all tries
// (whole scans where `sends = "scan"`; behind a gateway C + scan):
//   serial line, own gateway   sum over X of q of C
//   TCP, P = min(n, limit of the controller)
//                              sum / P; 0 where X of q cannot take all P places; C is the time to
//                              connect to a host that is off, where that is longer
//   foreign X at q's gateway   K x sum over the other masters m of m's n_m longest on the line,
//                              K = q's released requests + the continuous ones it may have begun
//   X on another connection x of a controller whose requests under way are limited to L
//                              sum over X of x / L where x can hold all L places (and what is
//                              foreign to x, for each of X); requests of q's controller that stand
//                              at a gateway behind foreign X: as for their own queue
//   first stall                the sum of these, and the one scan until q's next boundary
// Released requests count once each (timing/bounds.h), of the continuous ones as many as may be
// under way, the longest. With `park` only the `after` longest (and those already under way) fail
// slowly, and then a single try is made every `retry`:
//   steady stall               one try of each master instead of all; without `park` the first
// (as long as `retry` is longer than any wait on the line: else two trials may fall into one).
// Proof in docs/timing-model.md, "A silent slave".
#pragma once

#include <algorithm>
#include <cstdint>
#include <optional>
#include <vector>

#include "model/transaction.h"
#include "timing/timing_model.h"

namespace greymet::timing {

// One job to the silent slave, and what its failures are made of.
struct FailingJob {
  JobRef job;
  Duration once{};  // per transaction: the way to a gateway and back
  Duration each{};  // per try, without the timeout: request and gap
  Duration timeout{};
  std::int64_t tries = 1;
  Duration host_off{};   // on TCP: costs at least this when the host is off
  Duration own_tries{};  // of a gateway that says nothing: a try is no shorter
  [[nodiscard]] Duration silent() const { return std::max(host_off, once + tries * try_time()); }
  [[nodiscard]] Duration try_time() const { return std::max(each + timeout, own_tries); }
  [[nodiscard]] Duration one_try() const { return once + try_time(); }
};

// How long the requests of one queue wait.
struct StallOn {
  std::size_t queue = 0;  // into TimingModel::queues
  Duration first{};
  Duration steady{};
};

// What happens to everything that waits for the same things when one slave (or peer) does not
// answer.
struct Stall {
  model::Target silent;
  std::vector<FailingJob> failing;  // recurring and continuous ones
  std::size_t counted = 0;          // of these, how many can stand before one request
  std::optional<model::Park> park;
  std::vector<StallOn> queues;  // those that wait
  Duration first{};             // the longest of them
  Duration steady{};
  std::size_t pool = 0;  // into StallReport::cyclic
};

// All that can stall. Jobs of one island (timing/timing_model.h) share a pool.
struct StallReport {
  std::vector<Stall> stalls;                      // one for each slave and pool
  std::vector<std::vector<JobRef>> cyclic;        // per pool: its cyclic jobs, the quickest first
  std::vector<std::vector<std::size_t>> islands;  // per pool: its queues
};

[[nodiscard]] StallReport stalls_of(const model::ResolvedPlan& resolved, const TimingModel& timing);

// The stall before the slave is parked, or what comes after.
enum class StallKind : std::uint8_t { first, steady };

// Cyclic jobs of other slaves whose period is shorter than what their queue waits, the quickest
// first; at most `limit` of them.
[[nodiscard]] std::vector<JobRef> jobs_hurt(const model::ResolvedPlan& resolved,
                                            const TimingModel& timing, const StallReport& report,
                                            const Stall& stall, StallKind kind, std::size_t limit);

// True if cyclic jobs of other slaves share something with the silent one.
[[nodiscard]] bool has_neighbours(const model::ResolvedPlan& resolved, const TimingModel& timing,
                                  const StallReport& report, const Stall& stall);

// What these queues of one island would wait if requests to one slave failed as `failing` says,
// parked after `after` failures in a row or never. Queues that do not wait are left out.
[[nodiscard]] std::vector<StallOn> stall_lengths(const TimingModel& timing,
                                                 const std::vector<std::size_t>& queues,
                                                 const std::vector<FailingJob>& failing,
                                                 std::optional<std::int64_t> after);

}  // namespace greymet::timing
