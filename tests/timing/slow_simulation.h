// The oracle of the event simulation: steps through time one unit at a time and follows the text of
// the timing model word by word. One queue, cyclic and continuous jobs, longest durations.
#pragma once

#include <optional>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::test {

// What happened to one job until the end.
struct SlowStatistics {
  std::uint64_t completed = 0;
  std::uint64_t missed = 0;
  std::int64_t response_max = 0;
};

inline std::vector<SlowStatistics> simulate_slowly(const timing::Queue& queue, std::int64_t end) {
  const std::size_t n = queue.jobs.size();
  std::vector<SlowStatistics> out(n);
  std::vector<std::optional<std::int64_t>> waiting(n);  // since when
  std::optional<std::size_t> running;
  std::int64_t running_until = 0;
  std::int64_t running_since_release = 0;
  std::size_t last_in_list = n - 1;  // last served, of those released
  std::size_t last_continuous = n - 1;
  for (std::int64_t now = 0; now < end || running; ++now) {
    // 1. what ends, ends first
    if (running && running_until == now) {
      SlowStatistics& s = out[*running];
      ++s.completed;
      s.response_max = std::max(s.response_max, now - running_since_release);
      running.reset();
    }
    if (now >= end) continue;  // let the last one finish, start nothing more
    // 2. releases
    for (std::size_t i = 0; i < n; ++i) {
      const timing::Job& j = queue.jobs[i];
      if (j.kind != model::TriggerKind::cyclic || now < j.phase.count()) continue;
      if ((now - j.phase.count()) % j.period.count() != 0) continue;
      if (waiting[i] || running == i) {
        ++out[i].missed;
      } else {
        waiting[i] = now;
      }
    }
    // 3. somebody starts, at a scan boundary only
    if (running || (queue.scan.count() > 0 && now % queue.scan.count() != 0)) continue;
    std::optional<std::size_t> next;
    for (std::size_t k = 0; k < n; ++k) {
      if (queue.order == model::Order::due) {
        if (waiting[k] && (!next || *waiting[k] < *waiting[*next])) next = k;
      } else {
        const std::size_t i = (last_in_list + 1 + k) % n;
        if (waiting[i] && !next) next = i;
      }
    }
    if (next) {
      running_since_release = *waiting[*next];
      waiting[*next].reset();
      last_in_list = *next;
    } else {
      for (std::size_t k = 0; k < n && !next; ++k) {
        const std::size_t i = (last_continuous + 1 + k) % n;
        if (queue.jobs[i].kind == model::TriggerKind::continuous) next = i;
      }
      if (!next) continue;
      last_continuous = *next;
      running_since_release = now;
    }
    running = next;
    running_until = now + queue.jobs[*next].times.longest.count();
  }
  return out;
}

}  // namespace greymet::test
