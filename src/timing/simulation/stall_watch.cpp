#include "stall_watch.h"

#include <algorithm>
#include <iterator>

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

void StallWatch::add_queue(std::size_t controller, std::optional<std::int64_t> limit,
                           std::int64_t in_flight) {
  if (limit) limited_[controller].push_back(static_cast<std::uint32_t>(queues_.size()));
  queues_.push_back({controller, limit, in_flight});
}

void StallWatch::begin(std::uint32_t queue, bool lost) {
  busy_.insert(queue);
  if (lost) ++lost_under_way_;
}

void StallWatch::free_place(std::uint32_t queue, QueueState& state, bool lost, Nanoseconds now) {
  const Nanoseconds until = round_up(now, state.queue->scan.count());
  if (state.freed.until != until) state.freed = {until, 0, 0};
  ++state.freed.all;
  freed_.insert(queue);
  if (!lost) return;
  ++state.freed.stuck;
  --lost_under_way_;
  lost_until_ = std::max(lost_until_, until);
}

void StallWatch::judge(std::vector<QueueState>& states,
                       const std::map<std::size_t, LineState>& lines, Nanoseconds now) {
  std::erase_if(freed_, [&](std::uint32_t queue) { return states[queue].freed.until <= now; });
  const bool any_stalled = !own_.empty() || !controllers_.empty();
  if (lost_under_way_ == 0 && now > lost_until_ && !any_stalled) return;
  std::set<std::uint32_t> own;
  std::map<std::size_t, Places> of_controller;
  const auto look = [&](std::uint32_t queue) {
    const Places places = places_of(states[queue], lines, now);
    if (places.all_stuck(queues_[queue].in_flight)) own.insert(queue);
    if (!queues_[queue].limit) return;
    Places& sum = of_controller[queues_[queue].controller];
    sum.held += places.held;
    sum.stuck += places.stuck;
  };
  for (const std::uint32_t queue : busy_) look(queue);
  for (const std::uint32_t queue : freed_) {
    if (!busy_.contains(queue)) look(queue);
  }
  std::set<std::size_t> controllers;
  for (const auto& [controller, places] : of_controller) {
    if (places.all_stuck(*queues_[limited_.at(controller).front()].limit)) {
      controllers.insert(controller);
    }
  }
  // only those for whom something changes
  std::set<std::uint32_t> changed;
  std::set_symmetric_difference(own.begin(), own.end(), own_.begin(), own_.end(),
                                std::inserter(changed, changed.end()));
  std::vector<std::size_t> turned;
  std::set_symmetric_difference(controllers.begin(), controllers.end(), controllers_.begin(),
                                controllers_.end(), std::back_inserter(turned));
  for (const std::size_t controller : turned) {
    changed.insert(limited_.at(controller).begin(), limited_.at(controller).end());
  }
  own_ = std::move(own);
  controllers_ = std::move(controllers);
  for (const std::uint32_t queue : changed) states[queue].stalled.become(is_stalled(queue), now);
}

}  // namespace greymet::timing::internal
