#include "engine/program.h"

#include <algorithm>

#include "model/value_trace.h"

namespace greymet::engine {

namespace {

// Where the consumer looks: where the plan says, else where the exchange brings the bit first.
std::optional<BitSequence> where_seen(const model::ResolvedPlan& plan,
                                      const model::ExchangeHeartbeat& heartbeat,
                                      const ControllerMemory& memory) {
  if (heartbeat.seen) return memory.sequence(*heartbeat.seen);
  if (!heartbeat.from || !heartbeat.bit || !heartbeat.to) return std::nullopt;
  const auto start = model::memory_place(*heartbeat.from, heartbeat.bit->bits);
  for (const model::TracedPlace& at : model::trace_value(plan, start, std::nullopt)) {
    if (!at.place.at_controller || at.place.owner != *heartbeat.to) continue;
    return BitSequence{at.place.bits.store, at.place.bits.first, 1, model::bits_per_word};
  }
  return std::nullopt;
}

}  // namespace

Program::Program(const model::ResolvedPlan& plan, model::ControllerIndex controller,
                 ControllerMemory& memory)
    : plan_(plan), memory_(memory), scan_(plan.exchange.controllers[controller].scan) {
  const auto& heartbeats = plan.exchange.heartbeats;
  for (std::size_t h = 0; h < heartbeats.size(); ++h) {
    const model::ExchangeHeartbeat& heartbeat = heartbeats[h];
    if (heartbeat.from == controller && heartbeat.bit && heartbeat.toggle > Duration{}) {
      produced_.push_back({memory.sequence(*heartbeat.bit), heartbeat.toggle, heartbeat.toggle});
      beats_.push_back({h, 0, {}});
    }
    if (heartbeat.to != controller) continue;
    if (const auto seen = where_seen(plan, heartbeat, memory)) {
      HeartbeatWatch watch;
      watch.heartbeat = h;
      watched_.push_back(watch);
      seen_.push_back(*seen);
    }
  }
  for (const model::ResolvedCopy& copy : plan.copies) {
    if (copy.controller != controller || !copy.from || !copy.to) continue;
    copies_.push_back({memory.sequence(*copy.from), memory.sequence(*copy.to)});
  }
}

Duration Program::next_wake(Duration now) const {
  Duration next = changed_at_ == never && memory_.revision() != scanned_revision_
                      ? round_up(now, scan_)
                      : round_up(changed_at_, scan_);
  for (const Produced& beat : produced_) next = std::min(next, round_up(beat.next, scan_));
  for (const HeartbeatWatch& watch : watched_) {
    if (watch.alarm) continue;
    const Duration limit = plan_.exchange.heartbeats[watch.heartbeat].watch;
    if (limit > Duration{})
      next = std::min(next, round_up(watch.last_change + limit + Duration(1), scan_));
  }
  return next;
}

void Program::act(Duration now) {
  if (memory_.revision() != scanned_revision_ && changed_at_ == never) changed_at_ = now;
  const bool due = next_wake(now) <= now;
  if (!due) return;
  for (std::size_t i = 0; i < produced_.size(); ++i) {
    Produced& beat = produced_[i];
    while (round_up(beat.next, scan_) <= now) {
      if (!heartbeats_stopped_) {
        const bool bit = memory_.bit(beat.bit.store, beat.bit.first);
        memory_.set_bit(beat.bit.store, beat.bit.first, !bit);
        ++beats_[i].changes;
        beats_[i].last_change = now;
      }
      beat.next += beat.toggle;
    }
  }
  copy_all();
  watch(now);
  changed_at_ = never;
  scanned_revision_ = memory_.revision();
}

void Program::copy_all() {
  for (const Copied& copy : copies_) memory_.copy(copy.from, copy.to);
}

void Program::watch(Duration now) {
  for (std::size_t i = 0; i < watched_.size(); ++i) {
    HeartbeatWatch& watch = watched_[i];
    const bool value = memory_.bit(seen_[i].store, seen_[i].first);
    const Duration limit = plan_.exchange.heartbeats[watch.heartbeat].watch;
    if (value != watch.last_value) {
      if (watch.toggles_seen > 0) {
        watch.longest_gap = std::max(watch.longest_gap, now - watch.last_change);
      }
      ++watch.toggles_seen;
      watch.last_value = value;
      watch.last_change = now;
      if (watch.alarm) alarms_.push_back({watch.heartbeat, now, false});
      watch.alarm = false;
    } else if (!watch.alarm && limit > Duration{} && now > watch.last_change + limit) {
      watch.alarm = true;
      alarms_.push_back({watch.heartbeat, now, true});
    }
  }
}

}  // namespace greymet::engine
