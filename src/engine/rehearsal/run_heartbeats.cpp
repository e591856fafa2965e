#include "engine/run_heartbeats.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/value_trace.h"

namespace greymet::engine {

namespace {

// Whether the exchange of a run brings a heartbeat to its consumer.
class Carried {
 public:
  Carried(const model::ResolvedPlan& plan, const std::vector<bool>& here,
          const HeartbeatRoles& roles)
      : plan_(plan), here_(here), roles_(roles) {}

  // The bit of the program here is what the way begins with, and not that of another device that
  // plays the same controller.
  [[nodiscard]] bool begins_here(const model::ExchangeHeartbeat& beat) const {
    if (!beat.from || !here_[*beat.from]) return false;
    if (roles_.answers) return true;
    const auto& all = plan_.exchange.transactions;
    return std::none_of(all.begin(), all.end(), [&](const model::ExchangeTransaction& t) {
      return t.target.is_peer && t.target.index == *beat.from && t.read;
    });
  }

  // Empty where it does, else why not.
  [[nodiscard]] std::string why_not(const model::ExchangeHeartbeat& beat) const {
    if (!beat.to) return "nobody watches it";
    if (!here_[*beat.to]) {
      return fmt::format("{} is not run here", plan_.exchange.controllers[*beat.to].name);
    }
    if (!beat.from || !beat.bit) return "the plan does not say which bit it is";
    const auto places =
        model::trace_value(plan_, model::memory_place(*beat.from, beat.bit->bits), std::nullopt);
    for (const model::TracedPlace& place : places) {
      if (!place.before || !place.place.at_controller || place.place.owner != *beat.to) continue;
      if (beat.seen && place.place != model::memory_place(*beat.to, beat.seen->bits)) continue;
      return why_not_along(places, place);
    }
    return "not carried to who watches it";
  }

 private:
  [[nodiscard]] std::string why_not_along(const std::vector<model::TracedPlace>& places,
                                          const model::TracedPlace& last) const {
    for (const model::TracedPlace* at = &last; at->before; at = &places[*at->before]) {
      const model::ValueMove& by = at->by;
      if (by.kind != model::MoveKind::write) continue;
      const std::string name = plan_.move_name(by.kind, by.index);
      if (by.to_controller && here_[by.receiver] && !roles_.answers) {
        return fmt::format("{} writes it to {}, which does not answer here (--answer)", name,
                           plan_.exchange.controllers[by.receiver].name);
      }
      if (!here_[by.controller]) continue;
      if (!roles_.writes) return fmt::format("{} is not sent (--allow-writes)", name);
      const model::ExchangeTransaction* t = plan_.exchange.find(by.index);
      if (t != nullptr && t->endpoint.broadcast && !roles_.broadcasts) {
        return fmt::format("{} is not sent (--allow-broadcast)", name);
      }
    }
    return {};
  }

  const model::ResolvedPlan& plan_;
  const std::vector<bool>& here_;
  const HeartbeatRoles& roles_;
};

}  // namespace

RunHeartbeats::RunHeartbeats(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                             const HeartbeatRoles& roles)
    : here_(plan.layouts.size(), roles.controllers.empty()) {
  for (const std::size_t c : roles.controllers) here_[c] = true;
  const Carried carried(plan, here_, roles);
  const auto& heartbeats = plan.exchange.heartbeats;
  for (std::size_t h = 0; h < heartbeats.size(); ++h) {
    RunHeartbeat state;
    state.heartbeat = h;
    state.not_watched = carried.why_not(heartbeats[h]);
    measures_way_.push_back(carried.begins_here(heartbeats[h]));
    if (h < report.heartbeats.size()) state.latest_alarm = report.heartbeats[h].latest_alarm;
    states_.push_back(std::move(state));
  }
}

void RunHeartbeats::look(const std::vector<Program>& programs) {
  std::vector<std::optional<Duration>> toggled(states_.size());
  for (std::size_t c = 0; c < programs.size(); ++c) {
    if (!here_[c]) continue;
    for (const ProducedBeat& beat : programs[c].produced()) {
      states_[beat.heartbeat].produced = beat.changes;
      if (beat.changes > 0) toggled[beat.heartbeat] = beat.last_change;
    }
  }
  for (std::size_t c = 0; c < programs.size(); ++c) {
    if (!here_[c]) continue;
    for (const HeartbeatWatch& watch : programs[c].watched()) {
      RunHeartbeat& state = states_[watch.heartbeat];
      if (!state.not_watched.empty()) continue;
      const bool is_new = watch.toggles_seen > state.changes_seen;
      state.changes_seen = watch.toggles_seen;
      if (watch.longest_gap > Duration{}) state.longest_gap = watch.longest_gap;
      state.alarm = watch.alarm;
      const auto& since = toggled[watch.heartbeat];
      if (is_new && measures_way_[watch.heartbeat] && since && *since <= watch.last_change) {
        const Duration way = watch.last_change - *since;
        state.longest_way = std::max(state.longest_way.value_or(Duration{}), way);
      }
    }
    std::vector<std::uint64_t> alarms(states_.size());
    for (const AlarmEvent& event : programs[c].alarms()) {
      RunHeartbeat& state = states_[event.heartbeat];
      if (!event.alarm || !state.not_watched.empty()) continue;
      state.alarms = ++alarms[event.heartbeat];
      if (!state.first_alarm) state.first_alarm = event.at;
    }
  }
}

}  // namespace greymet::engine
