// The fourth act of a rehearsal: producers stop, and consumers have to notice in time.
#include <algorithm>
#include <map>

#include "rehearsal_internal.h"

namespace greymet::engine::internal {

using model::ControllerIndex;
using std::chrono::seconds;

namespace {

// Producers that stop at the same time.
using Turn = std::vector<ControllerIndex>;

template <typename Heartbeats>
std::vector<Turn> turns_of(const Heartbeats& of_producer) {
  std::vector<Turn> turns;
  for (const auto& [producer, heartbeats] : of_producer) {
    if (turns.empty() || turns.back().size() >= at_a_time(of_producer.size())) turns.emplace_back();
    turns.back().push_back(producer);
  }
  return turns;
}

class HeartbeatRehearsal {
 public:
  HeartbeatRehearsal(const model::ResolvedPlan& plan, Stage& stage, const Finished& finished)
      : plan_(plan), stage_(stage), finished_(finished) {}

  void run(std::vector<RehearsedHeartbeat>& heartbeats) {
    std::map<ControllerIndex, std::vector<RehearsedHeartbeat*>> of_producer;
    for (RehearsedHeartbeat& each : heartbeats) {
      const model::ExchangeHeartbeat& beat = plan_.exchange.heartbeats[each.heartbeat];
      if (beat.from && beat.to && each.watched) of_producer[*beat.from].push_back(&each);
    }
    for (const Turn& turn : turns_of(of_producer)) {
      std::vector<RehearsedHeartbeat*> beats;
      for (const ControllerIndex each : turn) {
        beats.insert(beats.end(), of_producer[each].begin(), of_producer[each].end());
      }
      if (stage_.stopped()) return;
      stop(turn, true);
      wait_for(beats, true, &RehearsedHeartbeat::alarm);
      stop(turn, false);
      stage_.touch();
      wait_for(beats, false, &RehearsedHeartbeat::cleared);
      for (RehearsedHeartbeat* beat : beats) {
        beat->good = beat->alarm && beat->cleared && beat->false_alarms == 0 &&
                     (!beat->latest_alarm || *beat->alarm <= *beat->latest_alarm);
      }
    }
  }

 private:
  void stop(const Turn& producers, bool stopped) {
    for (const ControllerIndex each : producers) {
      stage_.programs()[each].stop_heartbeats(stopped);
    }
  }

  [[nodiscard]] Duration patience_for(const RehearsedHeartbeat& beat) const {
    const Duration watch = plan_.exchange.heartbeats[beat.heartbeat].watch;
    return beat.latest_alarm.value_or(3 * watch) + seconds(1);
  }

  // Until every consumer has raised its alarm, or taken it back, or is too late.
  void wait_for(const std::vector<RehearsedHeartbeat*>& beats, bool alarm,
                std::optional<Duration> RehearsedHeartbeat::*seen_after) {
    const Duration since = stage_.now();
    std::map<std::size_t, RehearsedHeartbeat*> open;
    std::map<ControllerIndex, std::size_t> consumers;  // with the events looked at
    Duration until = since;
    for (RehearsedHeartbeat* beat : beats) {
      open[beat->heartbeat] = beat;
      consumers[*plan_.exchange.heartbeats[beat->heartbeat].to] = 0;
      until = std::max(until, since + patience_for(*beat));
    }
    constexpr Duration slice = std::chrono::milliseconds(20);
    while (!open.empty() && !stage_.stopped() && stage_.now() < until) {
      stage_.run_until(stage_.now() + slice, finished_);
      for (auto& [consumer, looked_at] : consumers) {
        const auto& events = stage_.programs()[consumer].alarms();
        for (; looked_at < events.size(); ++looked_at) {
          const AlarmEvent& event = events[looked_at];
          const auto at = open.find(event.heartbeat);
          if (at == open.end() || event.alarm != alarm || event.at < since) continue;
          at->second->*seen_after = event.at - since;  // too late or not: the verdict tells
          open.erase(at);
        }
      }
    }
  }

  const model::ResolvedPlan& plan_;
  Stage& stage_;
  const Finished& finished_;
};

}  // namespace

std::vector<RehearsedHeartbeat> heartbeats_in_quiet(const model::ResolvedPlan& plan,
                                                    const timing::TimingReport& report,
                                                    const std::vector<Program>& programs) {
  std::vector<RehearsedHeartbeat> out(plan.exchange.heartbeats.size());
  for (std::size_t h = 0; h < out.size(); ++h) {
    out[h].heartbeat = h;
    out[h].watched = false;
    if (h < report.heartbeats.size()) out[h].latest_alarm = report.heartbeats[h].latest_alarm;
  }
  for (const Program& program : programs) {
    for (const HeartbeatWatch& watch : program.watched()) {
      out[watch.heartbeat].watched = true;
      out[watch.heartbeat].changes_seen = watch.toggles_seen;
      out[watch.heartbeat].longest_gap = watch.longest_gap;
    }
    for (const AlarmEvent& event : program.alarms()) {
      if (event.alarm) ++out[event.heartbeat].false_alarms;
    }
  }
  return out;
}

void rehearse_heartbeats(const model::ResolvedPlan& plan, Stage& stage, const Finished& finished,
                         std::vector<RehearsedHeartbeat>& heartbeats) {
  HeartbeatRehearsal(plan, stage, finished).run(heartbeats);
}

Duration length_of_heartbeats(const model::ResolvedPlan& plan, const timing::TimingReport& report) {
  std::map<ControllerIndex, Duration> of_producer;
  for (std::size_t h = 0; h < report.heartbeats.size(); ++h) {
    const auto& from = plan.exchange.heartbeats[h].from;
    if (!from) continue;
    Duration& longest = of_producer[*from];
    longest = std::max(longest, report.heartbeats[h].latest_alarm.value_or(Duration{}));
  }
  Duration length{};
  for (const Turn& turn : turns_of(of_producer)) {
    Duration longest{};
    for (const ControllerIndex each : turn) longest = std::max(longest, of_producer[each]);
    length += longest;
  }
  return length;
}

}  // namespace greymet::engine::internal
