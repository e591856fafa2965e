#include "engine/world.h"

#include <algorithm>

#include "timing/character.h"

namespace greymet::engine {

using timing::QueueKind;
using timing::TransactionTimes;

namespace {

std::vector<ControllerMemory> memories_of(const model::ResolvedPlan& plan) {
  std::vector<ControllerMemory> out;
  out.reserve(plan.layouts.size());
  for (const model::MemoryLayout& layout : plan.layouts) out.emplace_back(layout);
  return out;
}

}  // namespace

// Heaps keep the greatest on top: the greatest is the earliest.
bool World::Later::operator()(const Event& a, const Event& b) const {
  if (a.at != b.at) return a.at > b.at;
  if (a.kind != b.kind) return a.kind > b.kind;
  if (a.link != b.link) return a.link > b.link;
  // what meets at a gateway at the same nanosecond has no order of its own: that of the simulation
  if (a.kind == Kind::line_arrival && a.job != b.job) return a.job > b.job;
  return a.order > b.order;
}

World::World(const model::ResolvedPlan& plan, const timing::TimingModel& timing,
             const WorldOptions& options)
    : plan_(plan),
      timing_(timing),
      options_(options),
      memories_(memories_of(plan)),
      field_(plan, memories_, options.still),
      wires_(timing.queues.size()),
      delays_(options.durations, options.seed) {
  for (std::size_t c = 0; c < memories_.size(); ++c) {
    masters_.emplace_back(plan, timing, model::ControllerIndex(c), memories_[c], options.master);
    programs_.emplace_back(plan, model::ControllerIndex(c), memories_[c]);
  }
  attention_.resize(memories_.size());
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    wires_[q].controller = timing.queues[q].controller;
    transactions_.emplace_back();
    for (const timing::Job& job : timing.queues[q].jobs) {
      transactions_.back().push_back(plan.exchange.find(job.transaction));
    }
  }
  set_faults(options_.faults);
}

void World::set_faults(FaultScript script) {
  options_.faults = std::move(script);
  field_.set_restarts(options_.faults);
  ++scripts_;
  const auto& faults = options_.faults.rows();
  for (std::size_t f = 0; f < faults.size(); ++f) {
    if (faults[f].kind == FaultKind::restart) push(faults[f].at, Kind::restart, 0, f);
  }
}

Effects World::effects_of(const model::Target& target, Duration turn, Duration at) const {
  return options_.faults.at(target, options_.faults_by_request ? turn : at);
}

void World::push(Duration at, Kind kind, std::size_t link, std::size_t job, modbus::Bytes bytes,
                 Duration turn) {
  Event event;
  event.at = at;
  event.kind = kind;
  event.link = link;
  event.job = job;
  event.order = order_++;
  event.epoch = kind == Kind::restart ? scripts_ : wires_[link].epoch;
  event.bytes = std::move(bytes);
  event.turn = turn;
  events_.push_back(std::move(event));
  std::push_heap(events_.begin(), events_.end(), Later());
}

void World::touch() {
  for (Attention& each : attention_) each.now = true;
}

void World::run_until(Duration until, const Finished& finished) {
  while (true) {
    Duration next = events_.empty() ? never : events_.front().at;
    for (std::size_t c = 0; c < attention_.size(); ++c) {
      const Attention& each = attention_[c];
      const bool changed = each.now || memories_[c].revision() != each.revision;
      next = std::min(next, changed ? now_ : std::min(each.master_at, each.program_at));
    }
    if (next > until || stopped()) break;
    now_ = std::max(now_, next);
    while (!events_.empty() && events_.front().at <= now_) {
      std::pop_heap(events_.begin(), events_.end(), Later());
      Event event = std::move(events_.back());
      events_.pop_back();
      attention_[wires_[event.link].controller].now = true;
      handle(std::move(event));
    }
    for (std::size_t c = 0; c < attention_.size(); ++c) attend(c, finished);
  }
  if (!stopped()) now_ = std::max(now_, until);
}

void World::finish(const Finished& finished) {
  for (Master& master : masters_) master.stop();
  touch();
  const auto busy = [](const Master& master) { return master.under_way() > 0; };
  const Duration limit = now_ + longest_ending;
  while (!stopped() && now_ < limit && std::any_of(masters_.begin(), masters_.end(), busy)) {
    constexpr Duration step = std::chrono::milliseconds(100);
    run_until(std::min(limit, now_ + step), finished);
  }
  for (Master& master : masters_) {
    master.abandon(now_);
    for (const RequestRecord& record : master.take_records()) finished(record);
  }
}

// The program first: what it changes may set transactions off.
void World::attend(std::size_t c, const Finished& finished) {
  Attention& each = attention_[c];
  const bool changed = each.now || memories_[c].revision() != each.revision;
  if (!changed && std::min(each.master_at, each.program_at) > now_) return;
  each.now = false;
  if (options_.programs) programs_[c].act(now_);
  std::vector<MasterAction> actions;
  masters_[c].act(now_, actions);
  carry_out(actions);
  for (const RequestRecord& record : masters_[c].take_records()) finished(record);
  each.revision = memories_[c].revision();
  each.master_at = masters_[c].next_wake(now_);
  each.program_at = options_.programs ? programs_[c].next_wake(now_) : never;
}

void World::handle(Event event) {
  Master& master = masters_[wires_[event.link].controller];
  const bool stale = event.epoch != wires_[event.link].epoch;
  switch (event.kind) {
    case Kind::to_master:
      if (!stale) master.receive(event.at, event.link, event.bytes);
      break;
    case Kind::connected:
      if (!stale) master.connected(event.at, event.link);
      break;
    case Kind::refused:
      if (!stale) master.refused(event.at, event.link);
      break;
    case Kind::dropped:
      if (stale) break;
      ++wires_[event.link].epoch;
      master.closed(event.at, event.link);
      break;
    case Kind::line_end: end_on_line(event); break;
    case Kind::line_arrival: {
      SharedLine& line = shared_[*timing_.queues[event.link].line];
      const Duration at = event.at;
      line.arrivals.push_back(std::move(event));
      begin_on_line(line, at);
      break;
    }
    case Kind::to_slave: reach_slave(event); break;
    case Kind::restart:
      if (event.epoch == scripts_) restart_due(options_.faults.rows()[event.job]);
      break;
  }
}

void World::restart_due(const Fault& fault) {
  for (std::size_t q = 0; q < timing_.queues.size(); ++q) {
    const timing::Queue& queue = timing_.queues[q];
    if (queue.kind != QueueKind::tcp || queue.jobs.empty()) continue;
    const model::Target& target = transaction(q, 0).target;
    if (target.is_peer != fault.is_peer || target.index != fault.index) continue;
    push(now_, Kind::dropped, q, 0);
  }
}

std::optional<modbus::Frame> World::frame_of(const modbus::Bytes& bytes,
                                             modbus::Framing framing) const {
  auto frame = modbus::decode_frame(bytes, framing);
  if (!frame || frame->pdu.empty()) return std::nullopt;
  return *frame;
}

void World::carry_out(const std::vector<MasterAction>& actions) {
  for (const MasterAction& action : actions) {
    const model::ExchangeTransaction& t = transaction(action.link, action.job);
    switch (action.kind) {
      case MasterAction::Kind::close: ++wires_[action.link].epoch; break;
      case MasterAction::Kind::connect: {
        const Effects effects = effects_of(t.target, action.turn, now_);
        if (effects.refuse && !t.endpoint.gateway) {
          push(now_ + t.endpoint.rtt.typical, Kind::refused, action.link, action.job);
        } else {
          const model::Delay& connect = t.endpoint.connect;
          push(now_ + delays_.draw({}, connect.typical, connect.max), Kind::connected, action.link,
               action.job);
        }
        break;
      }
      case MasterAction::Kind::send: send(action); break;
    }
  }
}

void World::send(const MasterAction& action) {
  ++frames_sent_;
  const timing::Queue& queue = timing_.queues[action.link];
  const TransactionTimes& times = queue.jobs[action.job].times;
  const model::ExchangeTransaction& t = transaction(action.link, action.job);
  const Effects effects = effects_of(t.target, action.turn, now_);
  switch (queue.kind) {
    case QueueKind::serial: {
      const timing::SerialParts& serial = *times.serial;
      const Duration sent = delays_.draw(serial.request, serial.latency_typical + serial.request,
                                         serial.request_longest());
      push(now_ + sent, Kind::to_slave, action.link, action.job, action.bytes, action.turn);
      break;
    }
    case QueueKind::tcp: {
      const timing::NetworkParts& net = *times.network;
      const model::Delay& connect = t.endpoint.connect;
      push(
          now_ + delays_.draw({}, net.out_typical - connect.typical, net.out_longest - connect.max),
          Kind::to_slave, action.link, action.job, action.bytes, action.turn);
      break;
    }
    case QueueKind::gateway: send_through_gateway(action, times, effects); break;
  }
}

// ---------------------------------------------------------------- direct

void World::reach_slave(const Event& event) {
  const timing::Queue& queue = timing_.queues[event.link];
  const model::ExchangeTransaction& t = transaction(event.link, event.job);
  const TransactionTimes& times = queue.jobs[event.job].times;
  const modbus::Framing framing = t.endpoint.framing;
  const auto request = frame_of(event.bytes, framing);
  if (!request) return;
  if (t.endpoint.broadcast) {
    for (std::size_t s = 0; s < plan_.exchange.slaves.size(); ++s) {
      if (plan_.exchange.slaves[s].line != queue.line) continue;
      (void)field_.answer(event.at, {false, s, 0}, request->pdu);
    }
    return;
  }
  const auto target = queue.kind == QueueKind::serial
                          ? field_.on_line(*queue.line, request->unit)
                          : field_.at_host(t.endpoint.host, t.endpoint.port, request->unit);
  if (!target) return;
  const Effects effects = effects_of(*target, event.turn, event.at);
  // who is silent or refuses does nothing
  const bool idle = effects.silent || effects.exception;
  auto answer = idle ? std::optional<modbus::Bytes>(modbus::Bytes{})
                     : field_.answer(event.at, *target, request->pdu);
  if (!answer) return;
  const FaultyReply reply = make_reply(effects, *request, event.bytes, std::move(*answer), framing,
                                       t.endpoint.timeout, delays_.random());
  for (const modbus::Bytes& first : reply.first) {
    push(event.at, Kind::to_master, event.link, event.job, first);
  }
  if (reply.drop && queue.kind == QueueKind::tcp) {
    push(event.at, Kind::dropped, event.link, event.job);
  }
  if (reply.reply.empty()) return;
  Duration on_its_way{};
  if (queue.kind == QueueKind::serial) {
    const timing::SerialParts& serial = *times.serial;
    const auto characters = timing::character_timing(plan_.exchange.lines[*queue.line]);
    const bool refusal = reply.reply.size() == modbus::exception_length(framing);
    const Duration silence = refusal ? serial.exception_silence : serial.reply_silence;
    const Duration frame = characters->characters(static_cast<std::uint32_t>(reply.reply.size()));
    on_its_way = delays_.draw(serial.turnaround_shortest, serial.turnaround_typical,
                              serial.turnaround_longest) +
                 frame + delays_.draw({}, {}, silence);
  } else {
    const timing::NetworkParts& net = *times.network;
    on_its_way = delays_.draw(t.endpoint.reply.min, net.slave_typical - net.pause,
                              net.slave_longest - net.pause) +
                 delays_.draw({}, net.back_typical, net.back_longest);
  }
  Duration at = event.at + on_its_way + reply.later;
  if (queue.kind == QueueKind::serial && !target->is_peer) {
    Duration& last = wires_[event.link].last_reply[target->index];
    last = at = std::max(at, last);
  }
  push(at, Kind::to_master, event.link, event.job, reply.reply);
}

// ---------------------------------------------------------------- behind a gateway

void World::send_through_gateway(const MasterAction& action, const TransactionTimes& times,
                                 const Effects& effects) {
  const timing::NetworkParts& net = *times.network;
  const Duration out = effects.silent ? timing::failure_times(times).before
                                      : delays_.draw({}, net.out_typical, net.out_longest);
  Wire& wire = wires_[action.link];
  wire.last_arrival = std::max(wire.last_arrival, now_ + out);
  push(wire.last_arrival, Kind::line_arrival, action.link, action.job, action.bytes, action.turn);
}

// First come, first served.
void World::begin_on_line(SharedLine& line, Duration at) {
  if (line.busy || line.arrivals.empty()) return;
  line.busy = true;
  Event event = std::move(line.arrivals.front());
  line.arrivals.pop_front();
  const TransactionTimes& times = timing_.queues[event.link].jobs[event.job].times;
  const timing::SerialParts& serial = *times.serial;
  const Effects effects = effects_of(transaction(event.link, event.job).target, event.turn, at);
  const timing::FailureTimes failure = timing::failure_times(times);
  // a translating gateway tries by itself; a transparent one waits as long as one try of the master
  const std::int64_t tries =
      transaction(event.link, event.job).endpoint.translated ? failure.tries : 1;
  Duration busy = effects.silent
                      ? model::times(tries, failure.each)
                      : delays_.draw(serial.shortest(), serial.typical(), serial.longest());
  if (effects.exception && !effects.silent) busy = std::min(busy, serial.exception_longest());
  event.at = at + busy;
  event.kind = Kind::line_end;
  events_.push_back(std::move(event));
  std::push_heap(events_.begin(), events_.end(), Later());
}

void World::end_on_line(const Event& event) {
  const timing::Queue& queue = timing_.queues[event.link];
  SharedLine& line = shared_[*queue.line];
  line.busy = false;
  const model::ExchangeTransaction& t = transaction(event.link, event.job);
  const TransactionTimes& times = queue.jobs[event.job].times;
  const auto request = frame_of(event.bytes, t.endpoint.framing);
  const Effects effects = effects_of(t.target, event.turn, event.at);
  if (request && event.epoch == wires_[event.link].epoch) {
    const auto target = field_.on_line(*queue.line, request->unit);
    std::optional<modbus::Bytes> answer;
    if (target && effects.exception) answer.emplace();
    if (target && !effects.silent && !effects.exception) {
      answer = field_.answer(event.at, *target, request->pdu);
    }
    Duration back = delays_.draw({}, times.network->back_typical, times.network->back_longest);
    if (!answer && t.endpoint.translated) {
      const auto function = std::to_integer<std::uint8_t>(request->pdu[0]);
      answer = modbus::encode_exception(
          {function,
           static_cast<std::uint8_t>(modbus::ExceptionCode::gateway_target_failed_to_respond)});
      back = timing::failure_times(times).after;
    }
    if (answer) {
      Effects damage = effects;
      damage.silent = false;
      const FaultyReply reply =
          make_reply(damage, *request, event.bytes, std::move(*answer), t.endpoint.framing,
                     t.endpoint.timeout, delays_.random());
      if (!reply.reply.empty()) {
        push(event.at + back + reply.later, Kind::to_master, event.link, event.job, reply.reply);
      }
    }
  }
  begin_on_line(line, event.at);
}

}  // namespace greymet::engine
