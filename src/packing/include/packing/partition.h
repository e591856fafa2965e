// Covering wanted values with requests of the least line time per second.
//
// Units lie in the order of their addresses, do not overlap, and must not be cut. A request reads
// an unbroken run of units, with the gaps between them, every so often; it serves each unit in it
// whose own period is not shorter. Every unit must be served. The cost is the sum over requests of
// cost(quantity) / period; ties go to fewer requests.
//
// Exact, by dynamic programming over the units from left to right. The state before unit i is, for
// each period, where its open request began, if one is open; a request pays when it closes. With s
// units within reach of one request and k periods there are at most (s + 1)^k states, and an open
// request needs no second one of its own period, whose overlap could be cut off. Two cuts make it
// fast and lose nothing: where a gap cannot be read through, or costs any request more than
// starting a second one, what lies left and right of it is solved alone.
// Beyond `most_states` states, or `most_periods` periods in one stretch, the least disjoint runs of
// units are taken instead, each read at its shortest period; `least` is then false.
#pragma once

#include <cstdint>
#include <vector>

#include "model/strong.h"

namespace greymet::packing {

using model::Duration;

// One value, or several that overlap.
struct Unit {
  std::uint32_t first = 0;  // registers, or bits
  std::uint32_t end = 0;
  Duration every{};           // wanted at least so often
  bool joins_before = false;  // the gap to the unit before may be read through
};

// cost[n]: line time in nanoseconds of a request for n registers or bits; index 0 is not used. The
// largest index is the most that one request may carry. Must not fall with n.
using RequestCosts = std::vector<std::int64_t>;

// Units [from, to] in one request, every so often.
struct Request {
  std::size_t from = 0;
  std::size_t to = 0;
  Duration every{};
  friend bool operator==(const Request&, const Request&) = default;
};

// Requests that cover all units.
struct Partition {
  std::vector<Request> requests;  // by first unit
  bool least = true;              // proved to be
};

inline constexpr std::size_t most_periods = 4;
inline constexpr std::size_t most_states = 60'000;

// Each unit must fit into one request.
[[nodiscard]] Partition cover(const std::vector<Unit>& units, const RequestCosts& costs);

// Line time per second of these requests, in seconds.
[[nodiscard]] double load_of(const std::vector<Unit>& units, const RequestCosts& costs,
                             const std::vector<Request>& requests);

}  // namespace greymet::packing
