#include "engine/master.h"

#include <algorithm>
#include <utility>

#include "engine/stage.h"

namespace greymet::engine {

using model::TriggerKind;

std::string_view to_string(Outcome outcome) {
  switch (outcome) {
    case Outcome::good: return "good";
    case Outcome::exception: return "exception";
    case Outcome::timeout: return "timeout";
    case Outcome::bad: return "bad";
    case Outcome::left_out: return "left-out";
    case Outcome::dropped: return "dropped";
    case Outcome::unfinished: return "unfinished";
  }
  return "";
}

std::string_view to_string(Cause cause) {
  switch (cause) {
    case Cause::none: return "";
    case Cause::refused: return "connection refused";
    case Cause::unreachable: return "nobody takes the connection";
    case Cause::closed: return "connection closed before it answered";
    case Cause::no_reply: return "no reply";
    case Cause::broken_frame: return "broken frames";
    case Cause::other_answer: return "answers to other questions";
    case Cause::ambiguous: return "an answer that may be an earlier one's";
    case Cause::parked: return "parked";
    case Cause::late_answer_due: return "an earlier answer may still come";
    case Cause::not_allowed: return "not allowed";
    case Cause::no_value: return "values that nobody stated";
    case Cause::ended: return "everything ended first";
  }
  return "";
}

namespace {

std::vector<MasterLink> links_of(const model::ResolvedPlan& plan, const timing::TimingModel& timing,
                                 model::ControllerIndex controller, MasterContext& context) {
  std::vector<MasterLink> out;
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    if (timing.queues[q].controller != controller) continue;
    out.emplace_back(plan, timing.queues[q], q, context);
  }
  return out;
}

}  // namespace

Master::Master(const model::ResolvedPlan& plan, const timing::TimingModel& timing,
               model::ControllerIndex controller, ControllerMemory& memory,
               const MasterOptions& options)
    : controller_(controller),
      context_(new MasterContext{memory,
                                 options,
                                 plan.exchange.controllers[controller].request_grid(),
                                 Places(timing.in_flight_limit[controller],
                                        plan.exchange.controllers[controller].request_grid()),
                                 false,
                                 {},
                                 {},
                                 {}}),
      links_(links_of(plan, timing, controller, *context_)),
      wakes_(links_.size()),
      ready_(links_.size()),
      ready_continuous_(links_.size()) {
  for (std::size_t l = 0; l < links_.size(); ++l) {
    told(l, Duration{});
    const auto& jobs = links_[l].jobs();
    for (std::size_t j = 0; j < jobs.size(); ++j) {
      const TriggerKind kind = jobs[j].transaction->trigger.kind;
      if (kind != TriggerKind::on_bit && kind != TriggerKind::on_change) continue;
      triggers_.push_back({l, j, false, false, {}});
    }
  }
}

std::size_t Master::position_of(std::size_t index) const {
  const auto at = std::lower_bound(
      links_.begin(), links_.end(), index,
      [](const MasterLink& link, std::size_t wanted) { return link.index() < wanted; });
  return static_cast<std::size_t>(at - links_.begin());
}

void Master::told(std::size_t position, Duration now) {
  touched_.push_back(position);
  wakes_.set(position, links_[position].next_wake(now));
}

void Master::receive(Duration now, std::size_t link, modbus::ByteView bytes) {
  const std::size_t at = position_of(link);
  links_[at].receive(now, bytes);
  told(at, now);
}
void Master::connected(Duration now, std::size_t link) {
  const std::size_t at = position_of(link);
  links_[at].connected(now);
  told(at, now);
}
void Master::refused(Duration now, std::size_t link, Cause cause) {
  const std::size_t at = position_of(link);
  links_[at].refused(now, cause);
  told(at, now);
}
void Master::closed(Duration now, std::size_t link) {
  const std::size_t at = position_of(link);
  links_[at].closed(now);
  told(at, now);
}

std::size_t Master::under_way() const {
  std::size_t count = 0;
  for (const MasterLink& link : links_) count += link.under_way();
  return count;
}

std::vector<RequestRecord> Master::take_records() {
  return std::exchange(context_->records, {});
}

std::vector<OddWire> odd_wires(const std::vector<Master>& masters) {
  std::vector<OddWire> out;
  for (const Master& master : masters) {
    for (const MasterLink& link : master.links()) {
      if (link.oddities().total() == 0) continue;
      out.push_back({link.queue().name, link.oddities()});
    }
  }
  return out;
}
std::uint64_t total_of(const std::vector<OddWire>& wires) {
  std::uint64_t total = 0;
  for (const OddWire& wire : wires) total += wire.counts.total();
  return total;
}

void Master::stop() {
  context_->stopped = true;
  for (std::size_t l = 0; l < links_.size(); ++l) {
    touched_.push_back(l);
    wakes_.set(l, Duration{});
  }
}

void Master::abandon(Duration now) {
  for (MasterLink& link : links_) link.abandon(now);
}

// ---------------------------------------------------------------- an act

void Master::act(Duration now, std::vector<MasterAction>& actions) {
  wakes_.due(now, touched_);
  act_on_touched(now);
  deliver_due(now);
  look_for_triggers(now);
  act_on_touched(now);
  for (const std::size_t l : touched_) note_ready(l, now);
  if (!context_->stopped) dispatch(now);
  for (const std::size_t l : touched_) wakes_.set(l, links_[l].next_wake(now));
  touched_.clear();
  for (MasterAction& action : context_->actions) actions.push_back(std::move(action));
  context_->actions.clear();
}

// In the order of the plan, whoever was touched first.
void Master::act_on_touched(Duration now) {
  std::sort(touched_.begin(), touched_.end());
  touched_.erase(std::unique(touched_.begin(), touched_.end()), touched_.end());
  for (const std::size_t l : touched_) links_[l].act(now);
}

Duration Master::next_wake() const {
  Duration next = wakes_.earliest();
  if (!context_->deliveries.empty()) next = std::min(next, context_->deliveries.begin()->first);
  const bool wait = ready_.wait_for_places() || ready_continuous_.wait_for_places();
  if (wait && !context_->stopped) next = std::min(next, context_->places.open_at());
  return next;
}

void Master::deliver_due(Duration now) {
  auto& deliveries = context_->deliveries;
  while (!deliveries.empty() && deliveries.begin()->first <= now) {
    const MasterContext::Delivery& delivery = deliveries.begin()->second;
    deliver(*delivery.job, delivery.reply, context_->memory);
    deliveries.erase(deliveries.begin());
  }
}

void Master::look_for_triggers(Duration now) {
  const ControllerMemory& memory = context_->memory;
  if (context_->options.triggers_always || memory.revision() == looked_at_revision_) return;
  looked_at_revision_ = memory.revision();
  for (TriggerWatch& watch : triggers_) {
    if (!has_come(watch)) continue;
    links_[watch.link].trigger(watch.job, now);
    touched_.push_back(watch.link);
  }
}

bool Master::has_come(TriggerWatch& watch) {
  const ControllerMemory& memory = context_->memory;
  const PlannedJob& job = links_[watch.link].jobs()[watch.job];
  const model::Trigger& trigger = job.transaction->trigger;
  if (trigger.kind == TriggerKind::on_bit) {
    if (!trigger.bit) return false;
    const BitSequence bit = memory.sequence(*trigger.bit);
    const bool set = memory.bit(bit.store, bit.first);
    const bool was_set = std::exchange(watch.bit_was_set, set);
    return set && !was_set;
  }
  if (!job.from) return false;
  const std::size_t registers = (job.from->count + model::bits_per_word - 1) / model::bits_per_word;
  auto words = memory.registers(*job.from, registers);
  // where only known values are sent, the first that is known is a change
  const bool becomes_known = context_->options.only_known_values && memory.known(*job.from) &&
                             !std::exchange(watch.was_known, true);
  const bool changed = becomes_known || (watch.last_words && *watch.last_words != words);
  watch.last_words = std::move(words);
  return changed;
}

// ---------------------------------------------------------------- who goes next

void Master::Ready::set(std::size_t link, std::optional<Duration> since, bool takes_places) {
  if (since_[link] == since) return;
  Order& order = takes_places ? for_places_ : free_;
  if (since_[link]) order.erase({*since_[link], link});
  if (since) order.emplace(*since, link);
  since_[link] = since;
}

std::optional<std::size_t> Master::Ready::next(bool places_open) const {
  const bool open = places_open && !for_places_.empty();
  if (free_.empty() && !open) return std::nullopt;
  if (free_.empty()) return for_places_.begin()->second;
  return open ? std::min(*free_.begin(), *for_places_.begin()).second : free_.begin()->second;
}

void Master::note_ready(std::size_t position, Duration now) {
  const MasterLink& link = links_[position];
  ready_.set(position, link.ready_since(false, now), link.takes_places());
  ready_continuous_.set(position, link.ready_since(true, now), link.takes_places());
}

void Master::dispatch(Duration now) {
  for (const bool continuous : {false, true}) {
    const Ready& ready = continuous ? ready_continuous_ : ready_;
    while (const auto next = ready.next(context_->places.open_at() <= now)) {
      links_[*next].start_next(continuous, now);
      touched_.push_back(*next);
      note_ready(*next, now);
    }
  }
}

}  // namespace greymet::engine
