// Uses of a controller's memory, asked by where they lie. Not for use outside this folder.
#pragma once

#include <algorithm>
#include <functional>
#include <map>
#include <vector>

#include "model/memory_use.h"

namespace greymet::checks::internal {

// Keeps pointers: the uses must outlive it, and not move.
class UseIndex {
 public:
  // Those of a purpose that is asked about; all where nothing is said.
  explicit UseIndex(const std::vector<model::MemoryUse>& uses,
                    bool (*asked_about)(model::MemoryPurpose) = nullptr) {
    for (const model::MemoryUse& use : uses) {
      if (asked_about && !asked_about(use.purpose)) continue;
      stores_[use.bits.store].push_back({&use, 0});
    }
    for (auto& [store, entries] : stores_) {
      std::stable_sort(entries.begin(), entries.end(), [](const Entry& a, const Entry& b) {
        return a.use->bits.first < b.use->bits.first;
      });
      std::uint64_t reaches = 0;
      for (Entry& e : entries) e.reaches = reaches = std::max(reaches, e.use->bits.end);
    }
  }

  // Calls `visit` with every use that touches the bits, until it returns false.
  void touching(const model::BitRange& bits,
                const std::function<bool(const model::MemoryUse&)>& visit) const {
    const auto store = stores_.find(bits.store);
    if (store == stores_.end()) return;
    const auto& entries = store->second;
    auto at =
        std::lower_bound(entries.begin(), entries.end(), bits.end,
                         [](const Entry& e, std::uint64_t end) { return e.use->bits.first < end; });
    while (at != entries.begin() && (at - 1)->reaches > bits.first) {
      --at;
      if (at->use->bits.end > bits.first && !visit(*at->use)) return;
    }
  }
  // One of them, or null.
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
  struct Entry {
    const model::MemoryUse* use = nullptr;
    std::uint64_t reaches = 0;  // the furthest end up to here
  };
  std::map<std::size_t, std::vector<Entry>> stores_;
};

}  // namespace greymet::checks::internal
