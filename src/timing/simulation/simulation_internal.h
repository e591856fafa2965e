// Shared by the two simulators: not for use outside this folder.
#pragma once

#include <algorithm>
#include <cstdint>
#include <limits>
#include <random>
#include <unordered_map>
#include <vector>

#include "timing/simulation.h"
#include "timing/timing_model.h"

namespace greymet::timing::internal {

using Nanoseconds = std::int64_t;
inline constexpr Nanoseconds never = std::numeric_limits<Nanoseconds>::max();

// Collects the statistics of one job.
class JobRecorder {
 public:
  explicit JobRecorder(bool keep_responses) : keep_(keep_responses) {}

  void complete(Nanoseconds release, Nanoseconds end) {
    const Nanoseconds response = end - release;
    min_ = std::min(min_, response);
    max_ = std::max(max_, response);
    sum_ += static_cast<double>(response);
    if (completed_++ > 0) interval_ = std::max(interval_, end - last_end_);
    last_end_ = end;
    if (keep_) responses_.push_back(response);
  }
  void miss(std::uint64_t releases, bool after_parking = false) {
    missed_ += releases;
    if (after_parking) missed_parked_ += releases;
  }
  void fail() { ++failed_; }
  void fail_at_once() { ++parked_; }
  void hold(Nanoseconds time, bool after_parking) {
    Nanoseconds& longest = after_parking ? held_parked_ : held_first_;
    longest = std::max(longest, time);
  }
  [[nodiscard]] JobStatistics take();

 private:
  bool keep_;
  std::uint64_t completed_ = 0;
  std::uint64_t missed_ = 0;
  std::uint64_t missed_parked_ = 0;
  std::uint64_t failed_ = 0;
  std::uint64_t parked_ = 0;
  Nanoseconds held_first_ = 0;
  Nanoseconds held_parked_ = 0;
  Nanoseconds min_ = never;
  Nanoseconds max_ = 0;
  Nanoseconds interval_ = 0;
  Nanoseconds last_end_ = 0;
  double sum_ = 0;
  std::vector<Nanoseconds> responses_;
};

// Released jobs that wait, in the order in which they will be served.
class WaitingJobs {
 public:
  WaitingJobs(model::Order order, std::size_t jobs) : order_(order) {
    if (order_ == model::Order::list) {
      releases_.assign(jobs, never);
      words_.assign((jobs + 63) / 64, 0);
    }
  }

  // Jobs must be pushed in the order of (release, job).
  void push(std::size_t job, Nanoseconds release) {
    ++size_;
    if (order_ == model::Order::due) {
      fifo_.push_back({release, static_cast<std::uint32_t>(job)});
      return;
    }
    releases_[job] = release;
    words_[job / 64] |= std::uint64_t{1} << (job % 64);
  }
  struct Entry {
    Nanoseconds release;
    std::uint32_t job;
  };
  // The job that goes next; one must wait.
  [[nodiscard]] Entry front() const {
    if (order_ == model::Order::due) return fifo_[head_];
    const std::size_t job = next_in_list();
    return {releases_[job], static_cast<std::uint32_t>(job)};
  }
  void pop() {
    --size_;
    if (order_ == model::Order::due) {
      ++head_;
      // drop what has been served, now and then, so that a queue that never empties stays small
      if (head_ == fifo_.size() || head_ >= served_kept) {
        fifo_.erase(fifo_.begin(), fifo_.begin() + static_cast<std::ptrdiff_t>(head_));
        head_ = 0;
      }
      return;
    }
    const std::size_t job = next_in_list();
    words_[job / 64] &= ~(std::uint64_t{1} << (job % 64));
    releases_[job] = never;
    after_ = job + 1;
  }
  [[nodiscard]] bool empty() const { return size_ == 0; }
  [[nodiscard]] std::size_t size() const { return size_; }
  // Appends all that decides the future, with times relative to `origin`.
  void append_state(Nanoseconds origin, std::vector<Nanoseconds>& state) const;

 private:
  static constexpr std::size_t served_kept = 4096;
  [[nodiscard]] std::size_t next_in_list() const;

  model::Order order_;
  std::size_t size_ = 0;
  std::vector<Entry> fifo_;
  std::size_t head_ = 0;
  std::vector<Nanoseconds> releases_;
  std::vector<std::uint64_t> words_;
  std::size_t after_ = 0;  // the round goes on here
};

// Recognises a state that has been seen before.
class StateHistory {
 public:
  // True if the same state was seen before.
  bool seen(const std::vector<Nanoseconds>& state);

 private:
  std::unordered_map<std::size_t, std::vector<std::vector<Nanoseconds>>> states_;
};

// Durations of services: typical, longest or random in between.
class DurationSource {
 public:
  DurationSource(Durations kind, std::uint64_t seed) : kind_(kind), random_(seed) {}
  Nanoseconds draw(Nanoseconds shortest, Nanoseconds typical, Nanoseconds longest) {
    switch (kind_) {
      case Durations::typical: return typical;
      case Durations::longest: return longest;
      case Durations::random: break;
    }
    return std::uniform_int_distribution<Nanoseconds>(shortest, longest)(random_);
  }

 private:
  Durations kind_;
  std::mt19937_64 random_;
};

// Services of watched jobs beyond these are not kept.
inline constexpr std::size_t most_watched = 1'000'000;

// Per job of a queue: whether it is watched; empty if none is.
[[nodiscard]] inline std::vector<bool> watched_jobs(const SimulationOptions& options,
                                                    std::size_t queue, std::size_t jobs) {
  std::vector<bool> watched;
  for (const JobRef ref : options.watched) {
    if (ref.queue != queue) continue;
    watched.resize(jobs, false);
    watched[ref.job] = true;
  }
  return watched;
}

[[nodiscard]] constexpr Nanoseconds round_up(Nanoseconds value, Nanoseconds step) {
  return step <= 0 ? value : (value + step - 1) / step * step;
}

// The release after one that is served until `end`: the first one not before `end`; those before
// are missed. Triggered jobs come back after their gap, or at `end` if that is later.
struct NextRelease {
  Nanoseconds at = never;
  std::uint64_t missed = 0;
};
[[nodiscard]] inline NextRelease next_release(const Job& job, Nanoseconds release,
                                              Nanoseconds end) {
  const Nanoseconds period = job.period.count();
  if (!recurs(job)) return {};
  if (job.kind != model::TriggerKind::cyclic) return {std::max(end, release + period), 0};
  if (end <= release + period) return {release + period, 0};
  const Nanoseconds periods = (end - release + period - 1) / period;
  return {release + periods * period, static_cast<std::uint64_t>(periods - 1)};
}

// Times between which states are compared; nothing if they never can be.
struct Checkpoints {
  Nanoseconds first = never;
  Nanoseconds step = 0;
};
[[nodiscard]] Checkpoints checkpoints_of(const TimingModel& timing,
                                         const std::vector<std::size_t>& queues,
                                         const SimulationOptions& options);

// How far the simulation is; calls the sink seldom.
class ProgressMeter {
 public:
  ProgressMeter(const SimulationOptions& options, double from, double to)
      : options_(options), from_(from), to_(to) {}
  // False once the simulation is to be stopped.
  [[nodiscard]] bool step(std::uint64_t transactions, Nanoseconds now) {
    if ((transactions & 0xffff) != 0) return true;
    if (options_.stop.stop_requested()) return false;
    if (!options_.progress) return true;
    const double by_count =
        static_cast<double>(transactions) / static_cast<double>(options_.most_transactions);
    const double by_time = static_cast<double>(now) /
                           static_cast<double>(std::max<std::int64_t>(1, options_.horizon.count()));
    options_.progress(from_ + (to_ - from_) * std::min(1.0, std::max(by_count, by_time)));
    return true;
  }

 private:
  const SimulationOptions& options_;
  double from_;
  double to_;
};

// One queue that nothing else influences, one request under way: the fast way.
[[nodiscard]] QueueStatistics simulate_queue(const TimingModel& timing, std::size_t queue,
                                             const SimulationOptions& options,
                                             ProgressMeter progress);
// Any island: several masters on a gateway's line, several requests under way, limits.
[[nodiscard]] std::vector<QueueStatistics> simulate_island(const TimingModel& timing,
                                                           const std::vector<std::size_t>& queues,
                                                           const SimulationOptions& options,
                                                           ProgressMeter progress);

}  // namespace greymet::timing::internal
