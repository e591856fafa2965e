// Which ranges overlap one, against asking each of them.
#include "model/bit_index.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

using namespace greymet::model;

namespace {

BitRange any_range(std::uint64_t most) {
  const auto store = *rc::gen::inRange<std::size_t>(0, 3);
  const auto first = *rc::gen::inRange<std::uint64_t>(0, most);
  return {store, first, first + *rc::gen::inRange<std::uint64_t>(0, most)};
}

std::vector<std::size_t> asked_one_by_one(const std::vector<BitRange>& ranges,
                                          const BitRange& bits) {
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < ranges.size(); ++i) {
    // a bit that is in both
    bool shared = false;
    for (std::uint64_t bit = bits.first; bit < bits.end && !shared; ++bit) {
      shared = ranges[i].store == bits.store && ranges[i].first <= bit && bit < ranges[i].end;
    }
    if (shared) out.push_back(i);
  }
  return out;
}

}  // namespace

TEST_CASE("the index finds every range that shares a bit, and no other") {
  rc::prop("like asking each", [] {
    const auto most = *rc::gen::element<std::uint64_t>(3, 30, 300);
    std::vector<BitRange> ranges;
    const auto count = *rc::gen::inRange(0, 60);
    for (int i = 0; i < count; ++i) ranges.push_back(any_range(most));
    const BitIndex index(ranges);
    for (int i = 0; i < 20; ++i) {
      const BitRange bits = any_range(most);
      RC_ASSERT(index.overlapping(bits) == asked_one_by_one(ranges, bits));
      RC_ASSERT(index.overlaps_any(bits) != asked_one_by_one(ranges, bits).empty());
    }
  });
  CHECK(BitIndex().overlapping({0, 0, 10}).empty());
}
