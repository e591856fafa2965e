// Heartbeats: whether a toggled bit arrives in time, and which watch times are safe.
//
// With D the longest time from a change just after a sample to the completion that carries it,
// A the longest failed try on the carrier's queue, k = `lost` such tries between two changes that
// are seen, s_p and s_c the scans of producer and consumer, h the toggle time, W the watch:
//     D = period x ceil(R / period) + R    (continuous: L + C); where k > 0, R for any phases
//     G = the longest that k failed tries, wherever they fall, can make of D
//     all toggles are seen          if  D + s_p + s_c <= h
//     the smallest safe watch       the longest time between two changes that are seen:
//                                   h + G + s_p + s_c, or more where failures hide toggles
//     the latest alarm              W + G + 2 s_c   (the last toggle may still be on its way, and
//                                   the timer is read on a scan); it must not exceed `react`
// docs/timing-model.md has G and the hidden toggles in full.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/network.h"
#include "model/strong.h"

namespace greymet::model {
struct ExchangeHeartbeat;
struct ResolvedPlan;
}  // namespace greymet::model

namespace greymet::timing {

using model::Duration;

// What is to be said of a heartbeat.
enum class HeartbeatVerdict : std::uint8_t {
  good,
  not_carried,    // no transaction carries the bit
  not_bounded,    // carried only when something triggers, or without a bound
  toggles_lost,   // faster than it is carried
  no_watch_fits,  // smallest safe watch > largest that reacts in time
  false_alarm,    // watch below the smallest safe one
  too_late,       // the alarm comes later than `react`
};

// What is known of the transaction that may carry a heartbeat.
struct Carrier {
  std::size_t transaction = 0;  // into ResolvedPlan::transactions
  std::string name;
  bool triggered = false;                      // sent on request or change, not by the clock
  Duration period{};                           // of a cyclic one
  std::optional<Duration> response;            // its bound
  std::optional<Duration> response_any_phase;  // the one that holds with a backlog too
  std::optional<Duration> delay;               // D
  std::optional<Duration> delay_simulated;  // D with the healthy simulation in place of the bound
  Duration failed_attempt{};  // A: the longest of any job of its queue, scan alignment included
  std::int64_t retries = 0;
  std::optional<model::Park> park;
};

// The numbers of one heartbeat, as its plan states them.
struct HeartbeatTimes {
  Duration toggle{};
  Duration watch{};
  Duration react{};
  Duration producer_scan{};
  Duration consumer_scan{};
  std::int64_t lost = 0;
};

// One heartbeat; durations are left out where the verdict leaves them open.
struct HeartbeatReport {
  std::string name;
  std::string carried_by;  // empty: by nobody
  Duration watch{};
  std::optional<Duration> longest_gap;  // G
  std::optional<Duration> watch_min;
  std::optional<Duration> watch_max;
  std::optional<Duration> latest_alarm;
  HeartbeatVerdict verdict = HeartbeatVerdict::not_carried;
  HeartbeatTimes times;
  std::optional<Carrier> carrier;  // none: not carried
};

// The arithmetic of the header for one heartbeat and carrier.
[[nodiscard]] HeartbeatReport judge_heartbeat(const HeartbeatTimes& times, const Carrier& carrier);

// D of a cyclic transaction: period x ceil(R / period) + R.
[[nodiscard]] Duration delay_of_cyclic(Duration period, Duration response);

// The transactions that move the heartbeat's bit from its producer to its consumer.
[[nodiscard]] std::vector<std::size_t> transactions_carrying(
    const model::ResolvedPlan& resolved, const model::ExchangeHeartbeat& heartbeat);

// All heartbeats of the plan; `carriers` are its transactions with their bounds. Of several that
// carry a bit the quickest counts.
[[nodiscard]] std::vector<HeartbeatReport> heartbeat_reports(const model::ResolvedPlan& resolved,
                                                             const std::vector<Carrier>& carriers);

// "good", "toggles lost", ...
[[nodiscard]] std::string_view to_string(HeartbeatVerdict verdict);

}  // namespace greymet::timing
