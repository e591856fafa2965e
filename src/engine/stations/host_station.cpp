#include <algorithm>

#include "engine/station.h"
#include "modbus/frame_length.h"
#include "timing/transaction_times.h"

namespace greymet::engine {

HostStation::HostStation(const model::ResolvedPlan& plan, std::string host, std::int64_t port,
                         Field& field, const FaultScript& faults, const StationOptions& options)
    : plan_(plan),
      host_(std::move(host)),
      port_(port),
      field_(field),
      faults_(faults),
      responder_(plan, field, faults),
      options_(options),
      delays_(options.durations, options.seed * 31 + static_cast<std::uint64_t>(port)) {
  const auto& gateways = plan.exchange.gateways;
  for (std::size_t g = 0; g < gateways.size(); ++g) {
    if (gateways[g].host != host_ || gateways[g].port != port_) continue;
    gateway_ = model::GatewayIndex(g);
    most_sessions_ = gateways[g].connections;
    if (gateways[g].framing == model::GatewayFraming::rtu) framing_ = modbus::Framing::rtu;
  }
  // the delays of whoever answers, with or without a connection of the plan
  const auto& connections = plan.exchange.connections;
  for (std::size_t c = 0; c < connections.size() && !connection_; ++c) {
    if (connections[c].host == host_ && connections[c].port == port_) {
      connection_ = model::ConnectionIndex(c);
    }
  }
  const auto& lines = plan.exchange.lines;
  for (std::size_t l = 0; l < lines.size() && gateway_; ++l) {
    if (lines[l].via == gateway_) line_ = model::LineIndex(l);
  }
  const auto& slaves = plan.plan.slaves;
  for (std::size_t s = 0; s < slaves.size(); ++s) {
    const model::ExchangeSlave& slave = plan.exchange.slaves[s];
    if (slave.host != host_ || slave.port != port_) continue;
    if (slaves[s].connections) most_sessions_ = slaves[s].connections->value;
    if (slaves[s].idle) idle_ = slaves[s].idle->value;
  }
  if (const auto target = field.at_host(host_, port_, 0); target && target->is_peer) {
    most_sessions_ = plan.exchange.controllers[target->index].answers[target->answer].connections;
    const auto& allows = plan.plan.controllers[target->index].answers[target->answer].allows;
    if (allows) {
      for (const auto& address : allows->value) allowed_.push_back(address.value);
    }
  }
}

bool HostStation::concerns(const Fault& fault) const {
  if (!fault.is_peer) {
    const model::ExchangeSlave& slave = plan_.exchange.slaves[fault.index];
    return slave.host == host_ && slave.port == port_;
  }
  const auto target = field_.at_host(host_, port_, 0);
  return target && target->is_peer && target->index == fault.index;
}

bool HostStation::accept(Duration now, std::uint64_t session, std::string_view from) {
  const bool here = from.starts_with("127.") || from == "::1";
  if (!allowed_.empty() && !here &&
      std::find(allowed_.begin(), allowed_.end(), from) == allowed_.end()) {
    return false;
  }
  if (most_sessions_ && static_cast<std::int64_t>(sessions_.size()) >= *most_sessions_) {
    return false;
  }
  for (const Fault& fault : faults_.rows()) {
    const bool active = now >= fault.at && now < fault.until;
    if (fault.kind == FaultKind::refuse && active && concerns(fault)) return false;
  }
  Session& added = sessions_[session];
  added.receiver =
      std::make_unique<FrameReceiver>(framing_, modbus::Direction::request, options_.silence);
  added.last_request = now;
  return true;
}

void HostStation::closed(std::uint64_t session) {
  sessions_.erase(session);
  std::erase_if(outgoing_, [session](const Outgoing& each) { return each.session == session; });
}

bool HostStation::owes(std::uint64_t session) const {
  const auto of_session = [session](const auto& each) { return each.session == session; };
  return std::any_of(outgoing_.begin(), outgoing_.end(), of_session) ||
         std::any_of(arrivals_.begin(), arrivals_.end(), of_session);
}

void HostStation::receive(Duration now, std::uint64_t session, modbus::ByteView bytes) {
  const auto at = sessions_.find(session);
  if (at == sessions_.end()) return;
  at->second.last_request = now;
  Received received;
  at->second.receiver->receive(now, bytes, received);
  take(session, now, received);
}

void HostStation::take(std::uint64_t session, Duration now, const Received& received) {
  junk_ += received.junk.size();
  for (const ReceivedFrame& frame : received.frames) {
    ++heard_;
    if (frame.frame.pdu.empty()) continue;
    if (gateway_) {
      const model::ExchangeGateway& gateway = plan_.exchange.gateways[*gateway_];
      const Duration rtt = delays_.draw(gateway.rtt);
      const Duration out = rtt - rtt / 2 + delays_.draw(gateway.delay);
      arrivals_.push_back({frame.last_byte + out, session, frame});
    } else {
      answer(session, frame);
    }
  }
  if (sessions_.at(session).receiver->broken()) send({now, session, {}, true});
}

void HostStation::answer(std::uint64_t session, const ReceivedFrame& frame) {
  const Duration now = frame.last_byte;
  const auto target = field_.at_host(host_, port_, frame.frame.unit);
  if (!target) return;
  const model::Endpoint to =
      model::effective_endpoint(plan_.exchange, *target, std::nullopt, connection_);
  const Duration rtt = delays_.draw(to.rtt);
  const Duration reached = now + rtt - rtt / 2;
  FaultyReply out = responder_.answer({frame.frame, frame.raw, framing_, reached, now, to.timeout},
                                      *target, delays_.random());
  for (modbus::Bytes& first : out.first) send({now, session, std::move(first), false});
  if (out.drop) send({now, session, {}, true});
  if (out.reply.empty()) return;
  send({reached + delays_.draw(to.reply) + rtt / 2 + out.later, session, std::move(out.reply),
        false});
}

// Of a request with its reply on the line behind the gateway; nobody replies to a broadcast.
Duration HostStation::serial_time(const ReceivedFrame& frame, std::size_t reply_bytes) {
  const model::ExchangeLine& line = plan_.exchange.lines[*line_];
  const auto characters = timing::character_timing(line);
  const auto on_line = [&](std::size_t pdu) {
    const auto framing = characters->mode == model::SerialMode::ascii ? modbus::Framing::ascii
                                                                      : modbus::Framing::rtu;
    return characters->characters(
        modbus::framed_length(static_cast<std::uint32_t>(pdu + 3), framing));
  };
  const Duration request = on_line(frame.frame.pdu.size());
  const auto target = field_.on_line(*line_, frame.frame.unit);
  if (!target) return request + std::max(characters->frame_gap(), line.pause);
  const model::Endpoint to =
      model::effective_endpoint(plan_.exchange, *target, line_, std::nullopt);
  const Duration gap = std::max({characters->frame_gap(), line.pause, to.pause});
  return request + std::max(delays_.draw(to.reply), characters->frame_gap()) +
         on_line(reply_bytes) + gap;
}

// First come, first served: one request at a time.
void HostStation::serve_line(Duration now) {
  while (!arrivals_.empty() && std::max(arrivals_.front().arrival, line_free_) <= now) {
    const OnLine request = std::move(arrivals_.front());
    arrivals_.pop_front();
    answer_from_line(request, std::max(request.arrival, line_free_));
  }
}

void HostStation::answer_from_line(const OnLine& request, Duration begin) {
  const modbus::Frame& frame = request.frame.frame;
  const model::ExchangeGateway& gateway = plan_.exchange.gateways[*gateway_];
  const bool translated = framing_ == modbus::Framing::tcp;
  const Duration back = delays_.draw(gateway.rtt) / 2;
  Responder::FromLine from = responder_.answer_from_line(
      {frame, request.frame.raw, framing_, begin, begin, gateway.timeout}, line_,
      gateway.answers_for_silent(), delays_.random());
  Duration busy{};
  if (from.in_time && line_) {
    const std::size_t frame_around = modbus::framed_length(3, framing_);
    const std::size_t size = from.reply.reply.size();
    busy = serial_time(request.frame, size > frame_around ? size - frame_around : 0);
  } else if (line_) {
    const model::ExchangeLine& line = plan_.exchange.lines[*line_];
    busy = (translated ? 1 + line.retries : 1) * line.timeout;
  }
  line_free_ = begin + busy;
  if (from.reply.reply.empty()) return;
  send({line_free_ + back + from.reply.later, request.session, std::move(from.reply.reply), false});
}

void HostStation::send(Outgoing outgoing) {
  const auto at = sessions_.find(outgoing.session);
  if (at == sessions_.end()) return;
  if (gateway_) {  // a connection keeps its order
    at->second.last_reply = outgoing.at = std::max(outgoing.at, at->second.last_reply);
  }
  outgoing_.push_back(std::move(outgoing));
}

Duration HostStation::next_wake() const {
  Duration next = never;
  for (const Outgoing& each : outgoing_) next = std::min(next, each.at);
  if (!arrivals_.empty()) {
    next = std::min(next, std::max(arrivals_.front().arrival, line_free_));
  }
  for (const auto& [id, session] : sessions_) {
    if (const auto silence = session.receiver->silence_at()) next = std::min(next, *silence);
    if (idle_ > Duration{}) next = std::min(next, session.last_request + idle_);
  }
  for (const Fault& fault : faults_.rows()) {
    if (fault.kind == FaultKind::restart && fault.at > restarted_until_ && concerns(fault)) {
      next = std::min(next, fault.at);
    }
  }
  return next;
}

void HostStation::restarts(Duration now) {
  for (const Fault& fault : faults_.rows()) {
    const bool due = fault.kind == FaultKind::restart && fault.at > restarted_until_ &&
                     fault.at <= now && concerns(fault);
    if (!due) continue;
    for (const auto& [id, session] : sessions_) send({now, id, {}, true});
  }
  restarted_until_ = now;
}

void HostStation::act(Duration now, std::vector<StationAction>& actions) {
  restarts(now);
  for (auto& [id, session] : sessions_) {
    if (session.receiver->silence_at() && *session.receiver->silence_at() <= now) {
      Received received;
      session.receiver->look_at_silence(received);
      take(id, now, received);
    }
    if (idle_ > Duration{} && session.last_request + idle_ <= now) {
      send({now, id, {}, true});
      session.last_request = now;
    }
  }
  serve_line(now);
  std::stable_sort(outgoing_.begin(), outgoing_.end(),
                   [](const Outgoing& a, const Outgoing& b) { return a.at < b.at; });
  std::size_t done = 0;
  while (done < outgoing_.size() && outgoing_[done].at <= now) {
    Outgoing& each = outgoing_[done++];
    actions.push_back({each.close ? StationAction::Kind::close : StationAction::Kind::send,
                       each.session, std::move(each.bytes)});
  }
  outgoing_.erase(outgoing_.begin(), outgoing_.begin() + static_cast<std::ptrdiff_t>(done));
}

}  // namespace greymet::engine
