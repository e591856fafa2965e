#include "stall_watch.h"

#include <algorithm>

namespace greymet::timing::internal {
namespace {

struct Places {
  std::int64_t held = 0;
  std::int64_t stuck = 0;  // of these, by requests that only silent devices are in the way of
  [[nodiscard]] bool all_stuck(std::int64_t places) const {
    return held >= places && stuck == held;
  }
};

bool is_stuck(const QueueState& state, const UnderWay& request,
              const std::map<std::size_t, LineState>& lines) {
  if (!request.on_line) return request.lost;
  const auto line = lines.find(*state.queue->line);
  return line != lines.end() && line->second.lost.running > 0;
}

Places places_of(const QueueState& state, const std::map<std::size_t, LineState>& lines,
                 Nanoseconds now) {
  Places places;
  if (now < state.freed.until) places = {state.freed.all, state.freed.stuck};
  for (const std::uint32_t job : state.now_running) {
    ++places.held;
    if (is_stuck(state, state.under_way[job], lines)) ++places.stuck;
  }
  return places;
}

}  // namespace

void StallWatch::free_place(QueueState& state, bool lost, Nanoseconds now) {
  const Nanoseconds until = round_up(now, state.queue->scan.count());
  if (state.freed.until != until) state.freed = {until, 0, 0};
  ++state.freed.all;
  if (!lost) return;
  ++state.freed.stuck;
  --lost_under_way_;
  lost_until_ = std::max(lost_until_, until);
}

void StallWatch::judge(std::vector<QueueState>& states,
                       const std::map<std::size_t, LineState>& lines, Nanoseconds now) {
  if (lost_under_way_ == 0 && now > lost_until_ && !any_stalled_) return;
  any_stalled_ = false;
  std::map<std::size_t, Places> of_controller;
  std::vector<Places> of_queue;
  for (const QueueState& state : states) {
    of_queue.push_back(places_of(state, lines, now));
    if (limits_.find(state.queue->controller) == limits_.end()) continue;
    Places& sum = of_controller[state.queue->controller];
    sum.held += of_queue.back().held;
    sum.stuck += of_queue.back().stuck;
  }
  for (std::size_t q = 0; q < states.size(); ++q) {
    const std::size_t controller = states[q].queue->controller;
    const auto limit = limits_.find(controller);
    const bool stalled =
        of_queue[q].all_stuck(states[q].queue->in_flight) ||
        (limit != limits_.end() && of_controller[controller].all_stuck(limit->second));
    states[q].stalled.become(stalled, now);
    any_stalled_ = any_stalled_ || stalled;
  }
}

}  // namespace greymet::timing::internal
