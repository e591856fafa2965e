// Uses of a controller's memory, asked by where they lie. Not for use outside this folder.
#pragma once

#include <functional>
#include <vector>

#include "model/bit_index.h"
#include "model/memory_use.h"

namespace greymet::checks::internal {

// Keeps pointers: the uses must outlive it, and not move.
class UseIndex {
 public:
  // Those of a purpose that is asked about; all where nothing is said.
  explicit UseIndex(const std::vector<model::MemoryUse>& uses,
                    bool (*asked_about)(model::MemoryPurpose) = nullptr) {
    std::vector<model::BitRange> places;
    for (const model::MemoryUse& use : uses) {
      if (asked_about && !asked_about(use.purpose)) continue;
      uses_.push_back(&use);
      places.push_back(use.bits);
    }
    places_ = model::BitIndex(places);
  }

  // Calls `visit` with every use that touches the bits, until it returns false.
  void touching(const model::BitRange& bits,
                const std::function<bool(const model::MemoryUse&)>& visit) const {
    for (const std::size_t at : places_.overlapping(bits)) {
      if (!visit(*uses_[at])) return;
    }
  }
  // The first of them, or null.
  [[nodiscard]] const model::MemoryUse* any(
      const model::BitRange& bits,
      const std::function<bool(const model::MemoryUse&)>& wanted) const {
    const model::MemoryUse* found = nullptr;
    touching(bits, [&](const model::MemoryUse& use) {
      if (wanted(use)) found = &use;
      return found == nullptr;
    });
    return found;
  }

 private:
  std::vector<const model::MemoryUse*> uses_;
  model::BitIndex places_;  // parallel
};

}  // namespace greymet::checks::internal
