// Heartbeats in the simulation: when a stop is noticed, and what failures make of the watch.
//
// The producer toggles its bit every h, at the boundaries of its program's scan. Each transfer
// takes the bit and lands it; the consumer sees it at the next boundary of its own scan, where the
// watch starts anew whenever the bit has changed. How scans and toggles lie to the exchange is
// unknown, so the results go over many such offsets, spread evenly and the same in every run.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "timing/heartbeats.h"
#include "timing/transfers.h"

namespace greymet::timing {

// From the producer's stop to the consumer's alarm.
struct Detection {
  Duration least{};
  double mean_ms = 0;
  Duration latest{};
};

// Nothing where the transfers span too little time, or the watch is 0. Transfers by landing.
[[nodiscard]] std::optional<Detection> simulate_detection(const HeartbeatTimes& times,
                                                          const std::vector<Transfer>& transfers);

// What the watch does while the producer lives.
struct WatchRecord {
  std::uint64_t alarms = 0;  // times the watch expired, per offset examined (mean)
  double alarms_per_year = 0;
  Duration longest_unchanged{};  // longest time the consumer saw no change
  Duration observed{};
};
[[nodiscard]] WatchRecord watch_living_producer(const HeartbeatTimes& times,
                                                const std::vector<Transfer>& transfers);

// One interval in which a heartbeat's bit was seen unchanged, for drawing.
struct HeartbeatTrace {
  std::vector<Duration> toggles;  // at the producer
  std::vector<Transfer> transfers;
  std::vector<Duration> seen;  // changes at the consumer
};
// The first `length` of the transfers, toggles from 0 on.
[[nodiscard]] HeartbeatTrace trace_heartbeat(const HeartbeatTimes& times,
                                             const std::vector<Transfer>& transfers,
                                             Duration length);

// The least number of failed tries in a row for which the watch is not safe any more; nothing if
// even `most_tries_examined` do not matter, or the carrier has no bound.
inline constexpr std::int64_t most_tries_examined = 1000;
[[nodiscard]] std::optional<std::int64_t> tries_to_false_alarm(const HeartbeatTimes& times,
                                                               const Carrier& carrier);

// Expected runs a year of at least `tries` failed tries in a row. A run begins after a success, and
// there are no more successes than transactions: (year / period) x p^tries, p = 1 - (1 - e)^2.
[[nodiscard]] double runs_per_year(Duration period, double frame_error_rate, std::int64_t tries);

}  // namespace greymet::timing
