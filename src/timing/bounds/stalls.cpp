#include "timing/stalls.h"

#include <algorithm>
#include <map>

#include "busy_periods.h"
#include "gateway_bounds.h"
#include "model/resolved_plan.h"

namespace greymet::timing {
namespace {

FailingJob failing_job(JobRef ref, const Job& job) {
  const FailureTimes times = failure_times(job.times);
  return {ref,
          times.before + times.after,
          times.own_tries > Duration{} ? job.times.network->jitter : times.each - times.timeout,
          times.timeout,
          times.tries,
          times.host_off,
          times.own_tries};
}

// Both kinds of stall of one queue, or parts of them.
struct Lengths {
  Duration first{};
  Duration steady{};
  Lengths& operator+=(const Lengths& other) {
    first += other.first;
    steady += other.steady;
    return *this;
  }
};

void keep_longest(std::vector<Duration>& times, std::int64_t count) {
  std::sort(times.begin(), times.end(), std::greater<>());
  times.resize(std::min(times.size(), static_cast<std::size_t>(count)));
}

// What the requests to one silent slave do to the queues around them.
class StallSums {
 public:
  // `island`: all queues that may wait.
  StallSums(const TimingModel& timing, const std::vector<std::size_t>& island,
            const std::vector<FailingJob>& failing, std::optional<std::int64_t> after)
      : timing_(timing), after_(after) {
    for (const FailingJob& f : failing) failing_[f.job.queue].push_back(f);
    for (const std::size_t q : island) {
      const std::int64_t count = stuck_at_once(q);
      if (count > 0) stuck_.emplace_back(q, count);
    }
  }

  [[nodiscard]] Lengths of(std::size_t q) const {
    Lengths sum = own(q);
    sum += foreign(q);
    sum += of_the_controller(q);
    const Duration scan = timing_.queues[q].scan;
    if (sum.first > Duration{}) sum.first += scan;
    if (sum.steady > Duration{}) sum.steady += scan;
    return sum;
  }

 private:
  [[nodiscard]] const std::optional<std::int64_t>& limit_of(const Queue& queue) const {
    static const std::optional<std::int64_t> none;
    return queue.kind == QueueKind::serial ? none : timing_.in_flight_limit[queue.controller];
  }

  // How long a failing request holds its place: until the controller may send again.
  static Duration held(const Queue& queue, Duration time) {
    if (queue.scan <= Duration{} || time == Duration::max()) return time;
    return queue.kind == QueueKind::gateway ? time + queue.scan : internal::held_place(queue, time);
  }

  // All failing requests of the queue that can come before one of its others.
  [[nodiscard]] Lengths sum_of_queue(std::size_t q) const {
    const Queue& queue = timing_.queues[q];
    std::vector<Duration> all;
    std::vector<Duration> continuous;
    Lengths out;
    for (const FailingJob& f : failing_.at(q)) {
      const bool waits = is_released(job_at(timing_, f.job).kind);
      (waits ? all : continuous).push_back(held(queue, f.silent()));
      out.steady = std::max(out.steady, held(queue, f.one_try()));
    }
    keep_longest(continuous, queue.in_flight);
    all.insert(all.end(), continuous.begin(), continuous.end());
    // those under way when the slave is parked fail as slowly
    if (after_) keep_longest(all, *after_ + queue.in_flight - 1);
    for (const Duration time : all) out.first += time;
    if (!after_) out.steady = out.first;
    return out;
  }

  [[nodiscard]] std::int64_t failing_at_once(std::size_t q) const {
    const auto own = failing_.find(q);
    if (own == failing_.end()) return 0;
    return std::min(timing_.queues[q].in_flight, static_cast<std::int64_t>(own->second.size()));
  }

  [[nodiscard]] Lengths own(std::size_t q) const {
    if (failing_.find(q) == failing_.end()) return {};
    const Queue& queue = timing_.queues[q];
    Lengths sum = sum_of_queue(q);
    if (queue.kind != QueueKind::tcp) return sum;
    const auto& limit = limit_of(queue);
    const std::int64_t places = std::min(queue.in_flight, limit.value_or(queue.in_flight));
    if (failing_at_once(q) < places) return {};
    sum.first /= places;
    sum.steady = after_ && places > 1 ? Duration{} : sum.steady / (after_ ? 1 : places);
    return sum;
  }

  // What other masters put on the line behind the queue's gateway, before any of its requests.
  [[nodiscard]] Lengths foreign(std::size_t q) const {
    const Queue& queue = timing_.queues[q];
    if (queue.kind != QueueKind::gateway || queue.jobs.empty()) return {};
    Lengths sum;
    const std::int64_t requests = internal::GatewayLine::requests_before(queue);
    for (const auto& [m, jobs] : failing_) {
      const Queue& master = timing_.queues[m];
      if (m == q || master.kind != QueueKind::gateway || master.line != queue.line) continue;
      std::vector<Duration> on_line;
      Duration one_try{};
      for (const FailingJob& f : jobs) {
        on_line.push_back(f.tries * f.try_time());
        one_try = std::max(one_try, f.try_time());
      }
      keep_longest(on_line, master.in_flight);
      const Duration longest = on_line.front();
      Duration before_each{};
      for (const Duration time : on_line) before_each += time;
      Duration first = requests * (before_each + queue.scan);
      if (after_) {
        first = std::min(first, (*after_ + master.in_flight - 1) * (longest + queue.scan));
      }
      sum += {first, after_ ? one_try + queue.scan : first};
    }
    return sum;
  }

  // How many requests of the queue can stand before the silent slave at once.
  [[nodiscard]] std::int64_t stuck_at_once(std::size_t q) const {
    const Queue& queue = timing_.queues[q];
    const bool silent_on_line = queue.kind == QueueKind::gateway &&
                                (failing_at_once(q) > 0 || foreign(q).first > Duration{});
    // at the line the others of this queue stand behind the failing ones
    if (silent_on_line) {
      return std::min(queue.in_flight, static_cast<std::int64_t>(queue.jobs.size()));
    }
    return failing_at_once(q);
  }

  // What requests on the other connections of the controller keep of its places.
  [[nodiscard]] Lengths of_the_controller(std::size_t q) const {
    const Queue& queue = timing_.queues[q];
    const auto& limit = limit_of(queue);
    if (!limit) return {};
    std::int64_t stuck = 0;
    std::size_t connections = 0;
    for (const auto& [x, count] : stuck_) {
      if (timing_.queues[x].controller != queue.controller) continue;
      stuck += count;
      ++connections;
    }
    if (stuck < *limit) return {};
    Lengths sum;
    for (const auto& [x, count] : stuck_) {
      const Queue& other = timing_.queues[x];
      if (x == q || other.controller != queue.controller) continue;
      if (failing_.find(x) != failing_.end()) {
        Lengths here = sum_of_queue(x);
        // one connection alone holds all places only while as many fail at once
        if (connections == 1 && other.kind == QueueKind::tcp) {
          here.first /= *limit;
          if (!after_) here.steady = here.first;
        }
        sum += here;
      }
      sum += foreign(x);
    }
    return sum;
  }

  const TimingModel& timing_;
  std::map<std::size_t, std::vector<FailingJob>> failing_;  // per queue
  // queues whose requests can stand before the silent slave, and how many of each at once
  std::vector<std::pair<std::size_t, std::int64_t>> stuck_;
  std::optional<std::int64_t> after_;
};

// Of the continuous jobs of a queue only so many can have begun as it has places.
std::size_t counted_of(const TimingModel& timing, const std::vector<FailingJob>& failing) {
  std::size_t counted = 0;
  std::map<std::size_t, std::int64_t> continuous;
  for (const FailingJob& f : failing) {
    const bool waits = is_released(job_at(timing, f.job).kind);
    if (waits || ++continuous[f.job.queue] <= timing.queues[f.job.queue].in_flight) ++counted;
  }
  return counted;
}

// Jobs of an island that fail while their slave is silent, slave by slave in list order.
std::vector<std::pair<model::Target, std::vector<FailingJob>>> failing_jobs(
    const model::ResolvedPlan& resolved, const TimingModel& timing,
    const std::vector<std::size_t>& island) {
  std::vector<std::pair<model::Target, std::vector<FailingJob>>> failing;
  std::map<model::Target, std::size_t> index;
  for (const std::size_t q : island) {
    const auto& jobs = timing.queues[q].jobs;
    for (std::size_t j = 0; j < jobs.size(); ++j) {
      // once-at-start jobs are over, and those on return wait for an answer
      if (jobs[j].times.broadcast || jobs[j].kind == model::TriggerKind::on_start ||
          jobs[j].kind == model::TriggerKind::on_return) {
        continue;
      }
      const model::Target target = *resolved.transactions[jobs[j].transaction].target;
      const auto [at, is_new] = index.try_emplace(target, failing.size());
      if (is_new) failing.emplace_back(target, std::vector<FailingJob>{});
      failing[at->second].second.push_back(failing_job({q, j}, jobs[j]));
    }
  }
  return failing;
}

// The cyclic jobs of an island, the quickest first.
std::vector<JobRef> cyclic_by_period(const TimingModel& timing,
                                     const std::vector<std::size_t>& island) {
  std::vector<JobRef> cyclic;
  for (const std::size_t q : island) {
    for (std::size_t j = 0; j < timing.queues[q].jobs.size(); ++j) {
      if (timing.queues[q].jobs[j].kind == model::TriggerKind::cyclic) cyclic.push_back({q, j});
    }
  }
  std::stable_sort(cyclic.begin(), cyclic.end(), [&](JobRef a, JobRef b) {
    return job_at(timing, a).period < job_at(timing, b).period;
  });
  return cyclic;
}

}  // namespace

std::vector<StallOn> stall_lengths(const TimingModel& timing,
                                   const std::vector<std::size_t>& queues,
                                   const std::vector<FailingJob>& failing,
                                   std::optional<std::int64_t> after) {
  const StallSums sums(timing, queues, failing, after);
  std::vector<StallOn> lengths;
  for (const std::size_t q : queues) {
    if (timing.queues[q].jobs.empty()) continue;
    const Lengths here = sums.of(q);
    if (here.first > Duration{}) lengths.push_back({q, here.first, here.steady});
  }
  return lengths;
}

std::vector<JobRef> jobs_hurt(const model::ResolvedPlan& resolved, const TimingModel& timing,
                              const StallReport& report, const Stall& stall, StallKind kind,
                              std::size_t limit) {
  const Duration longest = kind == StallKind::first ? stall.first : stall.steady;
  std::vector<JobRef> hurt;
  for (const JobRef ref : report.cyclic[stall.pool]) {
    const Job& job = job_at(timing, ref);
    if (job.period >= longest || hurt.size() >= limit) break;
    if (resolved.transactions[job.transaction].target == stall.silent) continue;
    const auto on = std::find_if(stall.queues.begin(), stall.queues.end(),
                                 [&](const StallOn& each) { return each.queue == ref.queue; });
    if (on == stall.queues.end()) continue;
    if (job.period < (kind == StallKind::first ? on->first : on->steady)) hurt.push_back(ref);
  }
  return hurt;
}

bool has_neighbours(const model::ResolvedPlan& resolved, const TimingModel& timing,
                    const StallReport& report, const Stall& stall) {
  const auto& cyclic = report.cyclic[stall.pool];
  return std::any_of(cyclic.begin(), cyclic.end(), [&](const JobRef ref) {
    return resolved.transactions[job_at(timing, ref).transaction].target != stall.silent;
  });
}

StallReport stalls_of(const model::ResolvedPlan& resolved, const TimingModel& timing) {
  StallReport report;
  report.islands = islands_of(timing);
  for (const auto& island : report.islands) {
    for (auto& [target, failing] : failing_jobs(resolved, timing, island)) {
      Stall stall;
      stall.silent = target;
      stall.pool = report.cyclic.size();
      stall.park = timing.queues[failing.front().job.queue].park;
      const auto after = stall.park ? std::optional(stall.park->after) : std::nullopt;
      stall.queues = stall_lengths(timing, island, failing, after);
      stall.counted = counted_of(timing, failing);
      stall.failing = std::move(failing);
      for (const StallOn& on : stall.queues) {
        stall.first = std::max(stall.first, on.first);
        stall.steady = std::max(stall.steady, on.steady);
      }
      report.stalls.push_back(std::move(stall));
    }
    report.cyclic.push_back(cyclic_by_period(timing, island));
  }
  return report;
}

}  // namespace greymet::timing
