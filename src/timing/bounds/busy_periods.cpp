#include "busy_periods.h"

#include <algorithm>
#include <numeric>

#include "model/boundaries.h"

namespace greymet::timing::internal {
namespace {

using model::TriggerKind;

constexpr std::int64_t most_releases = 100'000;
constexpr std::int64_t most_comparisons = 3'000'000;
constexpr Duration longest_busy_period = std::chrono::hours(24);

// The cyclic releases of a queue, repeated for ever in both directions, and what else may come.
class BusyPeriods {
 public:
  explicit BusyPeriods(const Queue& queue) : queue_(queue) {
    for (const Job& job : queue.jobs) {
      held_.push_back(held_place(queue, job.times.longest));
      if (!is_released(job.kind)) begun_ = std::max(begun_, held_.back());
    }
    begun_ = std::max(begun_, queue.scan);
  }

  std::optional<std::vector<Duration>> bounds() {
    if (!collect_releases() || !find_longest()) return std::nullopt;
    responses_.assign(queue_.jobs.size(), Duration{});
    worst_.assign(queue_.jobs.size(), {});
    const bool done = queue_.order == model::Order::due ? by_release() : by_end();
    if (!done) return std::nullopt;
    return responses_;
  }

  // After bounds(): what made the bound of this job.
  [[nodiscard]] BusyPeriod worst(std::size_t job) const {
    const Worst& worst = worst_[job];
    BusyPeriod out;
    out.bound = responses_[job];
    out.begun = begun_;
    out.before = worst.release - worst.begin;
    const bool due = queue_.order == model::Order::due;
    if (due) out.surplus = held_[job] - queue_.jobs[job].times.longest;
    for (std::size_t j = 0; j < queue_.jobs.size(); ++j) {
      const Job& other = queue_.jobs[j];
      std::int64_t times = 0;
      if (other.kind == TriggerKind::cyclic) {
        // of equal ones only those before it in the list go first
        const bool after = due && queue_.jobs[job].kind == TriggerKind::cyclic && j > job;
        times = releases_within(other, worst.begin, worst.until, after || !due);
      } else if (is_released(other.kind)) {
        times = !due            ? times_before(other, worst.until - worst.begin)
                : recurs(other) ? std::int64_t{out.before / other.period + 1}
                                : 1;
      }
      out.times.push_back(times);
    }
    return out;
  }

 private:
  struct Release {
    Duration at{};
    std::size_t job = 0;
  };
  // Work released in [begin, until] makes the bound of a job released at `release`.
  struct Worst {
    Duration begin{};
    Duration release{};
    Duration until{};
  };

  static std::int64_t releases_within(const Job& job, Duration begin, Duration until, bool open) {
    const auto up_to = [&](Duration instant) {  // releases at or before it, counted from any one
      const std::int64_t since = (instant - job.phase).count();
      const std::int64_t period = job.period.count();
      return since >= 0 ? since / period : -((-since + period - 1) / period);
    };
    return up_to(open ? until - Duration(1) : until) - up_to(begin - Duration(1));
  }

  bool collect_releases() {
    std::int64_t common = 1;
    const std::int64_t limit = longest_busy_period.count();
    for (const Job& job : queue_.jobs) {
      if (job.kind != TriggerKind::cyclic) {
        if (is_released(job.kind))
          events_.push_back(static_cast<std::size_t>(&job - &queue_.jobs[0]));
        continue;
      }
      const std::int64_t factor = job.period.count() / std::gcd(common, model::in_ns(job.period));
      if (common > limit / factor) return false;
      common *= factor;
    }
    repeats_ = Duration(common);
    std::int64_t count = 0;
    for (std::size_t j = 0; j < queue_.jobs.size(); ++j) {
      const Job& job = queue_.jobs[j];
      if (job.kind != TriggerKind::cyclic) continue;
      count += repeats_ / job.period;
      if (count > most_releases) return false;
      for (Duration at = job.phase % job.period; at < repeats_; at += job.period) {
        releases_.push_back({at, j});
      }
    }
    std::sort(releases_.begin(), releases_.end(), [](const Release& a, const Release& b) {
      return a.at != b.at ? a.at < b.at : a.job < b.job;
    });
    return true;
  }

  [[nodiscard]] std::int64_t count() const { return static_cast<std::int64_t>(releases_.size()); }
  [[nodiscard]] Release release(std::int64_t index) const {
    std::int64_t round = index / count();
    std::int64_t place = index % count();
    if (place < 0) place += count(), --round;
    const Release& r = releases_[static_cast<std::size_t>(place)];
    return {r.at + round * repeats_, r.job};
  }

  // Work of what is triggered, released within a closed interval of this length.
  [[nodiscard]] Duration triggered(Duration length) {
    compared_ += static_cast<std::int64_t>(events_.size());
    Duration work{};
    for (const std::size_t j : events_) {
      const Job& job = queue_.jobs[j];
      work += (recurs(job) ? std::int64_t{length / job.period + 1} : 1) * held_[j];
    }
    return work;
  }

  // No busy period is longer, whatever the phases.
  bool find_longest() {
    longest_ = begun_;
    for (std::size_t j = 0; j < held_.size(); ++j) {
      if (is_released(queue_.jobs[j].kind)) longest_ += held_[j];
    }
    while (true) {
      compared_ += static_cast<std::int64_t>(held_.size());
      if (compared_ > most_comparisons) return false;
      Duration next = begun_;
      for (std::size_t j = 0; j < held_.size(); ++j) {
        const Job& job = queue_.jobs[j];
        if (!is_released(job.kind)) continue;
        const Duration period = job.period;
        next +=
            (recurs(job) ? std::max<std::int64_t>(1, model::rounded_up(longest_, period) / period)
                         : 1) *
            held_[j];
      }
      if (next == longest_) return true;
      if (next > longest_busy_period) return false;
      longest_ = next;
    }
    return false;
  }

  // Calls `look(length)` for each length in [from, to) at which something triggered may come again.
  template <class Look>
  bool at_triggers(Duration from, Duration to, const Look& look) {
    for (const std::size_t j : events_) {
      const Job& job = queue_.jobs[j];
      if (!recurs(job)) continue;
      for (Duration length = model::rounded_up(from, job.period); length < to;
           length += job.period) {
        if (++compared_ > most_comparisons) return false;
        look(length);
      }
    }
    return true;
  }

  // Order due: begun + A(s, t) - (t - s), the largest over s for each release t of a cyclic job,
  // and over both for triggered ones.
  bool by_release() {
    for (std::int64_t t = 0; t < count(); ++t) {
      const Release own = release(t);
      Duration work{};
      Duration largest{};
      Duration at{};
      // backwards: s lies after the release before this one, up to this one
      for (std::int64_t m = t; own.at - release(m).at <= longest_; --m) {
        if (++compared_ > most_comparisons) return false;
        work += held_[release(m).job];
        const auto look = [&](Duration length) {
          const Duration here = work + triggered(length) - length;
          if (here <= largest) return;
          largest = here;
          at = length;
        };
        look(own.at - release(m).at);
        const Duration before = std::min(own.at - release(m - 1).at, longest_);
        if (!at_triggers(own.at - release(m).at, before, look)) return false;
      }
      raise(own.job, begun_ + largest, {own.at - at, own.at, own.at});
    }
    return events_.empty() || triggered_by_release();
  }

  bool triggered_by_release() {
    Duration largest{};
    Worst worst;
    if (releases_.empty()) {
      const auto look = [&](Duration length) {
        if (triggered(length) - length <= largest) return;
        largest = triggered(length) - length;
        worst = {{}, length, length};
      };
      look({});
      if (!at_triggers(Duration{}, longest_, look)) return false;
    }
    for (std::int64_t s = 0; s < count(); ++s) {
      const Duration begin = release(s).at;
      Duration work{};
      for (std::int64_t n = s; release(n).at - begin <= longest_; ++n) {
        if (++compared_ > most_comparisons) return false;
        work += held_[release(n).job];
        const auto look = [&](Duration length) {
          if (work + triggered(length) - length <= largest) return;
          largest = work + triggered(length) - length;
          worst = {begin, begin + length, begin + length};
        };
        look(release(n).at - begin);
        const Duration next = std::min(release(n + 1).at - begin, longest_);
        if (!at_triggers(release(n).at - begin, next, look)) return false;
      }
    }
    for (const std::size_t j : events_) raise(j, begun_ + largest, worst);
    return true;
  }

  // Work of what is triggered, released from a busy period's beginning on until before its end.
  [[nodiscard]] std::int64_t times_before(const Job& job, Duration length) const {
    return recurs(job)
               ? std::max<std::int64_t>(1, model::rounded_up(length, job.period) / job.period)
               : 1;
  }
  [[nodiscard]] Duration triggered_before(Duration length) {
    compared_ += static_cast<std::int64_t>(events_.size());
    Duration work{};
    for (const std::size_t j : events_) work += times_before(queue_.jobs[j], length) * held_[j];
    return work;
  }

  // Order list: whoever is released in a busy period has been served at its end. It ends latest,
  // and takes longest, where everything triggered comes with the cyclic release that begins it: one
  // that begins with a trigger before that release ends no later, and is no longer.
  bool by_end() {
    if (releases_.empty()) return events_.empty() || triggered_by_end();
    for (std::int64_t s = 0; s < count(); ++s) {
      const Duration begin = release(s).at;
      if (release(s - 1).at == begin) continue;
      Duration end = begin;
      Duration cyclic{};
      std::int64_t n = s;
      while (true) {
        for (; release(n).at < end || release(n).at == begin; ++n) {
          if (++compared_ > most_comparisons) return false;
          cyclic += held_[release(n).job];
        }
        const Duration next = begin + begun_ + cyclic + triggered_before(end - begin);
        if (++compared_ > most_comparisons) return false;
        if (next == end) break;
        end = next;
      }
      for (std::int64_t i = s; i < n; ++i) {
        raise(release(i).job, end - release(i).at, {begin, release(i).at, end});
      }
      for (const std::size_t j : events_) raise(j, end - begin, {begin, begin, end});
    }
    return true;
  }

  bool triggered_by_end() {
    Duration end{};
    while (true) {
      const Duration next = begun_ + triggered_before(end);
      if (++compared_ > most_comparisons) return false;
      if (next == end) break;
      end = next;
    }
    for (const std::size_t j : events_) raise(j, end, {{}, {}, end});
    return true;
  }

  // The response itself ends with the service, not with the place it holds.
  void raise(std::size_t job, Duration until_free, const Worst& worst) {
    const bool own_is_last = queue_.order == model::Order::due;
    const Duration after_end =
        own_is_last ? held_[job] - queue_.jobs[job].times.longest : Duration{};
    if (until_free - after_end <= responses_[job]) return;
    responses_[job] = until_free - after_end;
    worst_[job] = worst;
  }

  const Queue& queue_;
  std::vector<Duration> held_;       // per job: how long its place is held
  Duration begun_{};                 // before a busy period: a continuous job, or a scan
  std::vector<std::size_t> events_;  // jobs that are neither cyclic nor continuous
  std::vector<Release> releases_;    // within `repeats_`
  Duration repeats_{};
  Duration longest_{};
  std::vector<Duration> responses_;
  std::vector<Worst> worst_;
  std::int64_t compared_ = 0;
};

}  // namespace

std::optional<std::vector<Duration>> busy_period_bounds(const Queue& queue) {
  return BusyPeriods(queue).bounds();
}

std::optional<BusyPeriod> worst_busy_period(const Queue& queue, std::size_t job) {
  BusyPeriods periods(queue);
  if (!periods.bounds()) return std::nullopt;
  return periods.worst(job);
}

Duration held_place(const Queue& queue, Duration longest) {
  return queue.scan > Duration{} ? model::rounded_up(longest, queue.scan) : longest;
}

}  // namespace greymet::timing::internal
