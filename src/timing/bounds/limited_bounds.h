// Responses where a controller limits its requests under way, whatever the phases. Not for use
// outside this folder; the proof is in docs/timing-model.md, "Bounds".
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <utility>
#include <vector>

#include "timing/timing_model.h"

namespace greymet::timing::internal {

// Services that may hold places at the same time, at most `places` of them at once.
class HeldGroup {
 public:
  HeldGroup(std::int64_t places, std::vector<Duration> times);

  // What they give in a stretch of that length: no service more than the stretch, nor all of them
  // more than their places. `left_out` is one of the times, or 0.
  [[nodiscard]] Duration within(Duration stretch, Duration left_out = {}) const;
  [[nodiscard]] Duration sum() const { return sums_.back(); }

 private:
  std::int64_t places_;
  std::vector<Duration> shortest_first_;
  std::vector<Duration> sums_;  // of the first so many
};

// The longest stretch in which `places` can be held by these all the time: the largest T with
// places x T <= the sum over the groups of what they give within T. `left_out` is one of the first
// group.
[[nodiscard]] Duration longest_held(const std::vector<const HeldGroup*>& groups,
                                    std::int64_t places, Duration left_out);

// All connections of one controller with a limit.
class LimitedController {
 public:
  // It has a limit.
  LimitedController(const TimingModel& timing, model::ControllerIndex controller);

  // `job` is a released one. Nothing where a connection goes round its list, or where this would
  // take too long.
  [[nodiscard]] std::optional<Duration> response(std::size_t queue, std::size_t job);
  // How long the job itself keeps its place: to a gateway with what stands before it at the line.
  [[nodiscard]] Duration service(std::size_t queue, std::size_t job) const;

 private:
  // From the first boundary until a service of so long a place begins.
  [[nodiscard]] Duration wait_of(std::size_t index, Duration held) const;

  struct Connection {
    std::size_t queue = 0;
    std::int64_t places = 1;
    std::vector<Duration> released;  // C'
    std::vector<Duration> begun;     // the longest continuous C' - s, as many as there are places
    std::vector<HeldGroup> group;    // one: of all of them
  };
  const TimingModel& timing_;
  std::vector<Connection> connections_;
  std::int64_t limit_;
  bool applies_ = true;
  std::map<std::pair<std::size_t, Duration>, Duration> waits_;  // known ones
};

}  // namespace greymet::timing::internal
