#include "watched_runs.h"

#include <algorithm>
#include <set>

#include "model/resolved_plan.h"
#include "timing/path_ages.h"
#include "timing/simulation.h"

namespace greymet::timing {
namespace {

// Other queues repeat at other times, and toggles have their own: do not stop too early.
constexpr Duration span = std::chrono::minutes(2);
constexpr Duration traced = std::chrono::seconds(8);

// Services of the watched jobs with other durations or with frame errors. Queues without watched
// jobs are not simulated.
std::vector<QueueStatistics> run_watched(const TimingModel& timing,
                                         const std::vector<JobRef>& watched, Durations durations,
                                         double frame_error_rate, std::uint64_t most_transactions) {
  std::vector<QueueStatistics> all(timing.queues.size());
  SimulationOptions options;
  options.durations = durations;
  options.at_least = span;
  options.watched = watched;
  options.faults.frame_error_rate = frame_error_rate;
  std::vector<std::vector<std::size_t>> islands = islands_of(timing);
  std::erase_if(islands, [&](const std::vector<std::size_t>& island) {
    return std::none_of(watched.begin(), watched.end(), [&](JobRef ref) {
      return std::find(island.begin(), island.end(), ref.queue) != island.end();
    });
  });
  for (const auto& island : islands) {
    options.most_transactions = most_transactions / islands.size();
    auto results = simulate_queues(timing, island, options);
    for (std::size_t k = 0; k < island.size(); ++k) all[island[k]] = std::move(results[k]);
  }
  return all;
}

std::optional<JobRef> job_of(const TimingModel& timing, const std::vector<JobRef>& watched,
                             std::size_t transaction) {
  for (const JobRef ref : watched) {
    if (job_at(timing, ref).transaction == transaction) return ref;
  }
  return std::nullopt;
}

std::vector<Transfer> carried_by(const model::ResolvedPlan& resolved, const TimingModel& timing,
                                 JobRef ref, const std::vector<QueueStatistics>& run) {
  const Job& job = job_at(timing, ref);
  const auto& t = resolved.transactions[job.transaction];
  return transfers_of(job, ref.job, t.read && t.into, run[ref.queue].watched);
}

}  // namespace

std::vector<JobRef> heartbeat_jobs(const model::ResolvedPlan& resolved, const TimingModel& timing) {
  std::vector<JobRef> jobs;
  std::set<std::size_t> carrying;
  for (const auto& heartbeat : resolved.exchange.heartbeats) {
    for (std::size_t t : transactions_carrying(resolved, heartbeat)) carrying.insert(t);
  }
  if (carrying.empty()) return jobs;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    for (std::size_t j = 0; j < timing.queues[q].jobs.size(); ++j) {
      if (carrying.contains(timing.queues[q].jobs[j].transaction)) jobs.push_back({q, j});
    }
  }
  return jobs;
}

namespace {

void add_jobs_of_paths(const TimingReport& report, std::vector<JobRef>& jobs) {
  for (const PathReport& path : report.paths) {
    for (const Hop& hop : path.hops) {
      if (hop.job && std::find(jobs.begin(), jobs.end(), *hop.job) == jobs.end()) {
        jobs.push_back(*hop.job);
      }
    }
  }
}

void fill_paths(const model::ResolvedPlan& resolved, const std::vector<QueueStatistics>& random,
                const std::vector<QueueStatistics>& longest, TimingReport& report) {
  for (PathReport& path : report.paths) {
    path.ages = ages_at_end(resolved, report.model, path.hops, random);
    const auto worst = ages_at_end(resolved, report.model, path.hops, longest);
    if (path.ages) path.simulated = path.ages->longest;
    if (worst) path.simulated = std::max(path.simulated.value_or(Duration{}), worst->longest);
    path.verdict = judge_path(path);
  }
}

}  // namespace

void simulate_heartbeats_and_paths(const model::ResolvedPlan& resolved,
                                   const std::vector<JobRef>& heartbeats,
                                   std::uint64_t most_transactions, TimingReport& report) {
  std::vector<JobRef> jobs = heartbeats;
  add_jobs_of_paths(report, jobs);
  report.heartbeat_runs.resize(report.heartbeats.size());
  if (jobs.empty()) return;
  const TimingModel& timing = report.model;
  const auto random = run_watched(timing, jobs, Durations::random, 0, most_transactions);
  const auto typical = run_watched(timing, jobs, Durations::typical, 0, most_transactions / 10);
  const bool errors = report.frame_error_rate > 0;
  const auto with_errors = errors ? run_watched(timing, jobs, Durations::typical,
                                                report.frame_error_rate, most_transactions)
                                  : std::vector<QueueStatistics>();
  for (std::size_t h = 0; h < report.heartbeats.size(); ++h) {
    const HeartbeatReport& heartbeat = report.heartbeats[h];
    if (!heartbeat.carrier) continue;
    const auto ref = job_of(timing, jobs, heartbeat.carrier->transaction);
    if (!ref) continue;
    HeartbeatRun& run = report.heartbeat_runs[h];
    run.trace =
        trace_heartbeat(heartbeat.times, carried_by(resolved, timing, *ref, typical), traced);
    // when toggles are lost nothing is to be said of the alarm
    if (heartbeat.verdict == HeartbeatVerdict::toggles_lost) continue;
    run.detection = simulate_detection(heartbeat.times, carried_by(resolved, timing, *ref, random));
    if (heartbeat.times.watch > Duration{}) {
      run.tries_to_alarm = tries_to_false_alarm(heartbeat.times, *heartbeat.carrier);
    }
    if (!errors) continue;
    const Job& job = job_at(timing, *ref);
    const Duration period = job.period > Duration{} ? job.period : job.times.shortest;
    if (run.tries_to_alarm) {
      run.runs_per_year = runs_per_year(period, report.frame_error_rate, *run.tries_to_alarm);
    }
    run.with_errors =
        watch_living_producer(heartbeat.times, carried_by(resolved, timing, *ref, with_errors));
  }
  if (!report.paths.empty()) {
    fill_paths(resolved, random,
               run_watched(timing, jobs, Durations::longest, 0, most_transactions), report);
  }
}

void simulate_paths(const model::ResolvedPlan& resolved, std::uint64_t most_transactions,
                    TimingReport& report) {
  std::vector<JobRef> jobs = heartbeat_jobs(resolved, report.model);  // as analyse() has them
  add_jobs_of_paths(report, jobs);
  if (jobs.empty()) return;
  fill_paths(resolved, run_watched(report.model, jobs, Durations::random, 0, most_transactions),
             run_watched(report.model, jobs, Durations::longest, 0, most_transactions), report);
}

}  // namespace greymet::timing
