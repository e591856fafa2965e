// The fast simulator: one queue, one request under way, nothing else in the way.
#include <queue>

#include "fault_state.h"
#include "simulation_internal.h"
#include "timing/simulation.h"

namespace greymet::timing::internal {
namespace {

struct Release {
  Nanoseconds at;
  std::uint32_t job;
  friend bool operator>(const Release& a, const Release& b) {
    return a.at != b.at ? a.at > b.at : a.job > b.job;
  }
};

struct ServiceTimes {
  Nanoseconds shortest;
  Nanoseconds typical;
  Nanoseconds longest;
  Nanoseconds before_line;  // behind a gateway: start of the request to start on the line
};

// What only a simulation with faults keeps.
struct FaultRecords {
  FaultState state;
  std::vector<FailureTimes> failures;  // per job
  std::vector<Nanoseconds> refused;    // per job: longest duration with an exception reply
  Nanoseconds lost = 0;                // spent on faulty devices until now
  Nanoseconds last_lost_end = 0;       // end of the last service, if that was lost; else 0
  std::vector<Nanoseconds> lost_at_release;
};

template <bool faulty>
class QueueSimulator {
 public:
  QueueSimulator(const TimingModel& timing, std::size_t index, const SimulationOptions& options)
      : queue_(timing.queues[index]),
        options_(options),
        source_(options.durations, options.seed),
        checkpoints_(checkpoints_of(timing, {index}, options)),
        waiting_(queue_.order, queue_.jobs.size()),
        watched_(watched_jobs(options, index, queue_.jobs.size())) {
    if constexpr (faulty) {
      faults_.emplace(FaultRecords{
          FaultState(timing, {index}, options.faults, options.seed), {}, {}, 0, 0, {}});
      faults_->lost_at_release.assign(queue_.jobs.size(), 0);
    }
    for (std::size_t j = 0; j < queue_.jobs.size(); ++j) {
      const Job& job = queue_.jobs[j];
      recorders_.emplace_back(options.percentiles);
      const bool typical = options.durations == Durations::typical;
      const Duration out = !job.times.network ? Duration{}
                           : typical          ? job.times.network->out_typical
                                              : job.times.network->out_longest;
      times_.push_back({job.times.shortest.count(), job.times.typical.count(),
                        job.times.longest.count(), out.count()});
      if constexpr (faulty) {
        faults_->failures.push_back(failure_times(job.times));
        faults_->refused.push_back(job.times.exception_longest.count());
      }
      if (!is_released(job.kind)) {
        continuous_.push_back(static_cast<std::uint32_t>(j));
      } else if (job.kind != model::TriggerKind::on_return) {
        calendar_.push({job.phase.count(), static_cast<std::uint32_t>(j)});
      }
    }
  }

  QueueStatistics run(ProgressMeter progress) {
    const Nanoseconds scan = queue_.scan.count();
    const Nanoseconds horizon = options_.horizon.count();
    Nanoseconds reached = 0;
    Nanoseconds next_check = checkpoints_.first;
    while (served_ < options_.most_transactions) {
      Nanoseconds now = free_;
      if (waiting_.empty() && !continuous_can_run(now)) {
        const Nanoseconds next = next_instant();
        if (next == never) {
          result_.complete = true;  // only transactions that run once, and they have
          break;
        }
        now = std::max(now, next);
      }
      reached = std::min(now, horizon);
      if (now >= horizon) break;
      if (now >= next_check) {
        if (state_repeats(next_check)) break;
        next_check +=
            (now - next_check) / checkpoints_.step * checkpoints_.step + checkpoints_.step;
      }
      now = round_up(now, scan);
      admit(now);
      serve(now);
      if (!progress.step(served_, now)) break;
    }
    for (JobRecorder& recorder : recorders_) result_.jobs.push_back(recorder.take());
    result_.simulated = Duration(std::max(free_, reached));
    return std::move(result_);
  }

 private:
  [[nodiscard]] bool continuous_can_run(Nanoseconds now) const {
    if constexpr (!faulty) return !continuous_.empty();
    return std::any_of(continuous_.begin(), continuous_.end(),
                       [&](std::uint32_t j) { return faults_->state.may_run(0, j, now); });
  }

  // When something can be released, if nothing can run before.
  [[nodiscard]] Nanoseconds next_instant() const {
    Nanoseconds next = calendar_.empty() ? never : calendar_.top().at;
    if constexpr (faulty) next = std::min(next, faults_->state.next_trial(0));
    return next;
  }

  // Moves all jobs released by now from the calendar to those that wait.
  void admit(Nanoseconds now) {
    while (!calendar_.empty() && calendar_.top().at <= now) {
      const Release release = calendar_.top();
      calendar_.pop();
      if constexpr (faulty) {
        if (faults_->state.admit(0, release.job, release.at) == Admission::fail_at_once) {
          recorders_[release.job].fail_at_once();
          come_back(release.job, release.at, release.at);
          continue;
        }
        // what was lost by then: a service that is under way at the release counts in part
        faults_->lost_at_release[release.job] =
            faults_->lost - std::max<Nanoseconds>(0, faults_->last_lost_end - release.at);
      }
      waiting_.push(release.job, release.at);
    }
    result_.longest_queue = std::max(result_.longest_queue, waiting_.size());
  }

  // The next continuous job, in turns, that may run.
  std::size_t take_continuous(Nanoseconds now) {
    for (std::size_t tried = 0; tried < continuous_.size(); ++tried) {
      if (next_continuous_ == continuous_.size()) next_continuous_ = 0;
      const std::size_t job = continuous_[next_continuous_++];
      if constexpr (!faulty) return job;
      if (faults_->state.may_run(0, job, now)) return job;
    }
    return continuous_.front();
  }

  void serve(Nanoseconds start) {
    std::size_t job = 0;
    Nanoseconds release = start;
    const bool released = !waiting_.empty();
    if (released) {
      const auto entry = waiting_.front();
      waiting_.pop();
      job = entry.job;
      release = entry.release;
      if constexpr (faulty) {
        if (faults_->state.admit_at_turn(0, job, start) == Admission::fail_at_once) {
          recorders_[job].fail_at_once();
          free_ = start;
          ++served_;
          come_back(job, release, start);
          return;
        }
      }
    } else {
      if constexpr (faulty) {
        // everything released was parked
        if (!continuous_can_run(start)) {
          free_ = start;
          ++served_;
          return;
        }
      }
      job = take_continuous(start);
    }
    const ServiceTimes& times = times_[job];
    Nanoseconds end = start + source_.draw(times.shortest, times.typical, times.longest);
    bool good = true;
    bool again = false;
    if constexpr (faulty) {
      const Outcome outcome = faults_->state.outcome(0, job, start);
      end = end_with_faults(job, start, end, outcome);
      good = outcome.kind == Outcome::Kind::good;
      account(job, release, start, end, outcome, released);
      admit(end - 1);  // what is released meanwhile is released before its end is known
      again = faults_->state.finished(0, job, outcome, end);
    }
    good ? recorders_[job].complete(release, end) : recorders_[job].fail();
    result_.busy += Duration(end - start);
    const bool traced =
        result_.trace.size() < options_.trace_length && end > options_.trace_from.count();
    if (traced || is_watched(job)) {
      const Service service{job,
                            Duration(release),
                            Duration(start),
                            Duration(start + times.before_line),
                            Duration(end),
                            good};
      if (traced) result_.trace.push_back(service);
      if (is_watched(job)) result_.watched.push_back(service);
    }
    free_ = end;
    ++served_;
    if (released) come_back(job, release, end);
    if (again) release_on_return(queue_.jobs[job].device, end);
  }

  void come_back(std::size_t job, Nanoseconds release, Nanoseconds end) {
    if (queue_.jobs[job].kind == model::TriggerKind::on_return) {
      std::erase(on_return_, job);
      return;
    }
    const NextRelease next = next_release(queue_.jobs[job], release, end);
    if constexpr (faulty) {
      recorders_[job].miss(next.missed, release >= faults_->state.parked_since());
    } else {
      recorders_[job].miss(next.missed);
    }
    if (next.at != never) calendar_.push({next.at, static_cast<std::uint32_t>(job)});
  }

  [[nodiscard]] Nanoseconds end_with_faults(std::size_t job, Nanoseconds start,
                                            Nanoseconds good_end, Outcome outcome) const {
    const FailureTimes& failure = faults_->failures[job];
    const Nanoseconds tries = outcome.failed_tries * failure.each.count();
    switch (outcome.kind) {
      case Outcome::Kind::good: return good_end + tries + outcome.delay;
      case Outcome::Kind::refused: return std::min(good_end, start + faults_->refused[job]);
      case Outcome::Kind::failed: break;
    }
    const Nanoseconds total = failure.before.count() + tries + failure.after.count();
    const bool off = faults_->state.is_faulty(queue_.jobs[job].device);
    return start + (off ? std::max<Nanoseconds>(total, failure.host_off.count()) : total);
  }

  // How long others were kept waiting by faulty devices.
  void account(std::size_t job, Nanoseconds release, Nanoseconds start, Nanoseconds end,
               Outcome outcome, bool released) {
    const bool lost =
        outcome.kind == Outcome::Kind::failed && faults_->state.is_faulty(queue_.jobs[job].device);
    if (!lost && released) {
      recorders_[job].hold(faults_->lost - faults_->lost_at_release[job],
                           release >= faults_->state.parked_since());
    }
    // the place is free again when the controller may send again; a release before a lost service
    // began saw none of it
    const Nanoseconds held_until = round_up(end, queue_.scan.count());
    faults_->last_lost_end = lost ? held_until : 0;
    if (lost) faults_->lost += held_until - start;
  }

  void release_on_return(std::size_t device, Nanoseconds now) {
    for (std::size_t j = 0; j < queue_.jobs.size(); ++j) {
      const Job& job = queue_.jobs[j];
      if (job.kind != model::TriggerKind::on_return || job.device != device) continue;
      // at most one instance of each waits
      if (std::find(on_return_.begin(), on_return_.end(), j) != on_return_.end()) continue;
      calendar_.push({now, static_cast<std::uint32_t>(j)});
      on_return_.push_back(j);
    }
  }

  [[nodiscard]] bool is_watched(std::size_t job) const {
    return !watched_.empty() && watched_[job] && result_.watched.size() < most_watched;
  }

  // The state decides all that follows, relative to the checkpoint: phases repeat with it.
  bool state_repeats(Nanoseconds checkpoint) {
    std::vector<Nanoseconds> state{std::max<Nanoseconds>(0, free_ - checkpoint),
                                   static_cast<Nanoseconds>(next_continuous_)};
    waiting_.append_state(checkpoint, state);
    auto calendar = calendar_;
    for (; !calendar.empty(); calendar.pop()) {
      state.push_back(calendar.top().job);
      state.push_back(calendar.top().at - checkpoint);
    }
    if constexpr (faulty) faults_->state.append_state(0, checkpoint, state);
    result_.complete = history_.seen(state);
    return result_.complete;
  }

  const Queue& queue_;
  const SimulationOptions& options_;
  DurationSource source_;
  Checkpoints checkpoints_;
  WaitingJobs waiting_;
  std::vector<bool> watched_;
  std::priority_queue<Release, std::vector<Release>, std::greater<>> calendar_;
  std::vector<ServiceTimes> times_;
  std::vector<std::uint32_t> continuous_;
  std::size_t next_continuous_ = 0;
  std::vector<JobRecorder> recorders_;
  StateHistory history_;
  std::optional<FaultRecords> faults_;
  std::vector<std::size_t> on_return_;
  Nanoseconds free_ = 0;
  std::uint64_t served_ = 0;
  QueueStatistics result_;
};

}  // namespace

QueueStatistics simulate_queue(const TimingModel& timing, std::size_t queue,
                               const SimulationOptions& options, ProgressMeter progress) {
  if (options.faults.any()) return QueueSimulator<true>(timing, queue, options).run(progress);
  return QueueSimulator<false>(timing, queue, options).run(progress);
}

}  // namespace greymet::timing::internal
