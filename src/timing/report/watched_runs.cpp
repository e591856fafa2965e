#include "watched_runs.h"

#include <algorithm>
#include <map>
#include <set>
#include <utility>

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

// The same steps lead to the same ages.
using Way = std::vector<std::pair<model::MoveKind, std::size_t>>;
Way way_of(const PathReport& path) {
  Way way;
  for (const Hop& hop : path.hops) way.emplace_back(hop.kind, hop.index);
  return way;
}

// Paths to be simulated: those of the plan, and one of each way of tags whose bound is too long.
std::vector<PathReport*> paths_to_simulate(TimingReport& report) {
  constexpr std::size_t most_ways = 100;
  std::vector<PathReport*> paths;
  for (PathReport& path : report.paths) paths.push_back(&path);
  std::set<Way> ways;
  for (TagAge& age : report.tag_ages) {
    if (age.path.verdict != PathVerdict::not_guaranteed || ways.size() == most_ways) continue;
    if (ways.insert(way_of(age.path)).second) paths.push_back(&age.path);
  }
  return paths;
}

void add_jobs_of_paths(const std::vector<PathReport*>& paths, std::vector<JobRef>& jobs) {
  std::set<std::pair<std::size_t, std::size_t>> known;
  for (const JobRef& job : jobs) known.emplace(job.queue, job.job);
  for (const PathReport* path : paths) {
    for (const Hop& hop : path->hops) {
      if (hop.job && known.emplace(hop.job->queue, hop.job->job).second) jobs.push_back(*hop.job);
    }
  }
}

void fill_paths(const model::ResolvedPlan& resolved, const std::vector<QueueStatistics>& random,
                const std::vector<QueueStatistics>& longest, const std::vector<PathReport*>& paths,
                TimingReport& report) {
  std::map<Way, const PathReport*> simulated;
  for (PathReport* path : paths) {
    path->ages = ages_at_end(resolved, report.model, path->hops, random);
    const auto worst = ages_at_end(resolved, report.model, path->hops, longest);
    if (path->ages) path->simulated = path->ages->longest;
    if (worst) path->simulated = std::max(path->simulated.value_or(Duration{}), worst->longest);
    path->verdict = judge_path(*path);
    simulated.emplace(way_of(*path), path);
  }
  for (TagAge& age : report.tag_ages) {
    if (age.path.simulated || age.path.verdict != PathVerdict::not_guaranteed) continue;
    const auto same = simulated.find(way_of(age.path));
    if (same == simulated.end()) continue;
    age.path.simulated = same->second->simulated;
    age.path.verdict = judge_path(age.path);
  }
}

}  // namespace

void simulate_heartbeats_and_paths(const model::ResolvedPlan& resolved,
                                   const std::vector<JobRef>& heartbeats,
                                   std::uint64_t most_transactions, TimingReport& report) {
  std::vector<JobRef> jobs = heartbeats;
  const std::vector<PathReport*> paths = paths_to_simulate(report);
  add_jobs_of_paths(paths, jobs);
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
  if (!paths.empty()) {
    fill_paths(resolved, random,
               run_watched(timing, jobs, Durations::longest, 0, most_transactions), paths, report);
  }
}

void simulate_paths(const model::ResolvedPlan& resolved, std::uint64_t most_transactions,
                    TimingReport& report) {
  std::vector<JobRef> jobs = heartbeat_jobs(resolved, report.model);  // as analyse() has them
  const std::vector<PathReport*> paths = paths_to_simulate(report);
  add_jobs_of_paths(paths, jobs);
  if (jobs.empty()) return;
  fill_paths(resolved, run_watched(report.model, jobs, Durations::random, 0, most_transactions),
             run_watched(report.model, jobs, Durations::longest, 0, most_transactions), paths,
             report);
}

}  // namespace greymet::timing
