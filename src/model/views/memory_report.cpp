#include "model/memory_report.h"

#include "model/free_memory.h"
#include "model/resolved_plan.h"
#include "model/tag_coverage.h"

#include <algorithm>
#include <array>
#include <map>
#include <set>

#include <fmt/format.h>

namespace greymet::model {
namespace {

std::int64_t words_touched(const BitRange& bits) {
  return static_cast<std::int64_t>((bits.end - 1) / bits_per_word - bits.first / bits_per_word + 1);
}

bool whole_words(const BitRange& bits) {
  return bits.first % bits_per_word == 0 && bits.end % bits_per_word == 0;
}

// "moisture-in": the part of "transaction moisture-in" that people look for.
std::string short_owner(const ResolvedPlan& plan, const MemoryUse& use) {
  if (use.purpose == MemoryPurpose::copy_source || use.purpose == MemoryPurpose::copy_target) {
    return to_text(owner_subject(plan, use));
  }
  return owner_subject(plan, use).name;
}

bool is_assigned(const ResolvedPlan& plan, const MemoryUse& use) {
  if (use.purpose != MemoryPurpose::read && use.purpose != MemoryPurpose::sent) return false;
  const ResolvedTransaction& t = plan.transactions[use.owner];
  const auto& range = use.purpose == MemoryPurpose::read ? t.into : t.from;
  return range && range->assigned;
}

class StoreBuilder {
 public:
  StoreBuilder(const ResolvedPlan& plan, std::size_t controller, const std::vector<MemoryUse>& uses,
               const TagCoverage& tags)
      : plan_(plan),
        tags_(tags),
        controller_(controller),
        free_(plan, ControllerIndex(controller), uses) {
    for (const MemoryUse& use : uses) of_store_[use.bits.store].push_back(&use);
  }

  [[nodiscard]] StoreReport build(std::size_t area) const {
    const MemoryArea& declared = plan_.plan.controllers[controller_].memory[area];
    const MemoryLayout& layout = plan_.layouts[controller_];
    StoreReport store;
    store.area = area;
    store.name = declared.name;
    store.words = declared.kind == MemoryKind::word;
    store.first = declared.first;
    store.count = declared.count;
    const auto of_area = of_store_.find(area);
    std::vector<const MemoryUse*> own =
        of_area == of_store_.end() ? std::vector<const MemoryUse*>() : of_area->second;
    std::stable_sort(own.begin(), own.end(), [](const MemoryUse* a, const MemoryUse* b) {
      return a->bits.first < b->bits.first;
    });
    std::vector<bool> clashing = find_clashes(own, layout, store);
    for (std::size_t i = 0; i < own.size(); ++i) {
      const MemoryUse& use = *own[i];
      const bool words = store.words && whole_words(use.bits);
      store.rows.push_back({use.bits, layout.name_of(use.bits),
                            words ? words_touched(use.bits)
                                  : static_cast<std::int64_t>(use.bits.end - use.bits.first),
                            use.purpose, short_owner(plan_, use), is_assigned(plan_, use),
                            clashing[i], tags_.names_in(controller_, use.bits)});
    }
    store.free = free_.stretches(area);
    trim_to_words(store);
    return store;
  }

 private:
  // Compares each use with those that begin before it ends; gathers what harms, pair by pair.
  [[nodiscard]] std::vector<bool> find_clashes(const std::vector<const MemoryUse*>& own,
                                               const MemoryLayout& layout,
                                               StoreReport& store) const {
    std::vector<bool> clashing(own.size(), false);
    constexpr std::size_t most_looked_at = 50;  // of one use: a pile of them is told by its first
    constexpr std::size_t most_named = 500;     // in all
    // two harm each other only where one of them puts something there
    std::vector<std::size_t> filled;
    std::vector<std::size_t> others(own.size());
    for (std::size_t i = 0; i < own.size(); ++i) {
      others[i] = i;
      if (puts_something(own[i]->purpose)) filled.push_back(i);
    }
    for (const std::size_t i : others) {
      const auto& meets = puts_something(own[i]->purpose) ? others : filled;
      std::size_t named = 0;
      for (auto at = std::upper_bound(meets.begin(), meets.end(), i);
           at != meets.end() && own[*at]->bits.first < own[i]->bits.end; ++at) {
        const std::size_t k = *at;
        if (conflict_of(*own[i], *own[k]) == MemoryConflict::none) continue;
        if (++named > most_looked_at) break;
        clashing[i] = clashing[k] = true;
        if (store.clashes.size() == most_named) {
          ++store.clashes_not_named;
          continue;
        }
        const BitRange shared{own[i]->bits.store, own[k]->bits.first,
                              std::min(own[i]->bits.end, own[k]->bits.end)};
        store.clashes.push_back({shared, layout.name_of(shared), owner_subject(plan_, *own[i]),
                                 owner_subject(plan_, *own[k])});
      }
    }
    return clashing;
  }

  // A word of which one bit is used is not free for anybody's words.
  static void trim_to_words(StoreReport& store) {
    std::uint64_t free = 0;
    for (BitRange& bits : store.free) {
      if (store.words) {
        bits.first = (bits.first + bits_per_word - 1) / bits_per_word * bits_per_word;
        bits.end = bits.end / bits_per_word * bits_per_word;
      }
      if (bits.first < bits.end) free += bits.end - bits.first;
    }
    std::erase_if(store.free, [](const BitRange& b) { return b.first >= b.end; });
    store.used = store.count - static_cast<std::int64_t>(free / (store.words ? bits_per_word : 1));
  }

  const ResolvedPlan& plan_;
  const TagCoverage& tags_;
  std::size_t controller_;
  std::map<std::size_t, std::vector<const MemoryUse*>> of_store_;
  FreeMemory free_;
};

DeviceAreaReport device_area(const ResolvedPlan& plan, Area area, const RegisterMap* map,
                             const std::vector<DeviceUse>& uses) {
  DeviceAreaReport report;
  report.area = area;
  std::vector<const DeviceUse*> own;
  for (const DeviceUse& use : uses) {
    if (use.area == area) own.push_back(&use);
  }
  std::stable_sort(own.begin(), own.end(), [](const DeviceUse* a, const DeviceUse* b) {
    return a->extent.first < b->extent.first;
  });
  constexpr std::size_t most_named = 200;
  std::vector<bool> clashing(own.size(), false);
  for (std::size_t i = 0; i < own.size(); ++i) {
    for (std::size_t k = i + 1; k < own.size() && own[k]->extent.first < own[i]->extent.end; ++k) {
      if (own[i]->is_read) break;
      if (own[k]->is_read) continue;
      if (report.written_twice.size() > most_named) break;
      clashing[i] = clashing[k] = true;
      report.written_twice.push_back(
          {own[k]->extent.first, std::min(own[i]->extent.end, own[k]->extent.end)});
    }
  }
  for (std::size_t i = 0; i < own.size(); ++i) {
    report.rows.push_back(
        {own[i]->extent, own[i]->is_read, plan.transaction_name(own[i]->transaction), clashing[i]});
  }
  if (map == nullptr) return report;
  for (const Point& point : map->points()) {
    if (point.address.area != area) continue;
    const Extent value = extent_of(point);
    if (const auto run = map->run_around(area, value.first);
        run && std::find(report.listed.begin(), report.listed.end(), *run) == report.listed.end()) {
      report.listed.push_back(*run);
    }
    const bool used = std::any_of(own.begin(), own.end(), [&](const DeviceUse* use) {
      return use->extent.first < value.end && value.first < use->extent.end;
    });
    if (!used) report.unused.push_back(point.name);
  }
  std::sort(report.listed.begin(), report.listed.end(),
            [](const Extent& a, const Extent& b) { return a.first < b.first; });
  return report;
}

}  // namespace

MemoryReport memory_report(const ResolvedPlan& resolved) {
  MemoryReport report;
  const auto uses = memory_uses(resolved);
  const TagCoverage tags(resolved);
  for (std::size_t c = 0; c < resolved.plan.controllers.size(); ++c) {
    ControllerMemory memory{c, {}};
    const auto& areas = resolved.plan.controllers[c].memory;
    const StoreBuilder builder(resolved, c, uses[c], tags);
    for (std::size_t a = 0; a < areas.size(); ++a) {
      const auto whole = resolved.layouts[c].range(a, areas[a].first, areas[a].count);
      const bool is_store = whole && whole->bits.store == a;
      if (is_store) memory.stores.push_back(builder.build(a));
    }
    report.controllers.push_back(std::move(memory));
  }
  const auto devices = device_uses(resolved);
  constexpr std::array areas{Area::coil, Area::discrete_input, Area::input_register,
                             Area::holding_register};
  for (std::size_t s = 0; s < resolved.plan.slaves.size(); ++s) {
    const auto& map_index = resolved.plan.slaves[s].map;
    const RegisterMap* map = map_index ? &resolved.plan.maps[*map_index] : nullptr;
    SlaveMemory memory{s, {}};
    for (const Area area : areas) {
      DeviceAreaReport each = device_area(resolved, area, map, devices[s]);
      if (!each.rows.empty() || !each.listed.empty()) memory.areas.push_back(std::move(each));
    }
    report.slaves.push_back(std::move(memory));
  }
  return report;
}

std::string free_text(const ResolvedPlan& resolved, std::size_t controller, const BitRange& bits) {
  const bool words =
      resolved.plan.controllers[controller].memory[bits.store].kind == MemoryKind::word;
  const std::uint64_t count = (bits.end - bits.first) / (words ? bits_per_word : 1);
  return fmt::format("{} ({})", resolved.layouts[controller].name_of(bits), count);
}

}  // namespace greymet::model
