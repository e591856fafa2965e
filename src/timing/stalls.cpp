#include "timing/stalls.h"

#include <algorithm>
#include <map>
#include <tuple>

#include "model/resolved_plan.h"

namespace greymet::timing {
namespace {

FailingJob failing_job(JobRef ref, const Job& job) {
  const FailureTimes times = failure_times(job.times);
  return {ref, times.before + times.after, times.each - job.times.timeout, job.times.timeout,
          times.tries};
}

// Everything that waits for one thing: a serial line (also behind a gateway), a connection, or all
// connections of a controller that has one request under way at a time.
using PoolKey = std::tuple<int, std::size_t>;
constexpr int line_pool = 0;
constexpr int connection_pool = 1;
constexpr int controller_pool = 2;

PoolKey pool_of(const TimingModel& timing, std::size_t index) {
  const Queue& queue = timing.queues[index];
  const auto& limit = timing.in_flight_limit[queue.controller];
  if (queue.kind != QueueKind::serial && limit && *limit == 1) {
    return {controller_pool, queue.controller};
  }
  if (queue.line) return {line_pool, *queue.line};
  return {connection_pool, index};
}

struct StallPool {
  std::int64_t places = 1;
  std::vector<std::pair<model::Target, JobRef>> jobs;
};

// Drops all continuous jobs but the one that fails longest: only one of them can have begun.
void keep_one_continuous(const TimingModel& timing, std::vector<FailingJob>& failing) {
  const auto continuous = [&](const FailingJob& f) {
    return !is_released(timing.queues[f.job.queue].jobs[f.job.job].kind);
  };
  const FailingJob* longest = nullptr;
  for (const FailingJob& f : failing) {
    if (continuous(f) && (longest == nullptr || f.silent() > longest->silent())) longest = &f;
  }
  if (longest == nullptr) return;
  const JobRef kept = longest->job;
  std::erase_if(failing, [&](const FailingJob& f) {
    return continuous(f) && (f.job.queue != kept.queue || f.job.job != kept.job);
  });
}

// Jobs that fail while their slave is silent, slave by slave in list order.
std::vector<std::pair<model::Target, std::vector<FailingJob>>> failing_jobs(
    const TimingModel& timing, const StallPool& pool) {
  std::vector<std::pair<model::Target, std::vector<FailingJob>>> failing;
  std::map<model::Target, std::size_t> index;
  for (const auto& [target, ref] : pool.jobs) {
    const Job& job = timing.queues[ref.queue].jobs[ref.job];
    // once-at-start jobs are over, and those on return wait for an answer
    if (job.times.broadcast || job.kind == model::TriggerKind::on_start ||
        job.kind == model::TriggerKind::on_return) {
      continue;
    }
    const auto [at, is_new] = index.try_emplace(target, failing.size());
    if (is_new) failing.emplace_back(target, std::vector<FailingJob>{});
    failing[at->second].second.push_back(failing_job(ref, job));
  }
  return failing;
}

// The cyclic jobs of a pool, the quickest first.
std::vector<JobRef> cyclic_by_period(const TimingModel& timing, const StallPool& pool) {
  const auto job_at = [&](JobRef ref) -> const Job& {
    return timing.queues[ref.queue].jobs[ref.job];
  };
  std::vector<JobRef> cyclic;
  for (const auto& each : pool.jobs) {
    if (job_at(each.second).kind == model::TriggerKind::cyclic) cyclic.push_back(each.second);
  }
  std::stable_sort(cyclic.begin(), cyclic.end(),
                   [&](JobRef a, JobRef b) { return job_at(a).period < job_at(b).period; });
  return cyclic;
}

// Behind a gateway with several masters: the failing requests of one master, each behind as many
// of every other as it may have under way, and those before the transaction that waits.
Duration stall_of_masters(const TimingModel& timing, const Stall& stall,
                          std::optional<std::int64_t> at_most) {
  std::map<std::size_t, std::vector<FailingJob>> by_queue;
  for (const FailingJob& f : stall.failing) by_queue[f.job.queue].push_back(f);
  if (by_queue.size() < 2) return stall_of(stall.failing, stall.places, at_most);
  // every master parks for itself
  Duration longest{};
  const std::size_t line = *timing.queues[stall.failing.front().job.queue].line;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    if (timing.queues[q].line != line || timing.queues[q].jobs.empty()) continue;
    Duration foreign{};
    for (const auto& [other, failing] : by_queue) {
      if (other == q) continue;
      foreign = model::sum_of(
          foreign, model::times(timing.queues[other].in_flight, stall_of(failing, 1, 1)));
    }
    const auto own = by_queue.find(q);
    const Duration mine = own == by_queue.end() ? Duration{} : stall_of(own->second, 1, at_most);
    // a foreign failing request may stand before each of ours, whoever ours go to
    const auto requests = static_cast<std::int64_t>(timing.queues[q].jobs.size());
    longest = std::max(longest, model::sum_of(mine, model::times(requests, foreign)));
  }
  return longest;
}

void fill_lengths(const TimingModel& timing, bool on_line, Duration longest_try, Stall& stall) {
  const auto after = stall.park ? std::optional(stall.park->after) : std::nullopt;
  stall.first = on_line ? stall_of_masters(timing, stall, after)
                        : stall_of(stall.failing, stall.places, after);
  stall.steady = stall.park ? longest_try : stall.first;
}

}  // namespace

Duration stall_of(std::vector<FailingJob> failing, std::int64_t places,
                  std::optional<std::int64_t> at_most) {
  if (static_cast<std::int64_t>(failing.size()) < places) return {};
  std::sort(failing.begin(), failing.end(),
            [](const FailingJob& a, const FailingJob& b) { return a.silent() > b.silent(); });
  Duration sum{};
  for (std::size_t i = 0; i < failing.size(); ++i) {
    if (at_most && static_cast<std::int64_t>(i) >= *at_most) break;
    sum = model::sum_of(sum, failing[i].silent());
  }
  return sum / places;
}

std::vector<JobRef> jobs_hurt(const model::ResolvedPlan& resolved, const TimingModel& timing,
                              const StallReport& report, const Stall& stall, Duration length,
                              std::size_t limit) {
  std::vector<JobRef> hurt;
  for (const JobRef ref : report.cyclic[stall.pool]) {
    const Job& job = timing.queues[ref.queue].jobs[ref.job];
    if (job.period >= length || hurt.size() >= limit) break;
    if (resolved.transactions[job.transaction].target != stall.silent) hurt.push_back(ref);
  }
  return hurt;
}

StallReport stalls_of(const model::ResolvedPlan& resolved, const TimingModel& timing) {
  std::vector<PoolKey> order;
  std::map<PoolKey, StallPool> pools;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    const PoolKey key = pool_of(timing, q);
    const auto [at, is_new] = pools.try_emplace(key);
    if (is_new) order.push_back(key);
    StallPool& pool = at->second;
    if (std::get<0>(key) == connection_pool) pool.places = timing.queues[q].in_flight;
    for (std::size_t j = 0; j < timing.queues[q].jobs.size(); ++j) {
      const auto& t = resolved.transactions[timing.queues[q].jobs[j].transaction];
      pool.jobs.push_back({*t.target, {q, j}});
    }
  }
  StallReport report;
  for (const PoolKey& key : order) {
    const StallPool& pool = pools[key];
    for (auto& [target, failing] : failing_jobs(timing, pool)) {
      Stall stall{target, std::move(failing), {}, pool.places, {}, {}, report.cyclic.size()};
      // any of them can be the trial of a parked slave, also a continuous one that is dropped next
      Duration longest_try{};
      for (const FailingJob& f : stall.failing) longest_try = std::max(longest_try, f.one_try());
      keep_one_continuous(timing, stall.failing);
      if (std::get<0>(key) == line_pool) {
        const auto& park = resolved.plan.lines[std::get<1>(key)].park;
        if (park) stall.park = park->value;
      }
      fill_lengths(timing, std::get<0>(key) == line_pool, longest_try, stall);
      report.stalls.push_back(std::move(stall));
    }
    report.cyclic.push_back(cyclic_by_period(timing, pool));
  }
  return report;
}

}  // namespace greymet::timing
