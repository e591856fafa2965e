#include "timing/heartbeats.h"

#include <algorithm>

#include "failure_gaps.h"
#include "model/resolved_plan.h"

namespace greymet::timing {

using model::ExchangeHeartbeat;
using model::ResolvedPlan;

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
  // what follows a failure finds a backlog: the phases do not help it any more
  const bool in_phase =
      times.lost == 0 || !carrier.response_any_phase || carrier.period <= Duration{};
  const Duration delay =
      in_phase ? *carrier.delay : delay_of_cyclic(carrier.period, *carrier.response_any_phase);
  const internal::FailureGaps failures(carrier, times.lost);
  const Duration gap = failures.longest_gap();
  out.longest_gap = gap;
  if (delay + scans > times.toggle) {
    out.verdict = HeartbeatVerdict::toggles_lost;
    return out;
  }
  out.watch_min = failures.longest_unchanged(times);
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
      // one that a gate may stop only where nothing else carries it
      const auto gated = [&](const Carrier& carrier) {
        return resolved.transactions[carrier.transaction].gate.has_value();
      };
      const bool quicker =
          best == nullptr || (gated(*best) && !gated(c)) ||
          (gated(*best) == gated(c) && c.delay && (!best->delay || *c.delay < *best->delay));
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
