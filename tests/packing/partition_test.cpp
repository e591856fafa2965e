#include "packing/partition.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <functional>
#include <limits>

using namespace greymet::packing;

namespace {

RequestCosts affine(std::int64_t once, std::int64_t each, std::size_t most) {
  RequestCosts costs(most + 1, 0);
  for (std::size_t n = 1; n <= most; ++n) costs[n] = once + each * static_cast<std::int64_t>(n);
  return costs;
}

// Tries every set of requests: for the first unit that is not served, every run of units around it
// at every period that serves it.
struct Exhaustive {
  const std::vector<Unit>& units;
  const RequestCosts& costs;
  std::vector<Duration> periods;
  std::int64_t common = 1;
  std::pair<std::int64_t, std::int64_t> least{std::numeric_limits<std::int64_t>::max(), 0};

  void search(std::vector<bool> served, std::int64_t time, std::int64_t requests) {
    if (std::pair(time, requests) >= least) return;
    std::size_t first = 0;
    while (first < units.size() && served[first]) ++first;
    if (first == units.size()) {
      least = {time, requests};
      return;
    }
    for (const Duration period : periods) {
      if (period > units[first].every) continue;
      for (std::size_t from = 0; from <= first; ++from) {
        for (std::size_t to = first; to < units.size(); ++to) {
          bool unbroken = true;
          for (std::size_t i = from + 1; i <= to; ++i) unbroken &= units[i].joins_before;
          const std::size_t quantity = units[to].end - units[from].first;
          if (!unbroken || quantity >= costs.size()) continue;
          auto now = served;
          for (std::size_t i = from; i <= to; ++i) {
            if (units[i].every >= period) now[i] = true;
          }
          search(now, time + costs[quantity] * (common / period.count()), requests + 1);
        }
      }
    }
  }
};

std::vector<Unit> random_units(int most) {
  std::vector<Unit> units;
  std::uint32_t at = 0;
  const int count = *rc::gen::inRange(1, most + 1);
  for (int i = 0; i < count; ++i) {
    const auto gap = *rc::gen::inRange<std::uint32_t>(0, 6);
    const auto width = *rc::gen::inRange<std::uint32_t>(1, 4);
    at += gap;
    units.push_back(
        {at, at + width, Duration(*rc::gen::element(1, 2, 4)), *rc::gen::inRange(0, 5) > 0});
    at += width;
  }
  return units;
}

}  // namespace

TEST_CASE("near values share a request, far ones do not") {
  // a request costs 10 and 1 each: reading through a gap of 9 costs less than a second one
  const auto costs = affine(10, 1, 125);
  const auto requests = [&](std::uint32_t gap) {
    return cover({{0, 2, Duration(1), false}, {2 + gap, 4 + gap, Duration(1), true}}, costs)
        .requests.size();
  };
  CHECK(requests(9) == 1);
  CHECK(requests(10) == 1);  // the same time; fewer requests
  CHECK(requests(11) == 2);
  CHECK(cover({{0, 2, Duration(1), false}, {3, 4, Duration(1), false}}, costs).requests.size() ==
        2);  // the gap must not be read
}

TEST_CASE("a slow value rides along where that is cheaper, and not where it is not") {
  const auto costs = affine(10, 1, 125);
  const Unit fast{0, 2, Duration(100), false};
  // riding along costs 1 register a cycle of 100: 2/100; alone it costs 12/10000
  auto found = cover({fast, {2, 4, Duration(10'000), true}}, costs);
  CHECK(found.requests.size() == 2);
  // every 200: alone 12/200, along 2/100
  found = cover({fast, {2, 4, Duration(200), true}}, costs);
  CHECK(found.requests == std::vector<Request>{{0, 1, Duration(100)}});
  // slow ones on either side of a fast one: the slow request reads across it
  found = cover({{0, 1, Duration(10'000), false},
                 {1, 2, Duration(100), true},
                 {2, 3, Duration(10'000), true}},
                costs);
  CHECK(found.requests == std::vector<Request>{{0, 2, Duration(10'000)}, {1, 1, Duration(100)}});
  CHECK(found.least);
}

TEST_CASE("limits divide a long run where it costs least") {
  // limit 4: six registers in a row need two requests, a gap is the place to divide
  const auto costs = affine(10, 1, 4);
  const auto found = cover({{0, 1, Duration(1), false},
                            {1, 2, Duration(1), true},
                            {3, 4, Duration(1), true},
                            {4, 5, Duration(1), true},
                            {5, 6, Duration(1), true}},
                           costs);
  CHECK(found.requests == std::vector<Request>{{0, 1, Duration(1)}, {2, 4, Duration(1)}});
}

TEST_CASE("the least cost, against every possible set of requests") {
  rc::prop("cover is optimal", [] {
    const auto units = random_units(6);
    const auto once = *rc::gen::inRange<std::int64_t>(0, 12);
    auto costs = affine(once, *rc::gen::inRange<std::int64_t>(0, 3),
                        static_cast<std::size_t>(*rc::gen::inRange(4, 12)));
    if (*rc::gen::inRange(0, 2) == 1) {
      // whole bytes, or whole scans: steps
      const auto step = *rc::gen::inRange<std::int64_t>(2, 9);
      for (auto& cost : costs) cost = (cost + step - 1) / step * step;
    }
    Exhaustive oracle{units, costs, {Duration(1), Duration(2), Duration(4)}, 4};
    oracle.search(std::vector<bool>(units.size(), false), 0, 0);
    const auto found = cover(units, costs);
    RC_ASSERT(found.least);
    std::int64_t time = 0;
    std::vector<bool> served(units.size(), false);
    for (const Request& r : found.requests) {
      for (std::size_t i = r.from; i <= r.to; ++i) {
        RC_ASSERT(i == r.from || units[i].joins_before);
        if (units[i].every >= r.every) served[i] = true;
      }
      time += costs.at(units[r.to].end - units[r.from].first) * (4 / r.every.count());
    }
    for (const bool each : served) RC_ASSERT(each);
    RC_ASSERT(time == oracle.least.first);
    RC_ASSERT(static_cast<std::int64_t>(found.requests.size()) == oracle.least.second);
  });
}

TEST_CASE("too many periods fall back on disjoint runs and say so") {
  std::vector<Unit> units;
  for (std::uint32_t i = 0; i < 8; ++i) units.push_back({i, i + 1, Duration(100 + i), i > 0});
  const auto found = cover(units, affine(10, 1, 125));
  CHECK_FALSE(found.least);
  CHECK(found.requests == std::vector<Request>{{0, 7, Duration(100)}});
  CHECK(load_of(units, affine(10, 1, 125), found.requests) == Approx(0.18));
}
