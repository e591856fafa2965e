// How long a request waits for one of several places of its connection. Not for use outside this
// library.
#pragma once

#include <cstdint>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing::internal {

// The wait of one job, and what makes it: of the services in its way the longest ones are served on
// places of their own, the others share the rest.
struct PlaceWait {
  Duration wait{};              // in whole scans
  std::int64_t shared = 1;      // places that the others share
  std::vector<std::size_t> by;  // jobs that share them; continuous ones count a scan less
};

// A service that may hold a place, for at most so long.
struct HeldPlace {
  std::size_t job = 0;
  Duration time{};
};

// Built once for a queue.
class PlaceWaits {
 public:
  PlaceWaits() = default;
  // Of the services of a connection that nothing else holds up.
  explicit PlaceWaits(const Queue& queue);
  // Of any, each job at most once; waits are whole steps, or any time where that is 0.
  PlaceWaits(std::vector<HeldPlace> held, std::int64_t places, Duration step);

  // All n places are held from the first boundary until the job starts, n T in all, by released
  // others, once each, and by at most n continuous ones that began at least a scan s earlier. In a
  // stretch of length T no service gives more than T, so
  //     n T <= sum over them of min(C', T),   T <= (their sum - the k longest) / (n - k), k < n,
  // and starts lie on boundaries: down to whole scans. `with_shares`: `by` is filled.
  [[nodiscard]] PlaceWait wait_of(std::size_t job, bool with_shares = false) const;

 private:
  std::vector<HeldPlace> longest_first_;  // released ones and the continuous that may have begun
  std::vector<Duration> of_job_;          // 0 where it is not among them
  std::int64_t places_ = 1;
  Duration step_{};
  Duration sum_{};
};

}  // namespace greymet::timing::internal
