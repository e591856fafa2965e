#include "timing/transaction_times.h"

#include <algorithm>

#include "modbus/frame_length.h"

namespace greymet::timing {

using model::Delay;
using model::Line;
using model::ResolvedPlan;
using model::ResolvedTransaction;
using model::value_or;
namespace defaults = model::defaults;

namespace {

// What the target adds to a transaction, wherever it is.
struct TargetTimes {
  Delay reply;
  bool default_reply = false;
  Duration pause{};
};

TargetTimes times_of_target(const ResolvedPlan& resolved, const model::Target& target) {
  TargetTimes times;
  if (target.is_peer) {
    const Duration scan = value_or(resolved.plan.controllers[target.index].scan, Duration{});
    times.reply = {scan, 2 * scan};
    return times;
  }
  const model::Slave& slave = resolved.plan.slaves[target.index];
  times.reply = value_or(slave.reply, defaults::slave_reply);
  times.default_reply = !slave.reply;
  times.pause = value_or(slave.pause, Duration{});
  return times;
}

bool is_broadcast(const ResolvedPlan& resolved, const ResolvedTransaction& t) {
  if (!t.channel->line) return false;
  if (t.target->is_peer) {
    const auto& answers = resolved.plan.controllers[t.target->index].answers;
    return value_or(answers[t.target->answer].unit, std::int64_t{1}) == 0;
  }
  return value_or(resolved.plan.slaves[t.target->index].unit, std::int64_t{1}) == 0;
}

SerialParts serial_parts(const CharacterTiming& characters, const Line& line,
                         const ResolvedTransaction& t, const TargetTimes& target, bool broadcast) {
  const auto framing =
      characters.mode == model::SerialMode::rtu ? modbus::Framing::rtu : modbus::Framing::ascii;
  const std::uint32_t written = t.write ? t.write->quantity : 0;
  const std::uint32_t read = t.read ? t.read->quantity : 0;
  const Duration t35 = characters.frame_gap();
  SerialParts parts;
  parts.request = characters.characters(modbus::request_length(*t.function, written, framing));
  parts.gap = std::max({t35, value_or(line.pause, Duration{}), target.pause});
  if (broadcast) {
    // T_req + max(turnaround, gap): nothing is answered, everybody is given time to act.
    parts.gap = std::max(parts.gap, value_or(line.turnaround, defaults::turnaround));
    return parts;
  }
  parts.turnaround_shortest = t35;
  parts.turnaround_typical = std::max(target.reply.typical, t35);
  parts.turnaround_longest = std::max(target.reply.max, t35);
  parts.reply = characters.characters(modbus::reply_length(*t.function, read, framing));
  parts.exception_reply = characters.characters(modbus::exception_length(framing));
  return parts;
}

void fill_serial_line(const Line& line, bool broadcast, TransactionTimes& times) {
  const SerialParts& parts = *times.serial;
  times.shortest = parts.shortest();
  times.typical = parts.typical();
  times.longest = parts.longest();
  times.exception_longest = parts.longest() - parts.reply + parts.exception_reply;
  times.timeout = value_or(line.timeout, defaults::serial_timeout);
  times.retries = value_or(line.retries, defaults::serial_retries);
  times.failed_attempt = parts.request + times.timeout + parts.gap;
  if (!broadcast) times.silent = (1 + times.retries) * times.failed_attempt;
}

void fill_gateway(const model::Gateway& gateway, const Line& line, bool broadcast,
                  TransactionTimes& times) {
  fill_serial_line(line, broadcast, times);
  const Delay rtt = value_or(gateway.rtt, defaults::rtt);
  const Delay delay = value_or(gateway.delay, defaults::gateway_delay);
  NetworkParts net;
  net.back_typical = rtt.typical / 2;
  net.back_longest = rtt.max / 2;
  net.out_typical = rtt.typical - net.back_typical + delay.typical;
  net.out_longest = rtt.max - net.back_longest + delay.max;
  times.network = net;
  const Duration added = net.out_longest + net.back_longest;
  times.typical += net.out_typical + net.back_typical;
  times.longest += added;
  times.exception_longest += added;
  const Duration patience = value_or(gateway.timeout, defaults::tcp_timeout);
  const std::int64_t tries = 1 + value_or(gateway.retries, defaults::tcp_retries);
  const bool translates =
      value_or(gateway.framing, model::GatewayFraming::tcp) == model::GatewayFraming::tcp;
  if (!broadcast) {
    // A translating gateway answers exception 0B after its own tries, and that ends it. Whoever
    // gives up first, the master or the gateway, ends the wait.
    const Duration gateway_gives_up = added + (1 + times.retries) * times.failed_attempt;
    times.silent = translates ? std::min(gateway_gives_up, tries * patience) : tries * patience;
    times.failed_attempt = translates ? std::min(gateway_gives_up, patience) : patience;
  }
  if (!translates) {
    times.timeout_of_master = true;
    times.timeout = patience;
    times.retries = tries - 1;
  }
}

void fill_tcp(const ResolvedPlan& resolved, const ResolvedTransaction& t, const TargetTimes& target,
              TransactionTimes& times) {
  Delay rtt = defaults::rtt;
  times.timeout = defaults::tcp_timeout;
  times.retries = defaults::tcp_retries;
  Delay connect{};
  if (t.target->is_peer) {
    const auto& answer = resolved.plan.controllers[t.target->index].answers[t.target->answer];
    times.timeout = value_or(answer.timeout, times.timeout);
    times.retries = value_or(answer.retries, times.retries);
  } else {
    const model::Slave& slave = resolved.plan.slaves[t.target->index];
    rtt = value_or(slave.rtt, rtt);
    times.timeout = value_or(slave.timeout, times.timeout);
    times.retries = value_or(slave.retries, times.retries);
    if (value_or(slave.connect, model::Connect::keep) == model::Connect::each) connect = rtt;
  }
  NetworkParts net;
  net.back_typical = rtt.typical / 2;
  net.back_longest = rtt.max / 2;
  net.out_typical = rtt.typical - net.back_typical + connect.typical;
  net.out_longest = rtt.max - net.back_longest + connect.max;
  net.connect_longest = connect.max;
  net.slave_typical = target.reply.typical + target.pause;
  net.slave_longest = target.reply.max + target.pause;
  times.network = net;
  times.shortest = target.pause;
  times.typical = net.out_typical + net.slave_typical + net.back_typical;
  times.longest = net.out_longest + net.slave_longest + net.back_longest;
  times.exception_longest = times.longest;
  times.failed_attempt = times.timeout;
  times.silent = (1 + times.retries) * times.timeout;
}

bool has_what_it_needs(const ResolvedTransaction& t) {
  if (!t.function || !t.target || !t.channel || !t.controller) return false;
  if (model::reads(*t.function) && !t.read) return false;
  return !model::writes(*t.function) || t.write.has_value();
}

}  // namespace

std::optional<CharacterTiming> character_timing(const Line& line) {
  const model::SerialSettings& s = line.settings;
  if (!s.mode || !s.baud || !s.format) return std::nullopt;
  return CharacterTiming{s.mode->value, s.baud->value, s.format->value};
}

FailureTimes failure_times(const TransactionTimes& times) {
  FailureTimes out{{}, times.timeout, {}, 1 + times.retries};
  if (!times.serial || times.timeout_of_master) return out;
  out.each += times.serial->request + times.serial->gap;
  if (times.network) {
    out.before = times.network->out_longest;
    out.after = times.network->back_longest;
  }
  return out;
}

Duration longest_reply(const TransactionTimes& times) {
  if (!times.network) return times.serial->turnaround_longest + times.serial->reply;
  // without the pause behind it, and without the connect, which has a timeout of its own
  if (!times.serial) return times.longest - times.shortest - times.network->connect_longest;
  const Duration on_line = times.serial->turnaround_longest + times.serial->reply;
  // a transparent gateway leaves the timeout to the master, who waits for the request as well
  const bool transparent = times.timeout_of_master;
  return transparent ? times.network->out_longest + times.serial->request + on_line +
                           times.network->back_longest
                     : on_line;
}

std::optional<TransactionTimes> transaction_times(const ResolvedPlan& resolved,
                                                  const ResolvedTransaction& t) {
  if (!has_what_it_needs(t)) return std::nullopt;
  const TargetTimes target = times_of_target(resolved, *t.target);
  TransactionTimes times;
  times.default_reply = target.default_reply;
  auto framing = modbus::Framing::tcp;
  if (t.channel->line) {
    const Line& line = resolved.plan.lines[*t.channel->line];
    const auto characters = character_timing(line);
    if (!characters) return std::nullopt;
    times.broadcast = is_broadcast(resolved, t);
    times.serial = serial_parts(*characters, line, t, target, times.broadcast);
    if (t.channel->gateway) {
      const model::Gateway& gateway = resolved.plan.gateways[*t.channel->gateway];
      fill_gateway(gateway, line, times.broadcast, times);
      if (value_or(gateway.framing, model::GatewayFraming::tcp) == model::GatewayFraming::rtu) {
        framing = modbus::Framing::rtu;
      }
    } else {
      fill_serial_line(line, times.broadcast, times);
      framing = characters->mode == model::SerialMode::rtu ? modbus::Framing::rtu
                                                           : modbus::Framing::ascii;
    }
  } else {
    fill_tcp(resolved, t, target, times);
  }
  times.request_bytes =
      modbus::request_length(*t.function, t.write ? t.write->quantity : 0, framing);
  if (!times.broadcast) {
    times.reply_bytes = modbus::reply_length(*t.function, t.read ? t.read->quantity : 0, framing);
  }
  return times;
}

}  // namespace greymet::timing
