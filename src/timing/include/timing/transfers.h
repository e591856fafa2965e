// When a service takes a value at one end and lands it at the other.
//
// A read takes the value when the slave begins to reply and lands it with its completion; a write
// takes it when the request starts and lands it when the slave begins to reply, by when it has
// been written. Where the exact instant is unknown (a network's way back) the earlier one counts
// for taking and the later one for landing, so ages are never understated.
#pragma once

#include <compare>
#include <cstddef>
#include <vector>

#include "model/strong.h"

namespace greymet::timing {

using model::Duration;
struct Job;
struct Service;
struct TransactionTimes;

// One value that has been carried.
struct Transfer {
  Duration taken{};
  Duration landed{};
  friend auto operator<=>(const Transfer&, const Transfer&) = default;
};

// The transfers of one job among the watched services of its queue: answered ones, by landing.
[[nodiscard]] std::vector<Transfer> transfers_of(const Job& job, std::size_t index, bool is_read,
                                                 const std::vector<Service>& services);

// The least time between taking and landing: the shortest reply of a read, request of a write.
// Nothing is known of the shortest time on a network; it counts as 0.
[[nodiscard]] Duration least_transfer(const TransactionTimes& times, bool is_read);

}  // namespace greymet::timing
