// What waits on one line or connection of a master, and who goes next.
//
// The rules of docs/timing-model.md, "Who goes next", carried out: cyclic releases at phase +
// k x period, at most one instance of each waits, order "due" or "list", continuous transactions in
// turns when nothing waits, kept triggers, and the parking of slaves that do not answer. Durations
// are not known here: whoever sends tells how each request went. One thread.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <queue>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::engine {

using model::Duration;

inline constexpr Duration never = Duration::max();

// The first multiple of `step` that is not before `time`; `time` itself where there is no step.
[[nodiscard]] constexpr Duration round_up(Duration time, Duration step) {
  if (step <= Duration{} || time == never) return time;
  return Duration((time.count() + step.count() - 1) / step.count() * step.count());
}

// How a request ended, as far as the agenda has to know.
enum class Ending : std::uint8_t {
  answered,  // with data, or by an exception: the device is there
  failed,    // in all its tries
  not_sent,  // nothing was tried: parked, gated or left out
};

// One line or connection of one master. Instants must not go back from call to call.
class Agenda {
 public:
  struct Options {
    bool triggers_always = false;  // every trigger comes as often as `min_gap` allows
    bool on_start = true;          // run what runs once at the start
  };
  // Keeps a reference: the queue must outlive it.
  Agenda(const timing::Queue& queue, Options options);

  // This job is never released.
  void leave_out(std::size_t job);

  // The next instant at which something is released, or may be tried again; never for none.
  [[nodiscard]] Duration next_instant(Duration now) const;
  [[nodiscard]] Duration next_release() const {
    return calendar_.empty() ? never : calendar_.top().at;
  }
  // Lets the earliest release happen, at most until `now`. Returns a job that failed at once
  // because its device is parked.
  std::optional<std::size_t> admit_next(Duration now);
  // The trigger of this job came.
  void trigger(std::size_t job, Duration now);

  // Release of the next job that waits; nothing if none does.
  [[nodiscard]] std::optional<Duration> waits_since() const {
    if (waiting_.empty()) return std::nullopt;
    return waiting_.front().at;
  }
  // Since when a continuous job may run; nothing if none may by `now`.
  [[nodiscard]] std::optional<Duration> continuous_since(Duration now) const;

  struct Turn {
    std::size_t job = 0;
    Duration release{};
    bool parked = false;  // fails at once
    bool trial = false;   // its device is parked: one try
  };
  // Takes the next job that waits. One must wait.
  [[nodiscard]] Turn take_waiting(Duration now);
  // Takes the next continuous job, in turns. One must be able to run.
  [[nodiscard]] Turn take_continuous(Duration now);
  // The end of what was taken. A continuous job that was not sent is taken again at `again_at`.
  void finished(std::size_t job, Duration release, Duration end, Ending ending,
                Duration again_at = {});

  // Releases that came while the previous one waited or ran, per job.
  [[nodiscard]] const std::vector<std::uint64_t>& missed() const { return missed_; }
  [[nodiscard]] const timing::Queue& queue() const { return *queue_; }

 private:
  struct Release {
    Duration at;
    std::size_t job;
    friend bool operator>(const Release& a, const Release& b) {
      return a.at != b.at ? a.at > b.at : a.job > b.job;
    }
  };
  struct JobState {
    bool left_out = false;
    bool scheduled = false;  // stands in the calendar, waits or runs
    bool running = false;
    bool kept = false;      // a trigger came meanwhile
    Duration not_before{};  // of a continuous one
    std::optional<Duration> last_release;
  };
  // One device as this master sees it.
  struct Parking {
    std::int64_t failures = 0;  // in a row
    Duration next_try = never;  // never: not parked
    std::optional<std::size_t> trial;
  };
  [[nodiscard]] bool may_park(std::size_t job) const;
  // False where it fails at once.
  bool enter(std::size_t job, Duration when);
  void come_back(std::size_t job, Duration release, Duration end);
  // Since when a continuous job that does not run may run again; never while its trial is under
  // way.
  [[nodiscard]] Duration runnable_at(std::size_t job) const;
  void remember(std::size_t job, Duration end, Ending ending);

  const timing::Queue* queue_;
  Options options_;
  std::vector<JobState> jobs_;
  std::vector<std::uint64_t> missed_;
  std::vector<std::size_t> continuous_;
  std::size_t next_continuous_ = 0;
  std::priority_queue<Release, std::vector<Release>, std::greater<>> calendar_;
  std::vector<Release> waiting_;  // in the order of release
  std::size_t after_ = 0;         // order = "list": the round goes on here
  std::map<std::size_t, Parking> parking_;
};

}  // namespace greymet::engine
