#include "swapped_blocks.h"

#include <algorithm>

namespace greymet::checks::internal {

void SwappedBlocks::add(OrderSlip slip) {
  slips_[{{slip.by.kind, slip.by.index}, slip.is_from, slip.is, slip.wanted}].push_back(
      std::move(slip));
}

void SwappedBlocks::exact(const model::ValueMove& by) {
  exact_.insert({by.kind, by.index});
}

bool SwappedBlocks::is_block(const Key& key, const std::vector<OrderSlip>& slips) const {
  const Step& step = std::get<0>(key);
  return slips.size() > 1 && step.first != model::MoveKind::copy && !exact_.contains(step);
}

std::vector<std::vector<OrderSlip>> SwappedBlocks::blocks() const {
  std::vector<std::vector<OrderSlip>> out;
  for (const auto& [key, slips] : slips_) {
    if (is_block(key, slips)) out.push_back(slips);
  }
  return out;
}

std::vector<OrderSlip> SwappedBlocks::lone() const {
  std::vector<OrderSlip> out;
  for (const auto& [key, slips] : slips_) {
    if (!is_block(key, slips)) out.insert(out.end(), slips.begin(), slips.end());
  }
  std::sort(out.begin(), out.end(),
            [](const OrderSlip& a, const OrderSlip& b) { return a.tag < b.tag; });
  return out;
}

}  // namespace greymet::checks::internal
