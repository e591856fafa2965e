#include "model/tag_coverage.h"

#include <algorithm>

namespace greymet::model {

bool moves_values(MemoryPurpose purpose) {
  return purpose == MemoryPurpose::read || purpose == MemoryPurpose::sent ||
         purpose == MemoryPurpose::written_by_peer || purpose == MemoryPurpose::read_by_peer;
}

namespace {

void merge_runs(std::vector<BitRange>& runs) {
  std::sort(runs.begin(), runs.end(),
            [](const BitRange& a, const BitRange& b) { return a.first < b.first; });
  std::vector<BitRange> merged;
  for (const BitRange& run : runs) {
    if (!merged.empty() && run.first <= merged.back().end) {
      merged.back().end = std::max(merged.back().end, run.end);
    } else {
      merged.push_back(run);
    }
  }
  runs = std::move(merged);
}

bool touches(const std::vector<BitRange>& runs, std::uint64_t first, std::uint64_t end) {
  const auto at =
      std::upper_bound(runs.begin(), runs.end(), first,
                       [](std::uint64_t value, const BitRange& run) { return value < run.end; });
  return at != runs.end() && at->first < end;
}

}  // namespace

TagCoverage::TagCoverage(const ResolvedPlan& plan)
    : plan_(plan), partial_(plan.plan.controllers.size(), false) {
  for (std::size_t i = 0; i < plan.tags.size(); ++i) {
    const ResolvedTag& tag = plan.tags[i];
    if (!tag.memory) {
      partial_[tag.controller] = true;
      continue;
    }
    tags_[{tag.controller, tag.memory->bits.store}].push_back({tag.memory->bits, i, 0});
  }
  for (auto& [store, named] : tags_) {
    std::stable_sort(named.begin(), named.end(),
                     [](const Named& a, const Named& b) { return a.bits.first < b.bits.first; });
    std::uint64_t reaches = 0;
    for (Named& each : named) each.reaches = reaches = std::max(reaches, each.bits.end);
  }
  const auto uses = memory_uses(plan);
  for (std::size_t c = 0; c < uses.size(); ++c) {
    for (const MemoryUse& use : uses[c]) {
      const bool relayed = use.purpose == MemoryPurpose::sent &&
                           value_or(plan.declared(plan.transactions[use.owner]).relays, false);
      if (use.purpose == MemoryPurpose::copy_source || use.purpose == MemoryPurpose::copy_target ||
          use.purpose == MemoryPurpose::heartbeat || relayed) {
        known_[{c, use.bits.store}].push_back(use.bits);
      }
    }
  }
  for (auto& [store, runs] : known_) merge_runs(runs);
}

template <class Visit>
void TagCoverage::touching(std::size_t controller, const BitRange& bits, const Visit& visit) const {
  const auto store = tags_.find({controller, bits.store});
  if (store == tags_.end()) return;
  const std::vector<Named>& named = store->second;
  auto at =
      std::lower_bound(named.begin(), named.end(), bits.end,
                       [](const Named& each, std::uint64_t end) { return each.bits.first < end; });
  while (at != named.begin() && (at - 1)->reaches > bits.first) {
    --at;
    if (at->bits.end > bits.first && !visit(*at)) return;
  }
}

bool TagCoverage::names_any(std::size_t controller, const BitRange& bits) const {
  bool found = false;
  touching(controller, bits, [&](const Named&) {
    found = true;
    return false;
  });
  return found;
}

std::vector<std::size_t> TagCoverage::tags_in(std::size_t controller, const BitRange& bits) const {
  std::vector<std::size_t> tags;
  touching(controller, bits, [&](const Named& each) {
    tags.push_back(each.tag);
    return true;
  });
  std::reverse(tags.begin(), tags.end());
  return tags;
}

std::vector<std::string> TagCoverage::names_in(std::size_t controller, const BitRange& bits) const {
  std::vector<std::string> names;
  for (const std::size_t tag : tags_in(controller, bits)) {
    names.push_back(plan_.declared(plan_.tags[tag]).name);
  }
  return names;
}

bool TagCoverage::is_listed(const MemoryUse& use, std::uint64_t bit) const {
  const ResolvedTransaction& t = plan_.transactions[use.owner];
  if (!t.target || t.target->is_peer) return true;
  const RegisterMap* map = plan_.map_of(*t.target);
  if (map == nullptr || !plan_.exchange.slaves[t.target->index].map_is_complete()) return true;
  const auto& block = use.purpose == MemoryPurpose::read ? t.read : t.write;
  if (!block || t.function == FunctionCode::mask_write_register) return true;
  const bool bits = is_bit_area(block->area);
  const auto offset =
      static_cast<std::uint32_t>(block->offset + (bits ? bit : bit / bits_per_word));
  if (map->may_hide(block->area, {offset, offset + 1})) return false;
  return map->lists(block->area, offset);
}

UnnamedWords TagCoverage::unnamed(std::size_t controller, const MemoryUse& use) const {
  UnnamedWords out;
  const MemoryArea& area = plan_.plan.controllers[controller].memory[use.bits.store];
  const std::uint64_t unit = area.kind == MemoryKind::word ? bits_per_word : 1;
  const auto known = known_.find({controller, use.bits.store});
  for (std::uint64_t at = use.bits.first; at < use.bits.end; at += unit) {
    const BitRange word{use.bits.store, at, std::min(at + unit, use.bits.end)};
    if (names_any(controller, word)) {
      out.any_named = true;
      continue;
    }
    if (known != known_.end() && touches(known->second, word.first, word.end)) continue;
    if (!is_listed(use, at - use.bits.first)) continue;
    if (!out.spare.empty() && out.spare.back().end == word.first) {
      out.spare.back().end = word.end;
    } else {
      out.spare.push_back(word);
    }
  }
  return out;
}

}  // namespace greymet::model
