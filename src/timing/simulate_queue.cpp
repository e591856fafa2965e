// The fast simulator: one queue, one request under way, nothing else in the way.
#include <queue>

#include "simulation_internal.h"

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

class QueueSimulator {
 public:
  QueueSimulator(const TimingModel& timing, std::size_t index, const SimulationOptions& options)
      : queue_(timing.queues[index]),
        options_(options),
        source_(options.durations, options.seed),
        checkpoints_(checkpoints_of(timing, {index}, options)),
        waiting_(queue_.order, queue_.jobs.size()) {
    for (std::size_t j = 0; j < queue_.jobs.size(); ++j) {
      const Job& job = queue_.jobs[j];
      recorders_.emplace_back(options.percentiles);
      const bool typical = options.durations == Durations::typical;
      const Duration out = !job.times.network ? Duration{}
                           : typical          ? job.times.network->out_typical
                                              : job.times.network->out_longest;
      times_.push_back({job.times.shortest.count(), job.times.typical.count(),
                        job.times.longest.count(), out.count()});
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
      if (waiting_.empty() && continuous_.empty()) {
        if (calendar_.empty()) {
          result_.complete = true;  // only transactions that run once, and they have
          break;
        }
        now = std::max(now, calendar_.top().at);
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
      progress.step(served_, now);
    }
    for (JobRecorder& recorder : recorders_) result_.jobs.push_back(recorder.take());
    result_.simulated = Duration(std::max(free_, reached));
    return std::move(result_);
  }

 private:
  // Moves all jobs released by now from the calendar to those that wait.
  void admit(Nanoseconds now) {
    while (!calendar_.empty() && calendar_.top().at <= now) {
      waiting_.push(calendar_.top().job, calendar_.top().at);
      calendar_.pop();
    }
    result_.longest_queue = std::max(result_.longest_queue, waiting_.size());
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
    } else {
      if (next_continuous_ == continuous_.size()) next_continuous_ = 0;
      job = continuous_[next_continuous_++];
    }
    const ServiceTimes& times = times_[job];
    const Nanoseconds end = start + source_.draw(times.shortest, times.typical, times.longest);
    recorders_[job].complete(release, end);
    result_.busy += Duration(end - start);
    if (result_.trace.size() < options_.trace_length) {
      result_.trace.push_back({job, Duration(release), Duration(start),
                               Duration(start + times.before_line), Duration(end)});
    }
    free_ = end;
    ++served_;
    if (!released) return;
    const NextRelease next = next_release(queue_.jobs[job], release, end);
    recorders_[job].miss(next.missed);
    if (next.at != never) calendar_.push({next.at, static_cast<std::uint32_t>(job)});
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
    result_.complete = history_.seen(state);
    return result_.complete;
  }

  const Queue& queue_;
  const SimulationOptions& options_;
  DurationSource source_;
  Checkpoints checkpoints_;
  WaitingJobs waiting_;
  std::priority_queue<Release, std::vector<Release>, std::greater<>> calendar_;
  std::vector<ServiceTimes> times_;
  std::vector<std::uint32_t> continuous_;
  std::size_t next_continuous_ = 0;
  std::vector<JobRecorder> recorders_;
  StateHistory history_;
  Nanoseconds free_ = 0;
  std::uint64_t served_ = 0;
  QueueStatistics result_;
};

}  // namespace

QueueStatistics simulate_queue(const TimingModel& timing, std::size_t queue,
                               const SimulationOptions& options, ProgressMeter progress) {
  return QueueSimulator(timing, queue, options).run(progress);
}

}  // namespace greymet::timing::internal
