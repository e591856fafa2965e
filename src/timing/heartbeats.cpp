#include "timing/heartbeats.h"

#include <algorithm>

#include "model/resolved_plan.h"

namespace greymet::timing {

using model::ExchangeHeartbeat;
using model::ResolvedPlan;

namespace {

Duration longest_gap(const Carrier& carrier, std::int64_t lost) {
  const Duration delay = *carrier.delay;
  const std::int64_t tries = 1 + carrier.retries;
  Duration gap = model::sum_of(delay, model::sum_of(model::times(lost, carrier.failed_attempt),
                                                    model::times(lost / tries, delay)));
  if (carrier.park && lost >= carrier.park->after * tries) {
    // the try that succeeds waits for the park as well
    gap = model::sum_of(gap,
                        model::times(lost - carrier.park->after * tries + 1, carrier.park->retry));
  }
  return gap;
}

}  // namespace

Duration delay_of_cyclic(Duration period, Duration response) {
  const std::int64_t periods = (response.count() + period.count() - 1) / period.count();
  return periods * period + response;
}

std::vector<std::size_t> transactions_carrying(const ResolvedPlan& resolved,
                                               const ExchangeHeartbeat& heartbeat) {
  std::vector<std::size_t> found;
  if (!heartbeat.from || !heartbeat.to || !heartbeat.bit) return found;
  const auto bit = model::memory_place(*heartbeat.from, heartbeat.bit->bits);
  for (const model::ValueMove& move : resolved.flow.moves_of(bit)) {
    const bool arrives =
        move.kind != model::MoveKind::copy && move.to_controller && move.receiver == *heartbeat.to;
    if (arrives) found.push_back(move.index);
  }
  return found;
}

std::string_view to_string(HeartbeatVerdict verdict) {
  switch (verdict) {
    case HeartbeatVerdict::good: return "good";
    case HeartbeatVerdict::not_carried: return "not carried";
    case HeartbeatVerdict::not_bounded: return "not bounded";
    case HeartbeatVerdict::toggles_lost: return "toggles lost";
    case HeartbeatVerdict::no_watch_fits: return "no watch fits";
    case HeartbeatVerdict::false_alarm: return "false alarm";
    case HeartbeatVerdict::too_late: return "too late";
  }
  return {};
}

HeartbeatReport judge_heartbeat(const HeartbeatTimes& times, const Carrier& carrier) {
  HeartbeatReport out;
  out.times = times;
  out.carrier = carrier;
  out.carried_by = carrier.name;
  out.watch = times.watch;
  if (!carrier.delay) {
    out.verdict = HeartbeatVerdict::not_bounded;
    return out;
  }
  const Duration scans = times.producer_scan + times.consumer_scan;
  const Duration gap = longest_gap(carrier, times.lost);
  out.longest_gap = gap;
  if (*carrier.delay + scans > times.toggle) {
    out.verdict = HeartbeatVerdict::toggles_lost;
    return out;
  }
  out.watch_min = gap + scans <= times.toggle
                      ? times.toggle + gap + scans
                      : 2 * times.toggle + gap + *carrier.delay + times.producer_scan + scans;
  out.watch_max = times.react - gap - 2 * times.consumer_scan;
  out.latest_alarm = times.watch + gap + 2 * times.consumer_scan;
  if (*out.watch_min > *out.watch_max) {
    out.verdict = HeartbeatVerdict::no_watch_fits;
  } else if (times.watch < *out.watch_min) {
    out.verdict = HeartbeatVerdict::false_alarm;
  } else if (*out.latest_alarm > times.react) {
    out.verdict = HeartbeatVerdict::too_late;
  } else {
    out.verdict = HeartbeatVerdict::good;
  }
  return out;
}

std::vector<HeartbeatReport> heartbeat_reports(const ResolvedPlan& resolved,
                                               const std::vector<Carrier>& carriers) {
  std::vector<HeartbeatReport> reports;
  for (const ExchangeHeartbeat& heartbeat : resolved.exchange.heartbeats) {
    HeartbeatReport report;
    report.watch = heartbeat.watch;
    const std::vector<std::size_t> carrying = transactions_carrying(resolved, heartbeat);
    const Carrier* best = nullptr;
    for (const Carrier& c : carriers) {
      if (std::find(carrying.begin(), carrying.end(), c.transaction) == carrying.end()) continue;
      const bool quicker =
          best == nullptr || (c.delay && (!best->delay || *c.delay < *best->delay));
      if (quicker) best = &c;
    }
    if (best != nullptr) {
      const auto scan = [&](model::ControllerIndex controller) {
        return resolved.exchange.controllers[controller].scan;
      };
      report = judge_heartbeat({heartbeat.toggle, heartbeat.watch, heartbeat.react,
                                scan(*heartbeat.from), scan(*heartbeat.to), heartbeat.lost},
                               *best);
    }
    report.name = heartbeat.name;
    reports.push_back(std::move(report));
  }
  return reports;
}

}  // namespace greymet::timing
