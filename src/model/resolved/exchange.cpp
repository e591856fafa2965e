#include "model/exchange.h"

#include <algorithm>

#include "model/ip_address.h"
#include "model/resolved_plan.h"
#include "model/usual_function.h"

namespace greymet::model {
namespace {

template <class T>
std::optional<T> optional_of(const Declared<T>& declared) {
  return declared ? std::optional<T>(declared->value) : std::nullopt;
}

Unit unit_of(std::int64_t number) {
  return {static_cast<std::uint16_t>(number)};
}

// Takes the facts of one owner.
class Taker {
 public:
  Taker(Ledger& ledger, FactOwner owner, std::size_t index, Range place, std::size_t part = 0)
      : ledger_(ledger), id_{FactKind::reply, owner, index, part}, place_(place) {}

  template <class T>
  T operator()(FactKind kind, const Declared<T>& declared, T fallback) {
    FactId id = id_;
    id.kind = kind;
    const T value = ledger_.take(id, declared, fallback, place_);
    if (ledger_.facts().back().basis == Basis::assumed) assumed_.add(kind);
    return value;
  }
  [[nodiscard]] const FactSet& assumed() const { return assumed_; }

 private:
  Ledger& ledger_;
  FactId id_;
  Range place_;
  FactSet assumed_;
};

ExchangeLine effective(const Line& line, Taker take, bool behind_gateway) {
  ExchangeLine out;
  out.name = line.name;
  out.port = optional_of(line.port);
  out.medium = value_or(line.medium, Medium::rs485);
  out.mode = optional_of(line.settings.mode);
  out.baud = optional_of(line.settings.baud);
  out.format = optional_of(line.settings.format);
  out.timeout = take(FactKind::timeout, line.timeout, defaults::serial_timeout);
  out.retries = take(FactKind::retries, line.retries, defaults::serial_retries);
  out.pause = take(FactKind::line_pause, line.pause, Duration{});
  out.turnaround = take(FactKind::turnaround, line.turnaround, defaults::turnaround);
  out.timeout_to = take(FactKind::timeout_to, line.timeout_to, TimeoutTo::last);
  out.character_gap = take(FactKind::character_gap, line.character_gap, 0.0);
  if (!behind_gateway) {
    out.latency = take(FactKind::latency, line.latency, Delay{});
    out.order = take(FactKind::order, line.order, Order::due);
  } else {
    out.latency = value_or(line.latency, Delay{});
    out.order = value_or(line.order, Order::due);
  }
  out.park = optional_of(line.park);
  out.assumed = take.assumed();
  return out;
}

ExchangeGateway effective(const Gateway& gateway, Taker take) {
  ExchangeGateway out;
  out.name = gateway.name;
  out.host = optional_of(gateway.host);
  out.port = value_or(gateway.port, defaults::tcp_port);
  out.timeout = take(FactKind::timeout, gateway.timeout, defaults::tcp_timeout);
  out.retries = take(FactKind::retries, gateway.retries, defaults::tcp_retries);
  out.connections = optional_of(gateway.connections);
  out.in_flight = take(FactKind::in_flight, gateway.in_flight, defaults::in_flight);
  out.framing = take(FactKind::framing, gateway.framing, GatewayFraming::tcp);
  if (out.framing == GatewayFraming::tcp) {
    out.on_silence = take(FactKind::on_silence, gateway.on_silence, OnSilence::nothing);
  }
  out.delay = take(FactKind::gateway_delay, gateway.delay, defaults::gateway_delay);
  out.rtt = take(FactKind::rtt, gateway.rtt, defaults::rtt);
  out.assumed = take.assumed();
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

// Of a slave on TCP; the same of a line's are the line's.
void add_network_facts(const Slave& slave, Taker& take, ExchangeSlave& out) {
  out.timeout = take(FactKind::timeout, slave.timeout, defaults::tcp_timeout);
  out.retries = take(FactKind::retries, slave.retries, defaults::tcp_retries);
  out.connect_timeout = take(FactKind::connect_timeout, slave.connect_timeout, out.timeout);
  out.retransmission = take(FactKind::retransmission, slave.retransmission, Duration{});
  out.rtt = take(FactKind::rtt, slave.rtt, defaults::rtt);
  out.connect = take(FactKind::connect, slave.connect, Connect::keep);
  out.in_flight = take(FactKind::in_flight, slave.in_flight, defaults::in_flight);
}

ExchangeSlave effective(const Slave& slave, Taker take) {
  ExchangeSlave out;
  out.name = slave.name;
  out.host = optional_of(slave.host);
  out.port = value_or(slave.port, defaults::tcp_port);
  if (slave.host && !slave.line) {
    add_network_facts(slave, take, out);
  } else {
    Ledger unused;
    Taker elsewhere(unused, FactOwner::slave, 0, slave.place);
    add_network_facts(slave, elsewhere, out);
  }
  out.routed = value_or(slave.routed, false);
  if (slave.unit) {
    out.unit = unit_of(slave.unit->value);
  } else if (slave.host) {
    out.unit = unit_of(defaults::tcp_unit);
  }
  out.reply = take(FactKind::reply, slave.reply, defaults::slave_reply);
  // a request may come just after it looked
  const Duration scans = take(FactKind::scans, slave.scans, Duration{});
  out.reply.typical += scans / 2;
  out.reply.max += scans;
  if (slave.line) out.character_gap = take(FactKind::character_gap, slave.character_gap, 0.0);
  out.pause = take(FactKind::slave_pause, slave.pause, Duration{});
  out.unit_load = value_or(slave.unit_load, defaults::unit_load);
  out.numbering = value_or(slave.numbering, Numbering::from_0);
  out.map_covers = value_or(slave.map_covers, MapCovers::some);
  out.holes = value_or(slave.holes, Holes::unknown);
  out.watchdog_by = value_or(slave.watchdog_by, WatchdogBy::any);
  out.accepts = accepts_of(slave);
  out.assumed = take.assumed();
  return out;
}

ExchangeAnswer effective(const Answer& answer, std::optional<LineIndex> line, Taker take) {
  ExchangeAnswer out;
  out.line = line;
  out.on_line = answer.line.has_value();
  out.port = value_or(answer.port, defaults::tcp_port);
  if (answer.line) {
    out.timeout = value_or(answer.timeout, defaults::tcp_timeout);
    out.retries = value_or(answer.retries, defaults::tcp_retries);
  } else {
    out.timeout = take(FactKind::timeout, answer.timeout, defaults::tcp_timeout);
    out.retries = take(FactKind::retries, answer.retries, defaults::tcp_retries);
    out.rtt = take(FactKind::rtt, answer.rtt, defaults::rtt);
  }
  if (answer.unit) {
    out.unit = unit_of(answer.unit->value);
  } else if (!answer.line) {
    out.unit = unit_of(defaults::tcp_unit);
  }
  out.connections = optional_of(answer.connections);
  out.assumed = take.assumed();
  return out;
}

ExchangeController effective(const Controller& controller, Taker take) {
  ExchangeController out;
  out.name = controller.name;
  out.scan = value_or(controller.scan, Duration{});
  out.sends = take(FactKind::sends, controller.sends, Sends::anytime);
  out.jitter = take(FactKind::jitter, controller.jitter, Duration{});
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
    out.rtt = answer.rtt;
    out.timeout = answer.timeout;
    out.retries = answer.retries;
    out.connect_timeout = answer.timeout;
    out.assumed = answer.assumed;
    return;
  }
  const ExchangeSlave& slave = exchange.slaves[target.index];
  out.reply = slave.reply;
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
  out.assumed = slave.assumed;
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

Exchange effective_network(const ResolvedPlan& resolved, const Overrides& instead) {
  const Plan& plan = resolved.plan;
  Exchange out;
  Overrides values = instead;  // what is tried goes before what was measured
  for (const auto& [id, fact] : plan.measured.facts) values.emplace(id, fact.value);
  Ledger ledger(values);
  for (std::size_t l = 0; l < plan.lines.size(); ++l) {
    const Line& line = plan.lines[l];
    out.lines.push_back(effective(line, Taker(ledger, FactOwner::line, l, line.place),
                                  resolved.line_gateway[l].has_value()));
    out.lines.back().master = resolved.line_master[l];
    out.lines.back().via = resolved.line_gateway[l];
  }
  for (std::size_t g = 0; g < plan.gateways.size(); ++g) {
    const Gateway& gateway = plan.gateways[g];
    out.gateways.push_back(effective(gateway, Taker(ledger, FactOwner::gateway, g, gateway.place)));
  }
  for (std::size_t s = 0; s < plan.slaves.size(); ++s) {
    const Slave& slave = plan.slaves[s];
    out.slaves.push_back(effective(slave, Taker(ledger, FactOwner::slave, s, slave.place)));
    out.slaves.back().line = resolved.slave_line[s];
  }
  for (std::size_t c = 0; c < plan.controllers.size(); ++c) {
    const Controller& controller = plan.controllers[c];
    out.controllers.push_back(
        effective(controller, Taker(ledger, FactOwner::controller, c, controller.place)));
    for (std::size_t a = 0; a < controller.answers.size(); ++a) {
      const Answer& answer = controller.answers[a];
      out.controllers.back().answers.push_back(
          effective(answer, resolved.answer_lines[c][a],
                    Taker(ledger, FactOwner::answer, c, answer.place, a)));
    }
  }
  ledger.close();
  out.ledger = std::move(ledger);
  return out;
}

Exchange with_facts(const ResolvedPlan& resolved, const Overrides& instead) {
  Exchange out = effective_network(resolved, instead);
  out.connections = resolved.exchange.connections;
  add_transactions_and_heartbeats(resolved, out);
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
  out.assumed.add(serial.assumed);
  out.framing = serial.mode == SerialMode::ascii ? Framing::ascii : Framing::rtu;
  if (!connection || !serial.via) return out;
  const ExchangeGateway& gateway = exchange.gateways[*serial.via];
  out.gateway = serial.via;
  out.translated = gateway.framing == GatewayFraming::tcp;
  out.answered_for = gateway.answers_for_silent();
  out.framing = out.translated ? Framing::tcp : Framing::rtu;
  out.timeout = gateway.timeout;
  out.retries = gateway.retries;
  out.connect_timeout = gateway.timeout;
  out.rtt = gateway.rtt;
  out.delay = gateway.delay;
  out.in_flight = gateway.in_flight;
  out.assumed.add(gateway.assumed);
  return out;
}

std::optional<BitRange> memory_of(const ResolvedPlan& resolved, const ExchangeTransaction& t,
                                  const SentConstant& constant) {
  if (!t.from || !t.write) return std::nullopt;
  const MemoryLayout& layout = resolved.layouts[t.controller];
  const bool bits = is_bit_area(t.write->area);
  const bool memory_of_bits = layout.controller().memory[t.from->area].kind == MemoryKind::bit;
  if (bits == memory_of_bits && !t.from->bit) {
    const auto range = layout.range(t.from->area, t.from->number + constant.first, constant.count);
    if (!range) return std::nullopt;
    BitRange out = range->bits;
    if (constant.bit) out = {out.store, out.first + *constant.bit, out.first + *constant.bit + 1};
    return out;
  }
  const std::uint64_t width = bits ? 1 : bits_per_word;  // packed
  BitRange out = t.from->bits;
  out.first += constant.first * width + constant.bit.value_or(0);
  out.end = out.first + (constant.bit ? 1 : constant.count * width);
  return out;
}

WordOrder order_in_memory(const ResolvedPlan& resolved, const ExchangeTransaction& t,
                          const SentConstant& constant) {
  const auto& own = resolved.plan.controllers[t.controller].word_order;
  return t.write_swap && own ? own->value : constant.order;
}

std::optional<FunctionCode> writing_function_of(const ExchangeSlave& slave, Area area,
                                                std::uint32_t count) {
  const auto single = writing_function(area, true);
  const auto several = writing_function(area, false);
  if (count > 1 || !single) return several;
  const auto has = [&](FunctionCode code) { return slave.accepts.implements(number_of(code)); };
  return has(*single) || !has(*several) ? single : several;
}

Endpoint endpoint_of_slave(const ResolvedPlan& resolved, std::size_t slave) {
  const Exchange& exchange = resolved.exchange;
  const ExchangeSlave& of = exchange.slaves[slave];
  auto host = of.host;
  std::int64_t port = of.port;
  if (of.line && exchange.lines[*of.line].via) {
    const ExchangeGateway& gateway = exchange.gateways[*exchange.lines[*of.line].via];
    host = gateway.host;
    port = gateway.port;
  }
  std::optional<ConnectionIndex> connection;
  for (std::size_t c = 0; c < exchange.connections.size() && host && !connection; ++c) {
    const Connection& each = exchange.connections[c];
    if (each.host == *host && each.port == port) connection = ConnectionIndex(c);
  }
  return effective_endpoint(exchange, Target{false, slave, 0}, of.line, connection);
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
         t.write_swap, t.constants});
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
