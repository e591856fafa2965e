// The general simulator: queues that share a line behind a gateway or a limit of requests under
// way.
#include <map>
#include <queue>

#include "fault_state.h"
#include "island_state.h"
#include "island_turns.h"
#include "simulation_internal.h"
#include "stall_watch.h"
#include "timing/simulation.h"

namespace greymet::timing::internal {
namespace {

// At one instant: what ends comes before what is released, and both before anything starts, so
// that a release at the instant of completion is not missed.
enum class EventKind : std::uint8_t { completion, line_end, line_arrival, release, boundary };

struct Event {
  Nanoseconds at;
  EventKind kind;
  std::uint32_t queue;
  std::uint32_t job;
  friend bool operator>(const Event& a, const Event& b) {
    if (a.at != b.at) return a.at > b.at;
    if (a.kind != b.kind) return a.kind > b.kind;
    return a.queue != b.queue ? a.queue > b.queue : a.job > b.job;
  }
};

class IslandSimulator {
 public:
  IslandSimulator(const TimingModel& timing, const std::vector<std::size_t>& queues,
                  const SimulationOptions& options)
      : options_(options),
        source_(options.durations, options.seed),
        checkpoints_(checkpoints_of(timing, queues, options)),
        faults_(timing, queues, options.faults, options.seed),
        faulty_(options.faults.any()) {
    for (std::size_t index : queues) {
      const Queue& queue = timing.queues[index];
      QueueState state{.queue = &queue,
                       .waiting = WaitingJobs(queue.order, queue.jobs.size()),
                       .recorders = {},
                       .continuous = {},
                       .running = {},
                       .now_running = {},
                       .under_way = {},
                       .watched = watched_jobs(options, index, queue.jobs.size()),
                       .freed = {},
                       .stalled = {},
                       .stalled_at_release = std::vector<Nanoseconds>(queue.jobs.size(), 0),
                       .on_return_due = std::vector<bool>(queue.jobs.size(), false),
                       .result = {}};
      for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
        state.recorders.emplace_back(options.percentiles);
        const Job& job = queue.jobs[j];
        const auto q = static_cast<std::uint32_t>(states_.size());
        const auto id = static_cast<std::uint32_t>(j);
        if (!is_released(job.kind)) {
          state.continuous.push_back(id);
        } else if (job.kind != model::TriggerKind::on_return) {
          events_.push({job.phase.count(), EventKind::release, q, id});
        }
      }
      state.running.assign(queue.jobs.size(), false);
      state.under_way.assign(queue.jobs.size(), {});
      if (!state.continuous.empty()) {
        events_.push({0, EventKind::boundary, static_cast<std::uint32_t>(states_.size()), 0});
      }
      const auto limit = queue.kind == QueueKind::serial ? std::optional<std::int64_t>()
                                                         : timing.in_flight_limit[queue.controller];
      turns_.add_queue(queue.controller, limit, queue.scan.count());
      stall_watch_.add_queue(queue.controller, limit, queue.in_flight);
      if (!state.continuous.empty()) turns_.touch(static_cast<std::uint32_t>(states_.size()));
      states_.push_back(std::move(state));
    }
  }

  std::vector<QueueStatistics> run(ProgressMeter progress) {
    Nanoseconds next_check = checkpoints_.first;
    Nanoseconds now = 0;
    bool complete = false;
    bool stopped = false;
    while (!events_.empty() && served_ < options_.most_transactions && !complete) {
      now = events_.top().at;
      if (now >= options_.horizon.count()) break;
      if (now >= next_check) {
        complete = state_repeats(next_check);
        next_check +=
            (now - next_check) / checkpoints_.step * checkpoints_.step + checkpoints_.step;
        if (complete) break;
      }
      while (!events_.empty() && events_.top().at == now) {
        const Event event = events_.top();
        events_.pop();
        handle(event);
      }
      dispatch(now);
      if (faulty_) stall_watch_.judge(states_, lines_, now);
      if (!progress.step(served_, now)) {
        stopped = true;
        break;
      }
    }
    complete = complete || (events_.empty() && !stopped);
    std::vector<QueueStatistics> results;
    for (QueueState& state : states_) {
      for (JobRecorder& recorder : state.recorders) state.result.jobs.push_back(recorder.take());
      state.result.complete = complete;
      state.result.simulated = Duration(std::min<Nanoseconds>(now, options_.horizon.count()));
      std::sort(state.result.trace.begin(), state.result.trace.end(),
                [](const Service& a, const Service& b) { return a.start < b.start; });
      results.push_back(std::move(state.result));
    }
    return results;
  }

 private:
  void handle(const Event& event) {
    QueueState& state = states_[event.queue];
    turns_.touch(event.queue);
    switch (event.kind) {
      case EventKind::completion: complete_request(event, state); break;
      case EventKind::line_end: {
        LineState& line = lines_[*state.queue->line];
        line.busy = false;
        const UnderWay& request = state.under_way[event.job];
        if (request.lost) line.lost.finish(request.line_start, event.at);
        state.under_way[event.job].on_line = false;
        events_.push({event.at + request.back, EventKind::completion, event.queue, event.job});
        take_next(line, event.at);
        break;
      }
      case EventKind::line_arrival: {
        LineState& line = lines_[*state.queue->line];
        line.arrivals.emplace_back(event.queue, event.job);
        state.under_way[event.job].lost_on_line = line.lost.until(event.at);
        state.under_way[event.job].on_line = true;
        take_next(line, event.at);
        break;
      }
      case EventKind::release: release(event, state); break;
      case EventKind::boundary: break;  // only wakes the dispatcher
    }
  }

  void release(const Event& event, QueueState& state) {
    if (faulty_ && faults_.admit(event.queue, event.job, event.at) == Admission::fail_at_once) {
      state.recorders[event.job].fail_at_once();
      ++served_;
      come_back(event.queue, event.job, event.at, event.at);
      return;
    }
    state.stalled_at_release[event.job] = state.stalled.until(event.at);
    state.waiting.push(event.job, event.at);
    state.result.longest_queue = std::max(state.result.longest_queue, state.waiting.size());
  }

  void complete_request(const Event& event, QueueState& state) {
    const UnderWay& request = state.under_way[event.job];
    const Job& job = state.queue->jobs[event.job];
    state.running[event.job] = false;
    std::erase(state.now_running, event.job);
    --state.in_flight;
    turns_.give_place_back(event.queue);
    if (faulty_ && state.now_running.empty()) stall_watch_.end(event.queue);
    const bool good = request.outcome.kind == Outcome::Kind::good;
    JobRecorder& recorder = state.recorders[event.job];
    good ? recorder.complete(request.release, event.at) : recorder.fail();
    if (faulty_) {
      stall_watch_.free_place(event.queue, state, request.lost, event.at);
      if (is_released(job.kind) && !request.lost) {
        recorder.hold(request.stalled + request.lost_on_line,
                      request.release >= faults_.parked_since());
      }
    }
    state.result.busy += Duration(event.at - request.start);
    const bool watched = !state.watched.empty() && state.watched[event.job] &&
                         state.result.watched.size() < most_watched;
    const Service service{event.job,
                          Duration(request.release),
                          Duration(request.start),
                          Duration(request.line_start),
                          Duration(event.at),
                          good};
    if (state.result.trace.size() < options_.trace_length &&
        event.at > options_.trace_from.count()) {
      state.result.trace.push_back(service);
    }
    if (watched) state.result.watched.push_back(service);
    ++served_;
    const bool again =
        faulty_ && faults_.finished(event.queue, event.job, request.outcome, event.at);
    if (is_released(job.kind)) come_back(event.queue, event.job, request.release, event.at);
    if (again) release_on_return(event.queue, job.device, event.at);
  }

  void come_back(std::uint32_t q, std::uint32_t job, Nanoseconds release, Nanoseconds end) {
    QueueState& state = states_[q];
    if (state.queue->jobs[job].kind == model::TriggerKind::on_return) {
      state.on_return_due[job] = false;
      return;
    }
    const NextRelease next = next_release(state.queue->jobs[job], release, end);
    state.recorders[job].miss(next.missed, faulty_ && release >= faults_.parked_since());
    if (next.at != never) events_.push({next.at, EventKind::release, q, job});
  }

  void release_on_return(std::uint32_t q, std::size_t device, Nanoseconds now) {
    QueueState& state = states_[q];
    for (std::uint32_t j = 0; j < state.queue->jobs.size(); ++j) {
      const Job& job = state.queue->jobs[j];
      if (job.kind != model::TriggerKind::on_return || job.device != device) continue;
      if (state.on_return_due[j]) continue;  // at most one instance of each waits
      state.on_return_due[j] = true;
      events_.push({now, EventKind::release, q, j});
    }
  }

  void take_next(LineState& line, Nanoseconds now) {
    if (line.busy || line.arrivals.empty()) return;
    const auto [q, job] = line.arrivals.front();
    line.arrivals.pop_front();
    line.busy = true;
    UnderWay& request = states_[q].under_way[job];
    request.line_start = now;
    request.lost_on_line = line.lost.until(now) - request.lost_on_line;
    if (request.lost) line.lost.begin(now);
    events_.push({now + request.line_time, EventKind::line_end, q, job});
  }

  // What the queue could start, places and scan aside.
  void look_at(std::uint32_t q, Nanoseconds now) {
    const QueueState& state = states_[q];
    if (state.in_flight >= state.queue->in_flight) return turns_.set(q, std::nullopt, false);
    if (!state.waiting.empty()) return turns_.set(q, state.waiting.front().release, false);
    turns_.set(q, std::nullopt, idle_continuous(q, now).has_value());
  }

  std::optional<std::uint32_t> next_to_start(Nanoseconds now, bool continuous) {
    boundaries_.clear();
    const auto queue = turns_.next(now, continuous, boundaries_);
    for (const IslandTurns::Boundary& each : boundaries_) {
      events_.push({each.at, EventKind::boundary, each.queue, 0});
    }
    return queue;
  }

  [[nodiscard]] std::optional<std::size_t> idle_continuous(std::uint32_t q, Nanoseconds now) const {
    const QueueState& state = states_[q];
    for (std::size_t i = 0; i < state.continuous.size(); ++i) {
      const std::size_t at = (state.next_continuous + i) % state.continuous.size();
      const std::uint32_t job = state.continuous[at];
      if (state.running[job]) continue;
      if (!faulty_ || faults_.may_run(q, job, now)) return at;
    }
    return std::nullopt;
  }

  void dispatch(Nanoseconds now) {
    for (const std::uint32_t q : turns_.touched()) look_at(q, now);
    while (const auto q = next_to_start(now, false)) {
      QueueState& state = states_[*q];
      const auto entry = state.waiting.front();
      state.waiting.pop();
      if (faulty_ && faults_.admit_at_turn(*q, entry.job, now) == Admission::fail_at_once) {
        state.recorders[entry.job].fail_at_once();
        ++served_;
        come_back(*q, entry.job, entry.release, now);
      } else {
        start(*q, entry.job, entry.release, now);
      }
      look_at(*q, now);
    }
    while (const auto q = next_to_start(now, true)) {
      QueueState& state = states_[*q];
      const std::size_t at = *idle_continuous(*q, now);
      state.next_continuous = (at + 1) % state.continuous.size();
      start(*q, state.continuous[at], now, now);
      look_at(*q, now);
    }
    if (faulty_) ask_for_trials(now);
    turns_.done();
  }

  // A parked continuous job wakes its queue when it may be tried again.
  void ask_for_trials(Nanoseconds now) {
    for (const std::uint32_t q : turns_.touched()) {
      QueueState& state = states_[q];
      if (state.continuous.empty()) continue;
      const Nanoseconds next = faults_.next_trial(q);
      if (next == never || next <= now || state.trial_asked == next) continue;
      state.trial_asked = next;
      events_.push({next, EventKind::boundary, q, 0});
    }
  }

  void start(std::uint32_t q, std::uint32_t job_index, Nanoseconds release, Nanoseconds now) {
    QueueState& state = states_[q];
    const TransactionTimes& times = state.queue->jobs[job_index].times;
    state.running[job_index] = true;
    state.now_running.push_back(job_index);
    ++state.in_flight;
    turns_.take_place(q);
    UnderWay& request = state.under_way[job_index];
    request = {release, now, now, 0, 0, {}, 0, 0, false, false};
    if (faulty_) request.outcome = faults_.outcome(q, job_index, now);
    const Outcome outcome = request.outcome;
    request.stalled = state.stalled.until(now) - state.stalled_at_release[job_index];
    request.lost = faulty_ && outcome.kind == Outcome::Kind::failed &&
                   faults_.is_faulty(state.queue->jobs[job_index].device);
    if (faulty_) stall_watch_.begin(q, request.lost);
    const FailureTimes failure = failure_times(times);
    const Nanoseconds tries = outcome.failed_tries * failure.each.count();
    const bool failed = outcome.kind == Outcome::Kind::failed;
    if (state.queue->kind != QueueKind::gateway) {
      Nanoseconds total =
          source_.draw(times.shortest.count(), times.typical.count(), times.longest.count());
      if (outcome.kind == Outcome::Kind::refused) {
        total = std::min<Nanoseconds>(total, times.exception_longest.count());
      }
      total =
          (failed ? model::in_ns(failure.before + failure.after) : total) + tries + outcome.delay;
      if (request.lost) total = std::max<Nanoseconds>(total, failure.host_off.count());
      events_.push({now + total, EventKind::completion, q, job_index});
      return;
    }
    const NetworkParts& net = *times.network;
    Nanoseconds out = source_.draw(0, net.out_typical.count(), net.out_longest.count());
    request.line_time =
        source_.draw(times.serial->shortest().count(), times.serial->typical().count(),
                     times.serial->longest().count());
    request.back = source_.draw(0, net.back_typical.count(), net.back_longest.count());
    if (outcome.kind == Outcome::Kind::refused) {
      const Duration refused = times.serial->exception_longest();
      request.line_time = std::min<Nanoseconds>(request.line_time, refused.count());
    }
    if (failed) {
      out = failure.before.count();
      request.line_time = 0;
      request.back = failure.after.count();
    }
    request.line_time += tries;
    state.last_arrival = std::max(state.last_arrival, now + out);
    events_.push({state.last_arrival, EventKind::line_arrival, q, job_index});
  }

  bool state_repeats(Nanoseconds checkpoint) {
    std::vector<Nanoseconds> state;
    for (std::size_t q = 0; q < states_.size(); ++q) {
      const QueueState& queue = states_[q];
      queue.waiting.append_state(checkpoint, state);
      state.push_back(static_cast<Nanoseconds>(queue.next_continuous));
      if (faulty_) faults_.append_state(q, checkpoint, state);
      for (std::size_t j = 0; j < queue.running.size(); ++j) {
        if (!queue.running[j]) continue;
        const UnderWay& request = queue.under_way[j];
        state.insert(state.end(),
                     {static_cast<Nanoseconds>(j), request.release - checkpoint, request.line_time,
                      request.back, static_cast<Nanoseconds>(request.outcome.kind)});
      }
      state.push_back(-1);
    }
    for (const auto& [id, line] : lines_) {
      state.push_back(line.busy ? 1 : 0);
      for (const auto& [q, job] : line.arrivals) state.insert(state.end(), {q, job});
      state.push_back(-1);
    }
    auto events = events_;
    for (; !events.empty(); events.pop()) {
      const Event& event = events.top();
      if (event.kind == EventKind::boundary) continue;
      state.insert(state.end(), {event.at - checkpoint, static_cast<Nanoseconds>(event.kind),
                                 event.queue, event.job});
    }
    return history_.seen(state);
  }

  const SimulationOptions& options_;
  DurationSource source_;
  Checkpoints checkpoints_;
  std::vector<QueueState> states_;
  std::map<std::size_t, LineState> lines_;
  IslandTurns turns_;
  std::vector<IslandTurns::Boundary> boundaries_;
  StallWatch stall_watch_;
  std::priority_queue<Event, std::vector<Event>, std::greater<>> events_;
  StateHistory history_;
  FaultState faults_;
  bool faulty_;
  std::uint64_t served_ = 0;
};

}  // namespace

std::vector<QueueStatistics> simulate_island(const TimingModel& timing,
                                             const std::vector<std::size_t>& queues,
                                             const SimulationOptions& options,
                                             ProgressMeter progress) {
  return IslandSimulator(timing, queues, options).run(progress);
}

}  // namespace greymet::timing::internal
