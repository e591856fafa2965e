#include "model/bit_index.h"

#include <algorithm>
#include <functional>
#include <tuple>
#include <utility>

namespace greymet::model {

// A balanced tree without pointers: the middle of [from, to) is the root of what lies there, and
// knows the largest end of it.
BitIndex::BitIndex(const std::vector<BitRange>& ranges) {
  for (std::size_t i = 0; i < ranges.size(); ++i) {
    if (ranges[i].first < ranges[i].end) entries_.push_back({ranges[i], i});
  }
  std::sort(entries_.begin(), entries_.end(), [](const Entry& a, const Entry& b) {
    return std::tie(a.bits.store, a.bits.first, a.place) <
           std::tie(b.bits.store, b.bits.first, b.place);
  });
  last_ends_.resize(entries_.size());
  const std::function<std::uint64_t(std::size_t, std::size_t)> build =
      [&](std::size_t from, std::size_t to) -> std::uint64_t {
    if (from >= to) return 0;
    const std::size_t middle = from + (to - from) / 2;
    const std::uint64_t below = std::max(build(from, middle), build(middle + 1, to));
    return last_ends_[middle] = std::max(below, entries_[middle].bits.end);
  };
  build(0, entries_.size());
}

std::vector<std::size_t> BitIndex::overlapping(const BitRange& bits) const {
  std::vector<std::size_t> out;
  if (bits.first < bits.end) collect(bits, 0, entries_.size(), entries_.size(), out);
  std::sort(out.begin(), out.end());
  return out;
}

bool BitIndex::overlaps_any(const BitRange& bits) const {
  std::vector<std::size_t> out;
  if (bits.first < bits.end) collect(bits, 0, entries_.size(), 1, out);
  return !out.empty();
}

void BitIndex::collect(const BitRange& bits, std::size_t from, std::size_t to, std::size_t most,
                       std::vector<std::size_t>& out) const {
  if (from >= to || out.size() >= most) return;
  const std::size_t middle = from + (to - from) / 2;
  if (last_ends_[middle] <= bits.first) return;
  const Entry& entry = entries_[middle];
  const auto begins = [](const BitRange& range) { return std::pair(range.store, range.first); };
  if (entry.bits.store >= bits.store) collect(bits, from, middle, most, out);
  if (out.size() < most && overlap(entry.bits, bits)) out.push_back(entry.place);
  if (begins(entry.bits) < std::pair(bits.store, bits.end))
    collect(bits, middle + 1, to, most, out);
}

}  // namespace greymet::model
