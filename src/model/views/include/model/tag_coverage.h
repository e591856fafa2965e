// Which words and bits of a controller the tags of its program name.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "model/bit_index.h"
#include "model/memory_use.h"
#include "model/resolved_plan.h"

namespace greymet::model {

// Values come or go this way: what a transaction fills or sends, at either of its ends.
[[nodiscard]] bool moves_values(MemoryPurpose purpose);

// Words (or bits, in an area of bits) of one use that nothing names.
struct UnnamedWords {
  std::vector<BitRange> spare;  // runs, by address
  bool any_named = false;       // some other word of the same use has a tag
};

// Keeps a reference: the plan must outlive it.
class TagCoverage {
 public:
  explicit TagCoverage(const ResolvedPlan& plan);

  // True if some tag touches the bits.
  [[nodiscard]] bool names_any(std::size_t controller, const BitRange& bits) const;
  // The tags that touch the bits, into ResolvedPlan::tags, by address.
  [[nodiscard]] std::vector<std::size_t> tags_in(std::size_t controller,
                                                 const BitRange& bits) const;
  // Their names, in the same order.
  [[nodiscard]] std::vector<std::string> names_in(std::size_t controller,
                                                  const BitRange& bits) const;
  // A word counts as named where a tag touches it, a copy of the program takes it or puts it there,
  // another transaction passes it on, or a heartbeat lies in it; and where no value can be:
  // registers that a complete map does not list.
  [[nodiscard]] UnnamedWords unnamed(std::size_t controller, const MemoryUse& use) const;
  // True if the address of some tag could not be read: it may lie anywhere.
  [[nodiscard]] bool is_partial(std::size_t controller) const { return partial_[controller]; }

 private:
  struct Named {                    // of one controller
    std::vector<std::size_t> tags;  // into ResolvedPlan::tags, by address
    BitIndex places;                // parallel
  };
  using Store = std::pair<std::size_t, std::size_t>;  // controller, store
  [[nodiscard]] bool is_listed(const MemoryUse& use, std::uint64_t bit) const;

  const ResolvedPlan& plan_;
  std::vector<Named> named_;
  std::map<Store, std::vector<BitRange>> known_;  // by copies, heartbeats and relays; merged
  std::vector<bool> partial_;
};

}  // namespace greymet::model
