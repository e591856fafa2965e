// Which of many ranges of memory overlap one.
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

#include "model/memory_range.h"

namespace greymet::model {

// Ranges that stay as they are. A question costs the logarithm of their number, and what it finds.
class BitIndex {
 public:
  BitIndex() = default;
  // Ranges are known by their places in the list; empty ones overlap nothing.
  explicit BitIndex(const std::vector<BitRange>& ranges);

  // The places of those that share a bit with `bits`, in ascending order.
  [[nodiscard]] std::vector<std::size_t> overlapping(const BitRange& bits) const;
  [[nodiscard]] bool overlaps_any(const BitRange& bits) const;

 private:
  struct Entry {
    BitRange bits;
    std::size_t place = 0;
  };
  // Until there are `most`.
  void collect(const BitRange& bits, std::size_t from, std::size_t to, std::size_t most,
               std::vector<std::size_t>& out) const;

  std::vector<Entry> entries_;            // by store and first bit
  std::vector<std::uint64_t> last_ends_;  // parallel: of the subtree below each
};

}  // namespace greymet::model
