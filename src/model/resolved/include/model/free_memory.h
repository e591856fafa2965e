// What is left of a controller's memory: the one answer to "where is there room".
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <vector>

#include "model/memory_use.h"

namespace greymet::model {

// The stretches of one controller's stores that no use of the plan touches. Holds a reference: the
// plan must outlive it.
class FreeMemory {
 public:
  // `uses` are those of this controller, as memory_uses() gives them.
  FreeMemory(const ResolvedPlan& resolved, ControllerIndex controller,
             const std::vector<MemoryUse>& uses);

  // Takes bits away.
  void take(const BitRange& bits);
  // The lowest `count` words or bits of an area; several words at even numbers where the
  // controller's model aligns 32-bit values. Nothing if there is no such range.
  // `parity`: only at numbers that are even (0) or odd (1), whatever the model wants.
  [[nodiscard]] std::optional<MemoryRange> lowest(std::size_t area, std::int64_t count,
                                                  std::optional<std::int64_t> parity = {}) const;
  [[nodiscard]] bool is_free(const BitRange& bits) const { return !obstacle(bits); }
  // The free stretches of a store, by address.
  [[nodiscard]] std::vector<BitRange> stretches(std::size_t store) const;

 private:
  using Intervals = std::map<std::uint64_t, std::uint64_t>;  // first -> end, disjoint, not adjacent
  // The end of a taken interval that overlaps [first, end), if there is one.
  [[nodiscard]] std::optional<std::uint64_t> obstacle(const BitRange& bits) const;

  const ResolvedPlan* resolved_;
  ControllerIndex controller_;
  std::map<std::size_t, Intervals> taken_;  // per store
};

}  // namespace greymet::model
