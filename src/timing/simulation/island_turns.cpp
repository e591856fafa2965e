#include "island_turns.h"

namespace greymet::timing::internal {

void IslandTurns::add_queue(std::size_t controller, std::optional<std::int64_t> places,
                            Nanoseconds scan) {
  const auto [at, is_new] = index_.try_emplace({controller, places.has_value()}, groups_.size());
  if (is_new) {
    Group group;
    group.places = places.value_or(std::numeric_limits<std::int64_t>::max() / 2);
    group.scan = scan;
    groups_.push_back(std::move(group));
  }
  queues_.push_back({at->second, std::nullopt, false});
}

void IslandTurns::set(std::uint32_t queue, std::optional<Nanoseconds> waits_since,
                      bool continuous) {
  Member& member = queues_[queue];
  Group& group = groups_[member.group];
  if (member.waits_since != waits_since) {
    if (member.waits_since) group.waiting.erase({*member.waits_since, queue});
    if (waits_since) group.waiting.emplace(*waits_since, queue);
    member.waits_since = waits_since;
  }
  if (member.continuous != continuous) {
    if (member.continuous) group.continuous.erase({0, queue});
    if (continuous) group.continuous.emplace(0, queue);
    member.continuous = continuous;
  }
}

std::optional<std::uint32_t> IslandTurns::next(Nanoseconds now, bool continuous,
                                               std::vector<Boundary>& boundaries) {
  std::optional<std::pair<Nanoseconds, std::uint32_t>> best;
  for (const std::size_t index : touched_groups_) {
    Group& group = groups_[index];
    const Order& order = continuous ? group.continuous : group.waiting;
    if (order.empty() || group.places <= 0) continue;
    const Nanoseconds boundary = round_up(now, group.scan);
    if (boundary == now) {
      if (!best || *order.begin() < *best) best = *order.begin();
    } else if (group.boundary_asked != boundary) {
      group.boundary_asked = boundary;
      boundaries.push_back({boundary, order.begin()->second});
    }
  }
  if (!best) return std::nullopt;
  return best->second;
}

}  // namespace greymet::timing::internal
