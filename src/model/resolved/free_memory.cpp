#include "model/free_memory.h"

#include <algorithm>
#include <iterator>

#include "model/resolved_plan.h"

namespace greymet::model {

FreeMemory::FreeMemory(const ResolvedPlan& resolved, ControllerIndex controller,
                       const std::vector<MemoryUse>& uses)
    : resolved_(&resolved), controller_(controller) {
  for (const MemoryUse& use : uses) take(use.bits);
}

void FreeMemory::take(const BitRange& bits) {
  Intervals& intervals = taken_[bits.store];
  std::uint64_t first = bits.first;
  std::uint64_t end = bits.end;
  auto it = intervals.upper_bound(first);
  if (it != intervals.begin()) {
    const auto before = std::prev(it);
    if (before->second >= first) {
      first = before->first;
      end = std::max(end, before->second);
      intervals.erase(before);
    }
  }
  while (it != intervals.end() && it->first <= end) {
    end = std::max(end, it->second);
    it = intervals.erase(it);
  }
  intervals[first] = end;
}

std::optional<std::uint64_t> FreeMemory::obstacle(const BitRange& bits) const {
  const auto store = taken_.find(bits.store);
  if (store == taken_.end()) return std::nullopt;
  auto it = store->second.lower_bound(bits.end);
  if (it == store->second.begin()) return std::nullopt;
  --it;
  return it->second > bits.first ? std::optional(it->second) : std::nullopt;
}

std::optional<MemoryRange> FreeMemory::lowest(std::size_t area, std::int64_t count,
                                              std::optional<std::int64_t> parity) const {
  const MemoryLayout& layout = resolved_->layouts[controller_];
  const MemoryArea& in = layout.controller().memory[area];
  const bool words = in.kind == MemoryKind::word;
  const bool even = words && count > 1 && resolved_->exchange.controllers[controller_].aligns32;
  const std::optional<std::int64_t> wanted = parity ? parity
                                             : even ? std::optional<std::int64_t>(0)
                                                    : std::nullopt;
  std::int64_t number = in.first;
  while (true) {
    if (wanted && number % 2 != *wanted) ++number;
    const auto range = layout.range(area, number, count);
    if (!range) return std::nullopt;
    const auto blocked = obstacle(range->bits);
    if (!blocked) return *range;
    if (words) {
      number = in.first + static_cast<std::int64_t>((*blocked + bits_per_word - 1) / bits_per_word);
    } else if (!in.inside) {
      number = in.first + static_cast<std::int64_t>(*blocked);
    } else {
      // the first number whose bit is not below: bit n is bit (n mod width) of word (n div width)
      const MemoryArea& parent = layout.controller().memory[range->bits.store];
      const auto word = static_cast<std::int64_t>(*blocked / bits_per_word) + parent.first;
      const auto bit = static_cast<std::int64_t>(*blocked % bits_per_word);
      number = std::max(number + 1, word * in.width + std::min(bit, in.width));
    }
  }
}

std::vector<BitRange> FreeMemory::stretches(std::size_t store) const {
  const MemoryArea& area = resolved_->plan.controllers[controller_].memory[store];
  const std::uint64_t unit = area.kind == MemoryKind::word ? bits_per_word : 1;
  const std::uint64_t end = static_cast<std::uint64_t>(area.count) * unit;
  std::vector<BitRange> free;
  std::uint64_t at = 0;
  if (const auto taken = taken_.find(store); taken != taken_.end()) {
    for (const auto& [first, taken_end] : taken->second) {
      if (first > at) free.push_back({store, at, std::min(first, end)});
      at = std::max(at, taken_end);
    }
  }
  if (at < end) free.push_back({store, at, end});
  return free;
}

}  // namespace greymet::model
