#include "model/exchange.h"

#include <algorithm>

#include "model/ip_address.h"
#include "model/resolved_plan.h"

namespace greymet::model {
namespace {

template <class T>
std::optional<T> optional_of(const Declared<T>& declared) {
  return declared ? std::optional<T>(declared->value) : std::nullopt;
}

Unit unit_of(std::int64_t number) {
  return {static_cast<std::uint16_t>(number)};
}

ExchangeLine effective(const Line& line) {
  ExchangeLine out;
  out.name = line.name;
  out.port = optional_of(line.port);
  out.medium = value_or(line.medium, Medium::rs485);
  out.mode = optional_of(line.settings.mode);
  out.baud = optional_of(line.settings.baud);
  out.format = optional_of(line.settings.format);
  out.timeout = value_or(line.timeout, defaults::serial_timeout);
  out.retries = value_or(line.retries, defaults::serial_retries);
  out.pause = value_or(line.pause, Duration{});
  out.turnaround = value_or(line.turnaround, defaults::turnaround);
  out.timeout_to = value_or(line.timeout_to, TimeoutTo::last);
  out.latency = value_or(line.latency, Delay{});
  out.character_gap = value_or(line.character_gap, 0.0);
  out.order = value_or(line.order, Order::due);
  out.park = optional_of(line.park);
  return out;
}

ExchangeGateway effective(const Gateway& gateway) {
  ExchangeGateway out;
  out.name = gateway.name;
  out.host = optional_of(gateway.host);
  out.port = value_or(gateway.port, defaults::tcp_port);
  out.timeout = value_or(gateway.timeout, defaults::tcp_timeout);
  out.retries = value_or(gateway.retries, defaults::tcp_retries);
  out.connections = optional_of(gateway.connections);
  out.in_flight = value_or(gateway.in_flight, defaults::in_flight);
  out.framing = value_or(gateway.framing, GatewayFraming::tcp);
  out.delay = value_or(gateway.delay, defaults::gateway_delay);
  out.rtt = value_or(gateway.rtt, defaults::rtt);
  return out;
}

Accepts accepts_of(const Slave& slave) {
  Accepts out;
  if (slave.functions) {
    out.functions.emplace();
    for (const auto& code : slave.functions->value) out.functions->push_back(code.value);
  }
  const auto lower = [](std::int64_t& limit, const Declared<std::int64_t>& declared) {
    if (declared) limit = std::clamp<std::int64_t>(declared->value, 1, limit);
  };
  lower(out.most_read, slave.max_read);
  lower(out.most_write, slave.max_write);
  lower(out.most_read_bits, slave.max_read_bits);
  lower(out.most_write_bits, slave.max_write_bits);
  return out;
}

ExchangeSlave effective(const Slave& slave) {
  ExchangeSlave out;
  out.name = slave.name;
  out.host = optional_of(slave.host);
  out.port = value_or(slave.port, defaults::tcp_port);
  out.timeout = value_or(slave.timeout, defaults::tcp_timeout);
  out.retries = value_or(slave.retries, defaults::tcp_retries);
  out.connect_timeout = value_or(slave.connect_timeout, out.timeout);
  out.retransmission = value_or(slave.retransmission, Duration{});
  out.rtt = value_or(slave.rtt, defaults::rtt);
  out.connect = value_or(slave.connect, Connect::keep);
  out.routed = value_or(slave.routed, false);
  out.in_flight = value_or(slave.in_flight, defaults::in_flight);
  if (slave.unit) {
    out.unit = unit_of(slave.unit->value);
  } else if (slave.host) {
    out.unit = unit_of(defaults::tcp_unit);
  }
  out.reply = value_or(slave.reply, defaults::slave_reply);
  out.default_reply = !slave.reply;
  // a request may come just after it looked
  const Duration scans = value_or(slave.scans, Duration{});
  out.reply.typical += scans / 2;
  out.reply.max += scans;
  out.character_gap = value_or(slave.character_gap, 0.0);
  out.pause = value_or(slave.pause, Duration{});
  out.unit_load = value_or(slave.unit_load, defaults::unit_load);
  out.numbering = value_or(slave.numbering, Numbering::from_0);
  out.map_covers = value_or(slave.map_covers, MapCovers::some);
  out.holes = value_or(slave.holes, Holes::unknown);
  out.watchdog_by = value_or(slave.watchdog_by, WatchdogBy::any);
  out.accepts = accepts_of(slave);
  return out;
}

ExchangeAnswer effective(const Answer& answer, std::optional<LineIndex> line) {
  ExchangeAnswer out;
  out.line = line;
  out.on_line = answer.line.has_value();
  out.port = value_or(answer.port, defaults::tcp_port);
  out.timeout = value_or(answer.timeout, defaults::tcp_timeout);
  out.retries = value_or(answer.retries, defaults::tcp_retries);
  if (answer.unit) {
    out.unit = unit_of(answer.unit->value);
  } else if (!answer.line) {
    out.unit = unit_of(defaults::tcp_unit);
  }
  out.connections = optional_of(answer.connections);
  return out;
}

ExchangeController effective(const Controller& controller) {
  ExchangeController out;
  out.name = controller.name;
  out.scan = value_or(controller.scan, Duration{});
  out.sends = value_or(controller.sends, Sends::anytime);
  out.router = value_or(controller.router, false);
  out.aligns32 = controller.model && value_or(controller.model->align32, false);
  out.in_flight = optional_of(controller.in_flight);
  return out;
}

// What depends on who answers, wherever it is.
void add_target(const Exchange& exchange, const Target& target, Endpoint& out) {
  if (target.is_peer) {
    // a controller answers with its program: after one scan, at worst after two
    const ExchangeController& peer = exchange.controllers[target.index];
    const ExchangeAnswer& answer = peer.answers[target.answer];
    out.reply = {peer.scan, 2 * peer.scan};
    out.unit = answer.unit;
    out.rtt = defaults::rtt;
    out.timeout = answer.timeout;
    out.retries = answer.retries;
    out.connect_timeout = answer.timeout;
    return;
  }
  const ExchangeSlave& slave = exchange.slaves[target.index];
  out.reply = slave.reply;
  out.default_reply = slave.default_reply;
  out.character_gap = slave.character_gap;
  out.pause = slave.pause;
  out.unit = slave.unit;
  out.rtt = slave.rtt;
  out.timeout = slave.timeout;
  out.retries = slave.retries;
  out.connect_timeout = slave.connect_timeout;
  out.retransmission = slave.retransmission;
  out.in_flight = slave.in_flight;
  if (slave.connect == Connect::each) out.connect = slave.rtt;
}

bool is_whole(const ResolvedTransaction& t) {
  if (!t.function || !t.target || !t.channel || !t.controller || !t.trigger) return false;
  if (reads(*t.function) && !t.read) return false;
  return !writes(*t.function) || t.write.has_value();
}

}  // namespace

std::string_view to_string(TriggerKind kind) {
  switch (kind) {
    case TriggerKind::cyclic: return "cyclic";
    case TriggerKind::continuous: return "continuous";
    case TriggerKind::on_bit: return "bit";
    case TriggerKind::on_change: return "change";
    case TriggerKind::on_start: return "start";
    case TriggerKind::on_return: return "return";
  }
  return {};
}

std::string_view to_string(StatusKind kind) {
  switch (kind) {
    case StatusKind::busy: return "busy";
    case StatusKind::done: return "done";
    case StatusKind::failed: return "failed";
    case StatusKind::exception: return "exception";
  }
  return {};
}

bool Accepts::implements(std::int64_t function) const {
  return !functions ||
         std::find(functions->begin(), functions->end(), function) != functions->end();
}

std::int64_t Accepts::most(Area area, bool is_read) const {
  if (is_bit_area(area)) return is_read ? most_read_bits : most_write_bits;
  return is_read ? most_read : most_write;
}

const ExchangeTransaction* Exchange::find(std::size_t transaction) const {
  const auto at = std::lower_bound(
      transactions.begin(), transactions.end(), transaction,
      [](const ExchangeTransaction& t, std::size_t wanted) { return t.transaction < wanted; });
  return at != transactions.end() && at->transaction == transaction ? &*at : nullptr;
}

Exchange effective_network(const ResolvedPlan& resolved) {
  const Plan& plan = resolved.plan;
  Exchange out;
  for (std::size_t c = 0; c < plan.controllers.size(); ++c) {
    out.controllers.push_back(effective(plan.controllers[c]));
    const auto& answers = plan.controllers[c].answers;
    for (std::size_t a = 0; a < answers.size(); ++a) {
      out.controllers.back().answers.push_back(effective(answers[a], resolved.answer_lines[c][a]));
    }
  }
  for (std::size_t l = 0; l < plan.lines.size(); ++l) {
    out.lines.push_back(effective(plan.lines[l]));
    out.lines.back().master = resolved.line_master[l];
    out.lines.back().via = resolved.line_gateway[l];
  }
  for (const Gateway& gateway : plan.gateways) out.gateways.push_back(effective(gateway));
  for (std::size_t s = 0; s < plan.slaves.size(); ++s) {
    out.slaves.push_back(effective(plan.slaves[s]));
    out.slaves.back().line = resolved.slave_line[s];
  }
  return out;
}

Endpoint effective_endpoint(const Exchange& exchange, const Target& target,
                            std::optional<LineIndex> line,
                            std::optional<ConnectionIndex> connection) {
  Endpoint out;
  out.line = line;
  out.connection = connection;
  add_target(exchange, target, out);
  if (connection) {
    out.host = exchange.connections[*connection].host;
    out.port = exchange.connections[*connection].port;
  }
  if (!line) return out;
  const ExchangeLine& serial = exchange.lines[*line];
  out.connect = {};
  out.in_flight = 1;
  out.broadcast = out.unit == Unit{0};
  out.timeout = serial.timeout;
  out.retries = serial.retries;
  out.park = serial.park;
  out.framing = serial.mode == SerialMode::ascii ? Framing::ascii : Framing::rtu;
  if (!connection || !serial.via) return out;
  const ExchangeGateway& gateway = exchange.gateways[*serial.via];
  out.gateway = serial.via;
  out.translated = gateway.framing == GatewayFraming::tcp;
  out.framing = out.translated ? Framing::tcp : Framing::rtu;
  out.timeout = gateway.timeout;
  out.retries = gateway.retries;
  out.connect_timeout = gateway.timeout;
  out.rtt = gateway.rtt;
  out.delay = gateway.delay;
  out.in_flight = gateway.in_flight;
  return out;
}

void add_transactions_and_heartbeats(const ResolvedPlan& resolved, Exchange& exchange) {
  exchange.transactions.reserve(resolved.transactions.size());
  for (std::size_t i = 0; i < resolved.transactions.size(); ++i) {
    const ResolvedTransaction& t = resolved.transactions[i];
    if (!is_whole(t)) continue;
    const Transaction& declared = resolved.declared(t);
    exchange.transactions.push_back(
        {i, declared.name, *t.controller, *t.target,
         effective_endpoint(exchange, *t.target, t.channel->line, t.channel->connection),
         *t.function, t.read, t.write, t.into, t.from, *t.trigger, t.gate, t.status,
         optional_of(declared.on_loss), optional_of(declared.packing), t.relays, t.read_swap,
         t.write_swap});
  }
  for (const ResolvedHeartbeat& h : resolved.heartbeats) {
    const Heartbeat& declared = resolved.plan.heartbeats[h.declared];
    exchange.heartbeats.push_back(
        {declared.name, h.from, h.to, h.bit, h.seen, value_or(declared.toggle, Duration{}),
         value_or(declared.watch, Duration{}), value_or(declared.react, Duration{}),
         value_or(declared.lost, std::int64_t{0}), optional_of(declared.on_loss)});
  }
}

}  // namespace greymet::model
