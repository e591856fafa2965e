#include "timing/transaction_times.h"

#include <algorithm>
#include <cmath>

#include "modbus/frame_length.h"

namespace greymet::timing {

using model::Endpoint;
using model::Exchange;
using model::ExchangeLine;
using model::ExchangeTransaction;

namespace {

// The longest silence inside a frame of so many characters, each gap of `gap` characters.
Duration silence_inside(const CharacterTiming& characters, std::uint32_t count, double gap) {
  const double ms = gap * characters.character_ms() * (count > 0 ? count - 1 : 0);
  return Duration(static_cast<std::int64_t>(std::ceil(ms * 1e6)));
}

SerialParts serial_parts(const CharacterTiming& characters, const ExchangeLine& line,
                         const ExchangeTransaction& t, Duration jitter) {
  const auto framing =
      characters.mode == model::SerialMode::rtu ? modbus::Framing::rtu : modbus::Framing::ascii;
  const Endpoint& to = t.endpoint;
  const Duration t35 = characters.frame_gap();
  SerialParts parts;
  const modbus::ExchangeLengths length = modbus::exchange_lengths(
      t.function, t.quantity_written().value, t.quantity_read().value, framing);
  parts.request = characters.characters(length.request);
  parts.request_silence = silence_inside(characters, length.request, line.character_gap);
  parts.latency_typical = line.latency.typical;
  parts.latency_longest = line.latency.max + (to.gateway ? Duration{} : jitter);
  parts.gap = std::max({t35, line.pause, to.pause});
  if (to.broadcast) {
    // T_req + max(turnaround, gap): nothing is answered, everybody is given time to act.
    parts.gap = std::max(parts.gap, line.turnaround);
    return parts;
  }
  parts.turnaround_shortest = std::max(to.reply.min, t35);
  parts.turnaround_typical = std::max(to.reply.typical, t35);
  parts.turnaround_longest = std::max(to.reply.max, t35);
  parts.reply = characters.characters(length.reply);
  parts.reply_silence = silence_inside(characters, length.reply, to.character_gap);
  parts.exception_reply = characters.characters(length.exception);
  parts.exception_silence = silence_inside(characters, length.exception, to.character_gap);
  return parts;
}

void fill_serial_line(const ExchangeLine& line, bool broadcast, TransactionTimes& times) {
  const SerialParts& parts = *times.serial;
  times.shortest = parts.shortest();
  times.typical = parts.typical();
  times.longest = parts.longest();
  times.exception_longest = parts.exception_longest();
  times.timeout_to_first = line.timeout_to == model::TimeoutTo::first;
  times.timeout = line.timeout;
  times.retries = line.retries;
  times.failed_attempt = parts.request_longest() + times.timeout + parts.gap;
  if (!broadcast) times.silent = (1 + times.retries) * times.failed_attempt;
}

// The way out and back over the network.
NetworkParts network_parts(const Endpoint& to, Duration jitter) {
  NetworkParts net;
  net.back_typical = to.rtt.typical / 2;
  net.back_longest = to.rtt.max / 2;
  net.out_typical = to.rtt.typical - net.back_typical + to.delay.typical + to.connect.typical;
  net.out_longest = to.rtt.max - net.back_longest + to.delay.max + to.connect.max + jitter;
  net.connect_longest = to.connect.max;
  net.jitter = jitter;
  return net;
}

void fill_gateway(const Endpoint& to, Duration jitter, TransactionTimes& times) {
  const NetworkParts net = network_parts(to, jitter);
  const Duration timeout = to.timeout + jitter;
  times.network = net;
  const Duration added = net.out_longest + net.back_longest;
  times.typical += net.out_typical + net.back_typical;
  times.longest += added;
  times.exception_longest += added;
  const std::int64_t tries = 1 + to.retries;
  if (!to.broadcast) {
    const Duration own_tries = (1 + times.retries) * times.failed_attempt;
    const Duration gateway_gives_up = added + own_tries;
    if (to.answered_for) {
      // It answers exception 0B after its own tries, and that ends it. Whoever gives up first, the
      // master or the gateway, ends the wait.
      times.silent = std::min(gateway_gives_up, tries * timeout);
      times.failed_attempt = std::min(gateway_gives_up, timeout);
    } else {
      if (to.translated)
        times.silent_gateway = {to.timeout, to.retries, own_tries, gateway_gives_up};
      times.failed_attempt = to.translated ? std::max(timeout, gateway_gives_up) : timeout;
      times.silent = tries * times.failed_attempt;
    }
  }
  if (!to.translated) {
    times.timeout_of_master = true;
    times.timeout = to.timeout;
    times.retries = to.retries;
  }
}

void fill_tcp(const Endpoint& to, Duration jitter, TransactionTimes& times) {
  NetworkParts net = network_parts(to, jitter);
  net.pause = to.pause;
  net.slave_typical = to.reply.typical + to.pause;
  net.slave_longest = to.reply.max + to.pause;
  times.network = net;
  times.timeout = to.timeout;
  times.retries = to.retries;
  times.shortest = to.reply.min + to.pause;
  times.typical = net.out_typical + net.slave_typical + net.back_typical;
  times.longest = net.out_longest + net.slave_longest + net.back_longest;
  times.exception_longest = times.longest;
  times.failed_attempt = times.timeout + net.connect_longest + net.jitter;
  times.host_off = to.connect_timeout + jitter;
  times.retransmission = to.retransmission;
  if (!to.broadcast) times.silent = failure_times(times).silent();
}

}  // namespace

std::optional<CharacterTiming> character_timing(const ExchangeLine& line) {
  if (!line.mode || !line.baud || !line.format) return std::nullopt;
  return CharacterTiming{*line.mode, *line.baud, *line.format};
}

FailureTimes failure_times(const TransactionTimes& times) {
  if (times.silent_gateway) {
    const SilentGateway& waits = *times.silent_gateway;
    const Duration each = std::max(waits.timeout + times.network->jitter, waits.own_tries);
    return {{}, each, {}, 1 + waits.retries, times.host_off, waits.timeout, waits.own_tries};
  }
  FailureTimes out{{}, times.timeout, {}, 1 + times.retries, times.host_off, times.timeout, {}};
  // the timeout begins with the request, behind the connection that each try opens
  if (times.network && !times.serial) out.each += times.network->connect_longest;
  if (!times.serial || times.timeout_of_master) {
    if (times.network) out.each += times.network->jitter;
    return out;
  }
  out.each += times.serial->request_longest() + times.serial->gap;
  if (times.network) {
    out.before = times.network->out_longest;
    out.after = times.network->back_longest;
  }
  return out;
}

Duration longest_reply(const TransactionTimes& times) {
  if (!times.network) {
    // what the port adds may come behind the reply
    const SerialParts& serial = *times.serial;
    return serial.latency_longest + serial.turnaround_longest +
           (times.timeout_to_first ? Duration{} : serial.reply_longest());
  }
  // without the pause behind it, and without the connect, which has a timeout of its own
  if (!times.serial) {
    return times.network->out_longest - times.network->connect_longest +
           times.network->slave_longest - times.network->pause + times.network->back_longest;
  }
  const Duration on_line = times.serial->turnaround_longest +
                           (times.timeout_to_first ? Duration{} : times.serial->reply_longest());
  // a transparent gateway leaves the timeout to the master, who waits for the request as well
  const bool transparent = times.timeout_of_master;
  return transparent ? times.network->out_longest + times.serial->request_longest() + on_line +
                           times.network->back_longest
                     : on_line;
}

Duration least_wait(const TransactionTimes& times) {
  return times.silent_gateway ? times.silent_gateway->own_tries : longest_reply(times);
}

std::optional<TransactionTimes> transaction_times(const Exchange& exchange,
                                                  const ExchangeTransaction& t) {
  const Endpoint& to = t.endpoint;
  const Duration jitter = exchange.controllers[t.controller].jitter;
  TransactionTimes times;
  times.assumed = to.assumed;
  times.broadcast = to.broadcast;
  if (to.line) {
    const ExchangeLine& line = exchange.lines[*to.line];
    const auto characters = character_timing(line);
    if (!characters) return std::nullopt;
    times.serial = serial_parts(*characters, line, t, jitter);
    fill_serial_line(line, to.broadcast, times);
    if (to.gateway) fill_gateway(to, jitter, times);
  } else {
    fill_tcp(to, jitter, times);
  }
  const modbus::ExchangeLengths length = modbus::exchange_lengths(
      t.function, t.quantity_written().value, t.quantity_read().value, to.framing);
  times.request_bytes = length.request;
  if (!to.broadcast) times.reply_bytes = length.reply;
  return times;
}

}  // namespace greymet::timing
