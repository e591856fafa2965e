// Who is due when: one instant for each of a fixed number of parties, and the earliest of them.
//
// Setting an instant costs the logarithm of how many have one, so that an event costs what it
// concerns and not what there is. One thread.
#pragma once

#include <cstddef>
#include <set>
#include <utility>
#include <vector>

#include "engine/agenda.h"

namespace greymet::engine {

class Timetable {
 public:
  // Nobody is due.
  explicit Timetable(std::size_t parties) : at_(parties, never) {}

  // `never`: not at all.
  void set(std::size_t party, Duration at) {
    if (at_[party] == at) return;
    if (at_[party] != never) order_.erase({at_[party], party});
    if (at != never) order_.emplace(at, party);
    at_[party] = at;
  }
  // Of all of them; never where nobody is due.
  [[nodiscard]] Duration earliest() const { return order_.empty() ? never : order_.begin()->first; }
  // The party with the lowest number of those that are due first. Somebody must be due.
  [[nodiscard]] std::size_t first() const { return order_.begin()->second; }
  // Appends those that are due by `now`, in no stated order.
  void due(Duration now, std::vector<std::size_t>& out) const {
    for (const auto& [at, party] : order_) {
      if (at > now) return;
      out.push_back(party);
    }
  }

 private:
  std::vector<Duration> at_;
  std::set<std::pair<Duration, std::size_t>> order_;
};

}  // namespace greymet::engine
