// Watches, in a simulation with silent devices, when what waits in each queue waits for them alone
// (timing/stalls.h says when that is so). Not for use outside this folder.
#pragma once

#include <map>
#include <vector>

#include "island_state.h"

namespace greymet::timing::internal {

// Of one island. Instants are those of the simulation and never go back.
class StallWatch {
 public:
  // `limits`: per controller, the requests it may have under way in all; copied.
  explicit StallWatch(std::map<std::size_t, std::int64_t> limits) : limits_(std::move(limits)) {}

  // A request to a faulty device begins.
  void begin_lost() { ++lost_under_way_; }
  // A request ended, `lost` or not: its place is taken again at the next scan boundary at the
  // earliest.
  void free_place(QueueState& state, bool lost, Nanoseconds now);
  // Whether what waits in each queue is stalled from `now` on, until this is asked again.
  void judge(std::vector<QueueState>& states, const std::map<std::size_t, LineState>& lines,
             Nanoseconds now);

 private:
  std::map<std::size_t, std::int64_t> limits_;
  std::int64_t lost_under_way_ = 0;
  Nanoseconds lost_until_ = 0;  // when the last place of a lost request was free again
  bool any_stalled_ = false;
};

}  // namespace greymet::timing::internal
