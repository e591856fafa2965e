// Whose turn it is on an island: queues that could start a request, by since when it waits. Not for
// use outside this folder.
//
// Queues of one controller that share its places under way, or have none to share, are a group:
// only groups in which something happened can have somebody to start, so that an instant costs what
// it concerns and not what the island holds.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <utility>
#include <vector>

#include "simulation_internal.h"

namespace greymet::timing::internal {

class IslandTurns {
 public:
  // The next queue. `places`: requests that its group may have under way in all.
  void add_queue(std::size_t controller, std::optional<std::int64_t> places, Nanoseconds scan);

  // Something happened to the queue: it is looked at in the next dispatch.
  void touch(std::uint32_t queue) {
    touched_.push_back(queue);
    Group& group = group_of(queue);
    if (!std::exchange(group.touched, true)) touched_groups_.push_back(queues_[queue].group);
  }
  [[nodiscard]] const std::vector<std::uint32_t>& touched() const { return touched_; }
  // What the queue itself could start: the request that waits first, else a continuous one.
  void set(std::uint32_t queue, std::optional<Nanoseconds> waits_since, bool continuous);
  void take_place(std::uint32_t queue) { --group_of(queue).places; }
  void give_place_back(std::uint32_t queue) { ++group_of(queue).places; }

  // The queue that starts next at `now`: its request has waited longest, the first of the island
  // among equals. Appends to `boundaries` when somebody who could start waits for the scan, once
  // for each.
  struct Boundary {
    Nanoseconds at;
    std::uint32_t queue;
  };
  [[nodiscard]] std::optional<std::uint32_t> next(Nanoseconds now, bool continuous,
                                                  std::vector<Boundary>& boundaries);
  // All that could be started has been.
  void done() {
    for (const std::size_t group : touched_groups_) groups_[group].touched = false;
    touched_groups_.clear();
    touched_.clear();
  }

 private:
  using Order = std::set<std::pair<Nanoseconds, std::uint32_t>>;
  struct Group {
    std::int64_t places = 0;
    Nanoseconds scan = 0;
    Nanoseconds boundary_asked = -1;
    bool touched = false;
    Order waiting;
    Order continuous;
  };
  struct Member {
    std::size_t group = 0;
    std::optional<Nanoseconds> waits_since;
    bool continuous = false;
  };
  [[nodiscard]] Group& group_of(std::uint32_t queue) { return groups_[queues_[queue].group]; }

  std::vector<Member> queues_;
  std::vector<Group> groups_;
  std::map<std::pair<std::size_t, bool>, std::size_t> index_;  // by controller and limited
  std::vector<std::uint32_t> touched_;
  std::vector<std::size_t> touched_groups_;  // those of touched_, each once
};

}  // namespace greymet::timing::internal
