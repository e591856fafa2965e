// Values whose words come in another order than the program takes them, gathered by the step that
// brings or sends them: a whole block is said once. Not for use outside this folder.
#pragma once

#include <cstdint>
#include <map>
#include <set>
#include <tuple>
#include <utility>
#include <vector>

#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::checks::internal {

// One tag whose value comes, or is sent, in another order.
struct OrderSlip {
  std::size_t tag = 0;  // into ResolvedPlan::tags
  bool is_from = true;  // it comes so; else it is sent so
  model::ValueMove by;  // the last step
  model::WordOrder is{};
  model::WordOrder wanted{};
  std::vector<model::Concern> concerns;
};

// Gathers the tags of one check; nothing is reported twice.
class SwappedBlocks {
 public:
  void add(OrderSlip slip);
  // A long value of this step has the order that is wanted.
  void exact(const model::ValueMove& by);

  // Blocks of which two values or more have the same wrong order, and none the right one.
  [[nodiscard]] std::vector<std::vector<OrderSlip>> blocks() const;
  // All others, in the order of the tags.
  [[nodiscard]] std::vector<OrderSlip> lone() const;

 private:
  using Step = std::pair<model::MoveKind, std::size_t>;
  using Key = std::tuple<Step, bool, model::WordOrder, model::WordOrder>;
  [[nodiscard]] bool is_block(const Key& key, const std::vector<OrderSlip>& slips) const;

  std::map<Key, std::vector<OrderSlip>> slips_;
  std::set<Step> exact_;
};

}  // namespace greymet::checks::internal
