// Placing ranges whose transaction names only the area: the lowest free numbers, in list order.
#include <iterator>
#include <map>

#include <fmt/format.h>

#include "resolve_internal.h"

namespace greymet::model::internal {
namespace {

// Occupied bits of one store as disjoint intervals: first -> end.
class Occupancy {
 public:
  void occupy(std::uint64_t first, std::uint64_t end) {
    auto it = intervals_.upper_bound(first);
    if (it != intervals_.begin()) {
      const auto before = std::prev(it);
      if (before->second >= first) {
        first = before->first;
        end = std::max(end, before->second);
        intervals_.erase(before);
      }
    }
    while (it != intervals_.end() && it->first <= end) {
      end = std::max(end, it->second);
      it = intervals_.erase(it);
    }
    intervals_[first] = end;
  }

  // The end of an occupied interval that overlaps [first, end), if there is one.
  [[nodiscard]] std::optional<std::uint64_t> obstacle(std::uint64_t first,
                                                      std::uint64_t end) const {
    auto it = intervals_.lower_bound(end);
    if (it == intervals_.begin()) return std::nullopt;
    --it;
    return it->second > first ? std::optional(it->second) : std::nullopt;
  }

 private:
  std::map<std::uint64_t, std::uint64_t> intervals_;
};

using OccupancyOf = std::map<std::pair<std::size_t, std::size_t>, Occupancy>;  // controller, store

void occupy(OccupancyOf& used, std::size_t controller, const std::optional<MemoryRange>& range) {
  if (range) used[{controller, range->bits.store}].occupy(range->bits.first, range->bits.end);
}

OccupancyOf occupied_by_plan(const ResolvedPlan& resolved) {
  OccupancyOf used;
  for (const ResolvedTransaction& t : resolved.transactions) {
    if (!t.controller) continue;
    occupy(used, *t.controller, t.into);
    occupy(used, *t.controller, t.from);
    if (t.trigger) occupy(used, *t.controller, t.trigger->bit);
    for (const Status& status : t.status) occupy(used, *t.controller, status.range);
  }
  for (const ResolvedCopy& copy : resolved.copies) {
    if (!copy.controller) continue;
    occupy(used, *copy.controller, copy.from);
    occupy(used, *copy.controller, copy.to);
  }
  for (const ResolvedHeartbeat& heartbeat : resolved.heartbeats) {
    if (heartbeat.from) occupy(used, *heartbeat.from, heartbeat.bit);
  }
  return used;
}

std::optional<MemoryRange> lowest_free(const MemoryLayout& layout, const Unplaced& wanted,
                                       const Occupancy& used, bool even) {
  const MemoryArea& area = layout.controller().memory[wanted.area];
  std::int64_t number = area.first;
  while (true) {
    if (even && number % 2 != 0) ++number;
    auto range = layout.range(wanted.area, number, wanted.count);
    if (!range) return std::nullopt;
    const auto obstacle = used.obstacle(range->bits.first, range->bits.end);
    if (!obstacle) {
      range->assigned = true;
      return *range;
    }
    if (area.kind == MemoryKind::word) {
      number =
          area.first + static_cast<std::int64_t>((*obstacle + bits_per_word - 1) / bits_per_word);
    } else if (!area.inside) {
      number = area.first + static_cast<std::int64_t>(*obstacle);
    } else {
      const MemoryArea& parent = layout.controller().memory[range->bits.store];
      const auto word = static_cast<std::int64_t>(*obstacle / bits_per_word) + parent.first;
      const auto bit = static_cast<std::int64_t>(*obstacle % bits_per_word);
      number = std::max(number + 1, word * area.width + std::min(bit, area.width));
    }
  }
}

}  // namespace

void assign_memory(ResolvedPlan& resolved, const std::vector<Unplaced>& unplaced,
                   Findings& findings) {
  if (unplaced.empty()) return;
  OccupancyOf used = occupied_by_plan(resolved);
  for (const Unplaced& wanted : unplaced) {
    const MemoryLayout& layout = resolved.layouts[wanted.controller];
    const Controller& controller = resolved.plan.controllers[wanted.controller];
    const bool even = controller.model && value_or(controller.model->align32, false) &&
                      wanted.count > 1 && controller.memory[wanted.area].kind == MemoryKind::word;
    const auto probe = layout.range(wanted.area, controller.memory[wanted.area].first, 1);
    const std::size_t store = probe ? probe->bits.store : wanted.area;
    ResolvedTransaction& t = resolved.transactions[wanted.transaction];
    const auto range = lowest_free(layout, wanted, used[{wanted.controller, store}], even);
    if (range) {
      occupy(used, wanted.controller, range);
      (wanted.is_into ? t.into : t.from) = range;
      continue;
    }
    Reporter report(findings, subject_of(resolved.declared(t)));
    report.error(
        RuleCode::M03, wanted.place,
        fmt::format("no {} free {} in a row are left in {} of controller {}", wanted.count,
                    controller.memory[wanted.area].kind == MemoryKind::word ? "words" : "bits",
                    controller.memory[wanted.area].name, controller.name),
        "declare a larger area, or name where it goes");
  }
}

}  // namespace greymet::model::internal
