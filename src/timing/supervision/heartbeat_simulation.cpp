#include "timing/heartbeat_simulation.h"

#include <algorithm>

#include "model/boundaries.h"
#include "queues/spread.h"
#include "timing/faults.h"

namespace greymet::timing {

using internal::fraction;
using internal::golden;
using internal::offsets_examined;
using internal::part_of;
using internal::plastic;
using internal::plastic_2;
using model::boundary_from;

namespace {

constexpr std::size_t stops_examined = 4096;
// The last toggle at or before `t`: toggles are due at offset + k x h and happen at the producer's
// next scan.
Duration last_toggle(const HeartbeatTimes& times, Duration t, Duration toggle_offset,
                     Duration scan_offset) {
  const std::int64_t h = times.toggle.count();
  std::int64_t k = (t - toggle_offset).count() / h;
  if (k * h > (t - toggle_offset).count()) --k;
  while (true) {
    const Duration at =
        boundary_from(toggle_offset + Duration(k * h), times.producer_scan, scan_offset);
    if (at <= t) return at;
    --k;
  }
}

// Number of the toggle in force at `t`; its parity is the bit.
std::int64_t toggles_until(const HeartbeatTimes& times, Duration t, Duration toggle_offset,
                           Duration scan_offset) {
  const Duration last = last_toggle(times, t, toggle_offset, scan_offset);
  const double h = static_cast<double>(times.toggle.count());
  // the scan moves a toggle by less than h only if h is not shorter than the scan
  return static_cast<std::int64_t>(
      std::floor(static_cast<double>((last - toggle_offset).count()) / h));
}

}  // namespace

std::optional<Detection> simulate_detection(const HeartbeatTimes& times,
                                            const std::vector<Transfer>& transfers) {
  if (transfers.size() < 2 || times.toggle <= Duration{} || times.watch <= Duration{}) {
    return std::nullopt;
  }
  const Duration first = transfers.front().taken + times.toggle + times.producer_scan;
  const Duration last = transfers.back().taken;
  if (first >= last) return std::nullopt;
  std::vector<Transfer> by_taken = transfers;
  std::sort(by_taken.begin(), by_taken.end());
  Detection out{Duration::max(), 0, {}};
  for (std::size_t i = 0; i < stops_examined; ++i) {
    const auto n = static_cast<double>(i);
    const Duration stop = first + part_of(last - first, fraction(n * golden));
    const Duration toggle_offset = part_of(times.toggle, fraction(n * plastic));
    const Duration scan_offset = part_of(times.producer_scan, fraction(n * plastic_2));
    const Duration reader_offset = part_of(times.consumer_scan, fraction(n * plastic * plastic_2));
    const Duration toggled = last_toggle(times, stop, toggle_offset, scan_offset);
    const auto carried =
        std::lower_bound(by_taken.begin(), by_taken.end(), toggled,
                         [](const Transfer& transfer, Duration at) { return transfer.taken < at; });
    if (carried == by_taken.end()) continue;
    const Duration seen = boundary_from(carried->landed, times.consumer_scan, reader_offset);
    const Duration alarm = boundary_from(seen + times.watch, times.consumer_scan, reader_offset);
    const Duration latency = std::max(Duration{}, alarm - stop);
    out.least = std::min(out.least, latency);
    out.latest = std::max(out.latest, latency);
    out.mean_ms += static_cast<double>(latency.count()) / 1e6 / double(stops_examined);
  }
  return out;
}

WatchRecord watch_living_producer(const HeartbeatTimes& times,
                                  const std::vector<Transfer>& transfers) {
  WatchRecord record;
  if (transfers.size() < 2 || times.toggle <= Duration{}) return record;
  record.observed = transfers.back().landed - transfers.front().landed;
  std::uint64_t alarms = 0;
  for (std::size_t i = 0; i < offsets_examined; ++i) {
    const double n = static_cast<double>(i) + 0.5;
    const Duration toggle_offset = part_of(times.toggle, fraction(n * golden));
    const Duration scan_offset = part_of(times.producer_scan, fraction(n * plastic));
    const Duration reader_offset = part_of(times.consumer_scan, fraction(n * plastic_2));
    std::optional<std::int64_t> bit;
    std::optional<Duration> changed;
    for (const Transfer& transfer : transfers) {
      const std::int64_t now = toggles_until(times, transfer.taken, toggle_offset, scan_offset) & 1;
      if (bit == now) continue;
      const Duration seen = boundary_from(transfer.landed, times.consumer_scan, reader_offset);
      if (changed) {
        const Duration unchanged = seen - *changed;
        record.longest_unchanged = std::max(record.longest_unchanged, unchanged);
        if (times.watch > Duration{} && unchanged > times.watch) ++alarms;
      }
      // the first value is no change yet: the watch starts with the first one seen
      if (bit) changed = seen;
      bit = now;
    }
    if (changed) {
      const Duration unchanged = transfers.back().landed - *changed;
      record.longest_unchanged = std::max(record.longest_unchanged, unchanged);
    }
  }
  record.alarms = (alarms + offsets_examined - 1) / offsets_examined;
  const double year_ns = 365.25 * 24 * 3600 * 1e9;
  if (record.observed > Duration{}) {
    record.alarms_per_year = static_cast<double>(alarms) / double(offsets_examined) * year_ns /
                             static_cast<double>(record.observed.count());
  }
  return record;
}

HeartbeatTrace trace_heartbeat(const HeartbeatTimes& times, const std::vector<Transfer>& transfers,
                               Duration length) {
  HeartbeatTrace trace;
  if (times.toggle <= Duration{} || transfers.empty()) return trace;
  const Duration begin = transfers.front().taken;
  std::int64_t bit = -1;
  for (const Transfer& transfer : transfers) {
    if (transfer.landed > begin + length) break;
    trace.transfers.push_back(transfer);
    const std::int64_t now = toggles_until(times, transfer.taken, {}, {}) & 1;
    if (bit >= 0 && now != bit) {
      trace.seen.push_back(boundary_from(transfer.landed, times.consumer_scan, {}));
    }
    bit = now;
  }
  constexpr std::size_t most_toggles = 10'000;
  // the bit rests at 0 until the first toggle
  for (Duration t = boundary_from(begin + Duration(1), times.toggle, {});
       t <= begin + length && trace.toggles.size() < most_toggles; t += times.toggle) {
    trace.toggles.push_back(boundary_from(t, times.producer_scan, {}));
  }
  return trace;
}

std::optional<std::int64_t> tries_to_false_alarm(const HeartbeatTimes& times,
                                                 const Carrier& carrier) {
  for (std::int64_t tries = 0; tries <= most_tries_examined; ++tries) {
    HeartbeatTimes harder = times;
    harder.lost = tries;
    const HeartbeatReport report = judge_heartbeat(harder, carrier);
    if (!report.watch_min) return std::nullopt;
    if (times.watch < *report.watch_min) return tries;
  }
  return std::nullopt;
}

double runs_per_year(Duration period, double frame_error_rate, std::int64_t tries) {
  if (period <= Duration{}) return 0;
  const double year_ns = 365.25 * 24 * 3600 * 1e9;
  return year_ns / static_cast<double>(period.count()) *
         std::pow(try_failure_probability(frame_error_rate), static_cast<double>(tries));
}

}  // namespace greymet::timing
