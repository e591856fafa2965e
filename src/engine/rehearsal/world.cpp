#include "engine/world.h"

#include <algorithm>
#include <utility>

#include "engine/point_values.h"
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
      responder_(plan, field_, options_.faults),
      wires_(timing.queues.size()),
      delays_(options.durations, options.seed),
      wakes_(memories_.size()) {
  put_constants(plan, memories_);
  for (std::size_t c = 0; c < memories_.size(); ++c) {
    masters_.emplace_back(plan, timing, model::ControllerIndex(c), memories_[c], options.master);
    programs_.emplace_back(plan, model::ControllerIndex(c), memories_[c]);
  }
  touch();
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    wires_[q].controller = timing.queues[q].controller;
    transactions_.emplace_back();
    for (const timing::Job& job : timing.queues[q].jobs) {
      transactions_.back().push_back(plan.exchange.find(job.transaction));
    }
    if (timing.queues[q].kind != QueueKind::tcp || timing.queues[q].jobs.empty()) continue;
    const model::Target& target = transaction(q, 0).target;
    connections_[{target.is_peer, target.index}].push_back(q);
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

void World::push(Event event) {
  events_.push_back(std::move(event));
  std::push_heap(events_.begin(), events_.end(), Later());
}

void World::push(Duration at, Kind kind, std::size_t link, std::size_t job) {
  Event event;
  event.at = at;
  event.kind = kind;
  event.link = link;
  event.job = job;
  event.order = order_++;
  event.epoch = kind == Kind::restart ? scripts_ : wires_[link].epoch;
  push(std::move(event));
}

void World::follow(const Event& cause, Duration at, Kind kind, modbus::Bytes bytes) {
  Event event;
  event.at = at;
  event.kind = kind;
  event.link = cause.link;
  event.job = cause.job;
  event.order = order_++;
  event.epoch = cause.epoch;
  event.turn = cause.turn;
  event.bytes = std::move(bytes);
  push(std::move(event));
}

void World::set_off(const MasterAction& action, Duration at, Kind kind) {
  Event event;
  event.link = action.link;
  event.job = action.job;
  event.epoch = wires_[action.link].epoch;
  event.turn = action.turn;
  follow(event, at, kind, action.bytes);
}

void World::touch() {
  for (std::size_t c = 0; c < memories_.size(); ++c) called_.push_back(c);
}

void World::run_until(Duration until, const Finished& finished) {
  while (true) {
    const Duration first = events_.empty() ? never : events_.front().at;
    const Duration next = called_.empty() ? std::min(first, wakes_.earliest()) : now_;
    if (next > until || stopped()) break;
    now_ = std::max(now_, next);
    while (!events_.empty() && events_.front().at <= now_) {
      std::pop_heap(events_.begin(), events_.end(), Later());
      Event event = std::move(events_.back());
      events_.pop_back();
      called_.push_back(wires_[event.link].controller);
      handle(std::move(event));
    }
    wakes_.due(now_, called_);
    std::vector<std::size_t> acting = std::exchange(called_, {});
    std::sort(acting.begin(), acting.end());
    acting.erase(std::unique(acting.begin(), acting.end()), acting.end());
    for (const std::size_t controller : acting) attend(controller, finished);
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
  if (options_.programs) programs_[c].act(now_);
  std::vector<MasterAction> actions;
  masters_[c].act(now_, actions);
  carry_out(actions);
  for (const RequestRecord& record : masters_[c].take_records()) finished(record);
  // the program sees what the master has put there
  const Duration program = options_.programs ? programs_[c].next_wake(now_) : never;
  wakes_.set(c, std::min(masters_[c].next_wake(), program));
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
  const auto at = connections_.find({fault.is_peer, fault.index});
  if (at == connections_.end()) return;
  for (const std::size_t link : at->second) push(now_, Kind::dropped, link, 0);
}

std::optional<modbus::Frame> World::frame_of(const modbus::Bytes& bytes,
                                             modbus::Framing framing) const {
  auto frame = modbus::decode_frame(bytes, framing);
  if (!frame || frame->pdu.empty()) return std::nullopt;
  return *frame;
}

Question World::question(const Event& event, const modbus::Frame& frame, Duration faults) const {
  const model::Endpoint& to = transaction(event.link, event.job).endpoint;
  return {frame, event.bytes, to.framing, event.at, faults, to.timeout};
}

void World::carry_out(const std::vector<MasterAction>& actions) {
  for (const MasterAction& action : actions) {
    const model::ExchangeTransaction& t = transaction(action.link, action.job);
    switch (action.kind) {
      case MasterAction::Kind::close: ++wires_[action.link].epoch; break;
      case MasterAction::Kind::connect: {
        const Effects effects = options_.faults.at(t.target, faults_at(action.turn, now_));
        if (effects.refuse && !t.endpoint.gateway) {
          set_off(action, now_ + t.endpoint.rtt.typical, Kind::refused);
        } else {
          const model::Delay& connect = t.endpoint.connect;
          set_off(action, now_ + delays_.draw({}, connect.typical, connect.max), Kind::connected);
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
  switch (queue.kind) {
    case QueueKind::serial: {
      const timing::SerialParts& serial = *times.serial;
      const Duration sent = delays_.draw(serial.request, serial.latency_typical + serial.request,
                                         serial.request_longest());
      set_off(action, now_ + sent, Kind::to_slave);
      break;
    }
    case QueueKind::tcp: {
      const timing::NetworkParts& net = *times.network;
      const model::Delay& connect = t.endpoint.connect;
      const Duration out =
          delays_.draw({}, net.out_typical - connect.typical, net.out_longest - connect.max);
      set_off(action, now_ + out, Kind::to_slave);
      break;
    }
    case QueueKind::gateway: send_through_gateway(action, times); break;
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
  const Question asked = question(event, *request, faults_at(event.turn, event.at));
  if (t.endpoint.broadcast) {
    if (queue.line) responder_.tell_all(asked, *queue.line);
    return;
  }
  const auto target = queue.kind == QueueKind::serial
                          ? field_.on_line(*queue.line, request->unit)
                          : field_.at_host(t.endpoint.host, t.endpoint.port, request->unit);
  if (!target) return;
  FaultyReply reply = responder_.answer(asked, *target, delays_.random());
  if (target->is_peer) called_.push_back(target->index);
  for (modbus::Bytes& first : reply.first) {
    follow(event, event.at, Kind::to_master, std::move(first));
  }
  if (reply.drop && queue.kind == QueueKind::tcp) follow(event, event.at, Kind::dropped);
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
  follow(event, at, Kind::to_master, std::move(reply.reply));
}

// ---------------------------------------------------------------- behind a gateway

void World::send_through_gateway(const MasterAction& action, const TransactionTimes& times) {
  const timing::NetworkParts& net = *times.network;
  const model::Target& target = transaction(action.link, action.job).target;
  const bool silent = options_.faults.at(target, faults_at(action.turn, now_)).silent;
  const Duration out = silent ? timing::failure_times(times).before
                              : delays_.draw({}, net.out_typical, net.out_longest);
  Wire& wire = wires_[action.link];
  wire.last_arrival = std::max(wire.last_arrival, now_ + out);
  set_off(action, wire.last_arrival, Kind::line_arrival);
}

// First come, first served.
void World::begin_on_line(SharedLine& line, Duration at) {
  if (line.busy || line.arrivals.empty()) return;
  line.busy = true;
  Event event = std::move(line.arrivals.front());
  line.arrivals.pop_front();
  const TransactionTimes& times = timing_.queues[event.link].jobs[event.job].times;
  const timing::SerialParts& serial = *times.serial;
  const model::ExchangeTransaction& t = transaction(event.link, event.job);
  event.turn = faults_at(event.turn, at);  // those of the beginning
  const Effects effects = options_.faults.at(t.target, event.turn);
  const timing::FailureTimes failure = timing::failure_times(times);
  // a gateway that translates tries by itself; else the line is the master's for one try
  const Duration in_vain = t.endpoint.answered_for ? failure.tries * failure.each
                           : t.endpoint.translated ? times.silent_gateway->on_line
                                                   : failure.each;
  Duration busy = effects.silent
                      ? in_vain
                      : delays_.draw(serial.shortest(), serial.typical(), serial.longest());
  if (effects.exception && !effects.silent) busy = std::min(busy, serial.exception_longest());
  event.at = at + busy;
  event.kind = Kind::line_end;
  push(std::move(event));
}

void World::end_on_line(const Event& event) {
  const timing::Queue& queue = timing_.queues[event.link];
  SharedLine& line = shared_[*queue.line];
  line.busy = false;
  const model::Endpoint& to = transaction(event.link, event.job).endpoint;
  const TransactionTimes& times = queue.jobs[event.job].times;
  if (const auto request = frame_of(event.bytes, to.framing)) {
    Duration back = delays_.draw({}, times.network->back_typical, times.network->back_longest);
    Responder::FromLine from = responder_.answer_from_line(
        question(event, *request, event.turn), queue.line, to.answered_for, delays_.random());
    if (!from.in_time) back = timing::failure_times(times).after;
    if (const auto target = field_.on_line(*queue.line, request->unit); target && target->is_peer) {
      called_.push_back(target->index);
    }
    if (!from.reply.reply.empty()) {
      follow(event, event.at + back + from.reply.later, Kind::to_master,
             std::move(from.reply.reply));
    }
  }
  begin_on_line(line, event.at);
}

}  // namespace greymet::engine
