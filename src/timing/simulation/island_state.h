// What the general simulator keeps of a queue and of a line. Not for use outside this folder.
#pragma once

#include <cstdint>
#include <deque>
#include <utility>
#include <vector>

#include "fault_state.h"
#include "simulation_internal.h"

namespace greymet::timing::internal {

// One request under way.
struct UnderWay {
  Nanoseconds release = 0;
  Nanoseconds start = 0;
  Nanoseconds line_start = 0;
  Nanoseconds line_time = 0;  // that it will take on the line
  Nanoseconds back = 0;       // from the line's end to completion
  Outcome outcome;
  Nanoseconds stalled = 0;       // while it waited in its queue
  Nanoseconds lost_on_line = 0;  // of the line at its arrival there
  bool on_line = false;          // behind a gateway: stands at the line, or is served there
  bool lost = false;             // its device is faulty, and it fails
};

// Time spent on faulty devices, as a running sum.
struct LostTime {
  Nanoseconds ended = 0;    // by services that have ended
  Nanoseconds since = 0;    // start of those under way, summed
  Nanoseconds running = 0;  // how many are under way
  [[nodiscard]] Nanoseconds until(Nanoseconds now) const { return ended + running * now - since; }
  void begin(Nanoseconds now) {
    ++running;
    since += now;
  }
  void finish(Nanoseconds start, Nanoseconds now) {
    --running;
    since -= start;
    ended += now - start;
  }
};

// Places that are free only when the controller may send again, and how many of them were held by
// tries in vain.
struct FreedPlaces {
  Nanoseconds until = 0;
  std::int64_t all = 0;
  std::int64_t stuck = 0;
};

// How long the requests that wait in a queue were stalled (timing/stalls.h), as a running sum.
struct StalledTime {
  Nanoseconds ended = 0;
  Nanoseconds since = never;  // never: not now
  [[nodiscard]] Nanoseconds until(Nanoseconds now) const {
    return since == never ? ended : ended + now - since;
  }
  void become(bool stalled, Nanoseconds now) {
    ended = until(now);
    since = stalled ? now : never;
  }
};

// One queue while it is simulated.
struct QueueState {
  const Queue* queue = nullptr;
  WaitingJobs waiting;
  std::vector<JobRecorder> recorders;
  std::vector<std::uint32_t> continuous;
  std::size_t next_continuous = 0;
  std::vector<bool> running;  // per job
  std::vector<std::uint32_t> now_running;
  std::vector<UnderWay> under_way;
  std::vector<bool> watched;
  FreedPlaces freed;
  StalledTime stalled;
  std::vector<Nanoseconds> stalled_at_release;
  std::vector<bool> on_return_due;
  std::int64_t in_flight = 0;
  Nanoseconds last_arrival = 0;  // at the gateway's line: a connection keeps its order
  Nanoseconds trial_asked = -1;
  QueueStatistics result;
};

// A line behind gateways.
struct LineState {
  bool busy = false;
  LostTime lost;
  std::deque<std::pair<std::uint32_t, std::uint32_t>> arrivals;  // queue, job
};

}  // namespace greymet::timing::internal
