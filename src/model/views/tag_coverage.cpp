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
    : plan_(plan),
      named_(plan.plan.controllers.size()),
      partial_(plan.plan.controllers.size(), false) {
  for (std::size_t i = 0; i < plan.tags.size(); ++i) {
    const ResolvedTag& tag = plan.tags[i];
    if (tag.memory) {
      named_[tag.controller].tags.push_back(i);
    } else {
      partial_[tag.controller] = true;
    }
  }
  for (Named& named : named_) {
    const auto bits_of = [&plan](std::size_t tag) -> const BitRange& {
      return plan.tags[tag].memory->bits;
    };
    std::stable_sort(named.tags.begin(), named.tags.end(), [&](std::size_t a, std::size_t b) {
      return bits_of(a).first < bits_of(b).first;
    });
    std::vector<BitRange> places;
    places.reserve(named.tags.size());
    for (const std::size_t tag : named.tags) places.push_back(bits_of(tag));
    named.places = BitIndex(places);
  }
  const auto uses = memory_uses(plan);
  for (std::size_t c = 0; c < uses.size(); ++c) {
    for (const MemoryUse& use : uses[c]) {
      const bool relayed = use.purpose == MemoryPurpose::sent && use.relays;
      if (use.purpose == MemoryPurpose::copy_source || use.purpose == MemoryPurpose::copy_target ||
          use.purpose == MemoryPurpose::heartbeat || use.purpose == MemoryPurpose::fingerprint ||
          relayed) {
        known_[{c, use.bits.store}].push_back(use.bits);
      }
    }
  }
  for (auto& [store, runs] : known_) merge_runs(runs);
}

bool TagCoverage::names_any(std::size_t controller, const BitRange& bits) const {
  return named_[controller].places.overlaps_any(bits);
}

std::vector<std::size_t> TagCoverage::tags_in(std::size_t controller, const BitRange& bits) const {
  std::vector<std::size_t> tags = named_[controller].places.overlapping(bits);
  for (std::size_t& place : tags) place = named_[controller].tags[place];
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
