#include "timing/report.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/resolved_plan.h"
#include "path_reports.h"
#include "timing/bounds.h"
#include "timing/phased_bounds.h"
#include "timing/simulation.h"
#include "watched_runs.h"

namespace greymet::timing {

using model::ResolvedPlan;
using model::TriggerKind;

namespace {

// A watch is examined over no more than this.
constexpr Duration most_watched_span = std::chrono::minutes(2);

std::string describe(const ResolvedPlan& resolved, const Queue& queue) {
  if (queue.connection) {
    const model::Connection& c = resolved.exchange.connections[*queue.connection];
    return fmt::format("{} {}:{}", queue.kind == QueueKind::gateway ? "gateway" : "tcp", c.host,
                       c.port);
  }
  const model::ExchangeLine& s = resolved.exchange.lines[*queue.line];
  return fmt::format("{} {} {}", s.mode ? to_string(*s.mode) : "?", s.baud.value_or(0),
                     s.format ? to_text(*s.format) : "?");
}

// With order = due and one master, when no release is missed and nothing is continuous or
// triggered, services follow the fixed sequence of releases: start_k = max(release_k, end_(k-1)),
// moved to the next scan boundary. Each end grows with every earlier duration, so longest
// durations give the longest responses; and a shorter duration cannot make a release missed. The
// simulation with longest durations over a repeating state is then exact for the plan's phases.
// Where the controller sends at scan boundaries nobody knows how they lie to the phases; moved by d
// < scan each start comes at most d later (by induction: start_k + d is a boundary after the
// release and after the end before it), so one scan is added.
bool simulation_is_a_bound(const Queue& queue, const QueueStatistics& longest, bool alone) {
  if (queue.order != model::Order::due || queue.in_flight != 1 || !longest.complete || !alone) {
    return false;
  }
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    if (queue.jobs[j].kind != TriggerKind::cyclic || longest.jobs[j].missed > 0) return false;
  }
  return true;
}

// Responses for the plan's own phases, as tight as is proved; nothing for continuous jobs.
std::vector<std::optional<Duration>> responses_in_phase(const TimingModel& timing, std::size_t q,
                                                        const std::vector<JobBounds>& any_phase,
                                                        const QueueStatistics& longest,
                                                        bool alone) {
  const Queue& queue = timing.queues[q];
  const bool exact = simulation_is_a_bound(queue, longest, alone);
  const auto phased =
      alone && !(exact && queue.scan == Duration{}) ? phased_bounds(timing, q) : std::nullopt;
  std::vector<std::optional<Duration>> responses;
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    std::optional<Duration> response = any_phase[j].response;
    if (response && exact) {
      response = std::min(*response, longest.jobs[j].response_max + queue.scan);
    }
    if (response && phased) response = std::min(*response, (*phased)[j]);
    responses.push_back(response);
  }
  return responses;
}

void fill_transactions(const ResolvedPlan& resolved, const Queue& queue,
                       const std::vector<JobBounds>& bounds,
                       const std::vector<std::optional<Duration>>& in_phase,
                       const QueueStatistics* typical, const QueueStatistics& longest,
                       LineReport& line) {
  Duration round{};
  line.transactions.reserve(queue.jobs.size());
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    const Job& job = queue.jobs[j];
    const model::ExchangeTransaction& t = *resolved.exchange.find(job.transaction);
    TransactionReport out;
    out.transaction = job.transaction;
    out.name = t.name;
    out.function = model::number_of(t.function);
    out.request_bytes = job.times.request_bytes;
    out.reply_bytes = job.times.reply_bytes;
    out.kind = job.kind;
    out.shortest = job.times.shortest;
    out.typical = job.times.typical;
    out.exception = job.times.exception_longest;
    if (!job.times.broadcast) out.failed_attempt = job.times.failed_attempt;
    out.longest = job.times.longest;
    out.silent = job.times.silent;
    out.assumed = job.times.assumed;
    if (is_released(job.kind)) {
      if (job.period > Duration{}) out.period = job.period;
      out.response_bound_any_phase = bounds[j].response;
      out.response_behind_failures = bounds[j].response_behind_failures;
      out.response_bound = in_phase[j];
    }
    out.interval_bound = bounds[j].interval;
    if (job.kind == TriggerKind::cyclic && out.response_bound) {
      out.interval_bound = job.period + *out.response_bound;
    }
    if (longest.jobs[j].completed > 0) out.response_simulated = longest.jobs[j].response_max;
    if (typical != nullptr && typical->jobs[j].completed > 0) {
      out.response_mean_ms = typical->jobs[j].response_mean_ns / 1e6;
    }
    out.missed = longest.jobs[j].missed;
    round += job.times.longest;
    line.transactions.push_back(std::move(out));
  }
  line.round = round;
}

void fill_line_settings(const model::ExchangeLine& line, LineReport& out) {
  const auto characters = character_timing(line);
  if (!characters) return;
  out.character_ms = characters->character_ms();
  out.gap = std::max(characters->frame_gap(), line.pause);
}

// The longest failed try of any job of the queue; behind a translating gateway tries are those of
// its line, or the master's where it says nothing.
Duration longest_failed_attempt(const Queue& queue) {
  Duration longest{};
  for (const Job& job : queue.jobs) {
    if (job.times.broadcast) continue;
    Duration attempt = job.times.timeout;
    if (job.times.network) attempt += job.times.network->jitter;
    if (job.times.serial) attempt += job.times.serial->request_longest() + job.times.serial->gap;
    if (job.times.silent_gateway) attempt = std::max(attempt, failure_times(job.times).each);
    longest = std::max(longest, queue.scan + attempt);
  }
  return longest;
}

// What a heartbeat carried by this job can count on.
Carrier carrier_of(const ResolvedPlan& resolved, const Queue& queue, const Job& job,
                   const TransactionReport& report, Duration failed_attempt) {
  Carrier carrier;
  carrier.transaction = job.transaction;
  carrier.name = report.name;
  carrier.retries = failure_times(job.times).tries - 1;
  carrier.failed_attempt = failed_attempt;
  if (queue.line) carrier.park = resolved.exchange.lines[*queue.line].park;
  carrier.triggered = is_released(job.kind) && job.kind != TriggerKind::cyclic;
  carrier.response = report.response_bound;
  carrier.response_any_phase = report.response_behind_failures;
  if (job.kind == TriggerKind::cyclic && report.response_bound) {
    carrier.period = job.period;
    carrier.delay = delay_of_cyclic(job.period, *report.response_bound);
    if (report.response_simulated) {
      carrier.delay_simulated = delay_of_cyclic(job.period, *report.response_simulated);
    }
  } else if (job.kind == TriggerKind::continuous && report.interval_bound) {
    carrier.delay = *report.interval_bound + job.times.longest;
  }
  return carrier;
}

// What a service takes of the time of a place.
Duration held_of(const Queue& queue, const Job& job) {
  return queue.scan > Duration{}
             ? (job.times.longest + queue.scan - Duration(1)) / queue.scan * queue.scan
             : job.times.longest;
}

void add_use(const Job& job, Duration held, LineReport& line) {
  line.continuous = line.continuous || job.kind == TriggerKind::continuous;
  if (!recurs(job)) return;
  const double share =
      100 * static_cast<double>(held.count()) / static_cast<double>(job.period.count());
  line.utilisation_percent += share;
  if (job.kind == TriggerKind::cyclic) {
    line.cyclic_percent += share;
  } else if (job.kind != TriggerKind::on_return) {
    ++line.on_request;
    line.burst += held;
  }
}

void fill_use(const TimingModel& timing, const Queue& queue, LineReport& line) {
  for (const Job& job : queue.jobs) add_use(job, held_of(queue, job), line);
  if (queue.kind != QueueKind::tcp) return;
  line.places =
      std::min(queue.in_flight, timing.in_flight_limit[queue.controller].value_or(queue.in_flight));
}

// The serial line behind a gateway: busy for the serial part of every master's transactions.
void fill_serial_use(const TimingModel& timing, std::size_t behind, LineReport& line) {
  for (const Queue& queue : timing.queues) {
    if (queue.line != behind) continue;
    for (const Job& job : queue.jobs) add_use(job, job.times.serial_longest(), line);
  }
}

}  // namespace

double utilisation_percent(const Queue& queue) {
  LineReport line;
  for (const Job& job : queue.jobs) add_use(job, held_of(queue, job), line);
  return line.utilisation_percent;
}

namespace {

// Turns model, simulations and bounds into the rows of the report.
void fill_report(const ResolvedPlan& resolved, TimingReport& report) {
  const auto bounds = bounds_of(report.model);
  std::vector<bool> alone(report.model.queues.size(), false);
  for (const auto& island : islands_of(report.model)) {
    if (island.size() == 1) alone[island.front()] = true;
  }
  const auto add_queue = [&](std::size_t q) {
    const Queue& queue = report.model.queues[q];
    LineReport line;
    line.name = queue.name;
    line.master = resolved.plan.controllers[queue.controller].name;
    line.description = describe(resolved, queue);
    line.queue = q;
    fill_use(report.model, queue, line);
    line.longest_queue = report.longest[q].longest_queue;
    const QueueStatistics* typical = report.typical.empty() ? nullptr : &report.typical[q];
    line.simulation_complete =
        report.longest[q].complete && (typical == nullptr || typical->complete);
    line.simulated = report.longest[q].simulated;
    if (queue.kind == QueueKind::serial)
      fill_line_settings(resolved.exchange.lines[*queue.line], line);
    const auto in_phase =
        responses_in_phase(report.model, q, bounds[q], report.longest[q], alone[q]);
    fill_transactions(resolved, queue, bounds[q], in_phase, typical, report.longest[q], line);
    report.lines.push_back(std::move(line));
  };
  std::size_t q = 0;
  for (std::size_t i = 0; i < resolved.plan.lines.size(); ++i) {
    if (resolved.line_master[i]) {
      add_queue(q++);
      continue;
    }
    const model::ExchangeLine& behind = resolved.exchange.lines[i];
    LineReport line;
    line.name = behind.name;
    line.description = fmt::format("behind gateway {}",
                                   behind.via ? resolved.exchange.gateways[*behind.via].name : "?");
    fill_serial_use(report.model, i, line);
    fill_line_settings(behind, line);
    report.lines.push_back(std::move(line));
  }
  for (; q < report.model.queues.size(); ++q) add_queue(q);
  std::vector<Carrier> carriers;
  for (const LineReport& line : report.lines) {
    if (!line.queue) continue;
    const Queue& queue = report.model.queues[*line.queue];
    const Duration failed = longest_failed_attempt(queue);
    for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
      carriers.push_back(carrier_of(resolved, queue, queue.jobs[j], line.transactions[j], failed));
    }
  }
  report.heartbeats = heartbeat_reports(resolved, carriers);
  report.stalls = stalls_of(resolved, report.model);
  internal::add_path_reports(resolved, report);
}

}  // namespace

TimingReport analyse(const ResolvedPlan& resolved, const AnalysisOptions& analysis) {
  TimingReport report;
  report.model = build_timing_model(resolved);
  // shares of the work, as the progress bar shows them
  constexpr double longest_done = 0.3;
  constexpr double typical_done = 0.6;
  const auto stage = [&](double from, double to) -> ProgressSink {
    if (!analysis.progress) return {};
    return [&analysis, from, to](double done) { analysis.progress(from + (to - from) * done); };
  };
  SimulationOptions options;
  options.durations = Durations::longest;
  options.watched = heartbeat_jobs(resolved, report.model);
  for (const model::ExchangeHeartbeat& heartbeat : resolved.exchange.heartbeats) {
    const Duration lasts = heartbeat.watch + heartbeat.toggle;
    options.at_least = std::max(options.at_least, std::min(4 * lasts, Duration(most_watched_span)));
  }
  options.progress = stage(0, longest_done);
  report.longest = simulate(report.model, options);
  options.durations = Durations::typical;
  options.trace_length = analysis.trace_length;
  options.trace_from = analysis.trace_from;
  options.progress = stage(longest_done, typical_done);
  report.typical = simulate(report.model, options);
  fill_report(resolved, report);
  report.frame_error_rate = analysis.frame_error_rate;
  simulate_heartbeats_and_paths(resolved, options.watched, analysis.watched_transactions, report);
  SilenceOptions silence = analysis.silence;
  silence.progress = stage(typical_done, 1);
  report.silence = simulate_silence(resolved, report.model, report.stalls, report.longest,
                                    report.heartbeats, silence);
  return report;
}

TimingReport analyse_longest(const ResolvedPlan& resolved) {
  return analyse_longest(resolved, {});
}

TimingReport analyse_longest(const ResolvedPlan& resolved, const SimulationOptions& options) {
  TimingReport report;
  report.model = build_timing_model(resolved);
  report.longest = simulate(report.model, options);
  fill_report(resolved, report);
  return report;
}

}  // namespace greymet::timing
