// Watches, in a simulation with silent devices, when what waits in each queue waits for them alone
// (timing/stalls.h says when that is so). Not for use outside this folder.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <vector>

#include "island_state.h"

namespace greymet::timing::internal {

// Of one island. Instants are those of the simulation and never go back.
class StallWatch {
 public:
  // The next queue of the island; `limit`: the requests its controller may have under way in all.
  void add_queue(std::size_t controller, std::optional<std::int64_t> limit, std::int64_t in_flight);

  // A request of the queue begins, to a faulty device where it is `lost`.
  void begin(std::uint32_t queue, bool lost);
  // A request ended, `lost` or not: its place is taken again at the next scan boundary at the
  // earliest.
  void free_place(std::uint32_t queue, QueueState& state, bool lost, Nanoseconds now);
  // None of the queue is under way any more.
  void end(std::uint32_t queue) { busy_.erase(queue); }
  // Whether what waits in each queue is stalled from `now` on, until this is asked again.
  void judge(std::vector<QueueState>& states, const std::map<std::size_t, LineState>& lines,
             Nanoseconds now);

 private:
  struct Place {
    std::size_t controller = 0;
    std::optional<std::int64_t> limit;
    std::int64_t in_flight = 1;
  };
  // Stalled by its own places, or by those of its controller.
  [[nodiscard]] bool is_stalled(std::uint32_t queue) const {
    return own_.contains(queue) ||
           (queues_[queue].limit && controllers_.contains(queues_[queue].controller));
  }

  std::vector<Place> queues_;
  std::map<std::size_t, std::vector<std::uint32_t>> limited_;  // queues, per controller
  // Queues with requests under way, or with places that are not free yet.
  std::set<std::uint32_t> busy_;
  std::set<std::uint32_t> freed_;
  std::set<std::uint32_t> own_;
  std::set<std::size_t> controllers_;
  std::int64_t lost_under_way_ = 0;
  Nanoseconds lost_until_ = 0;  // when the last place of a lost request was free again
};

}  // namespace greymet::timing::internal
