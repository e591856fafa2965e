// What arrives: which request it answers, or why it answers none.
#include <algorithm>

#include "engine/master.h"
#include "modbus/value_codec.h"

namespace greymet::engine {

using timing::QueueKind;

namespace {

Oddity oddity_of(ReceivedJunk::Kind kind) {
  switch (kind) {
    case ReceivedJunk::Kind::noise: return Oddity::noise;
    case ReceivedJunk::Kind::bad_checksum: return Oddity::bad_checksum;
    case ReceivedJunk::Kind::cut_short: return Oddity::cut_short;
    case ReceivedJunk::Kind::bad_protocol: return Oddity::bad_protocol;
    case ReceivedJunk::Kind::absurd_length: return Oddity::absurd_length;
  }
  return Oddity::noise;
}

}  // namespace

void Master::receive(Duration now, std::size_t index, modbus::ByteView bytes) {
  Link& link = link_of(index);
  catch_up(link, now - Duration(1));  // what was due before comes first
  Received received;
  link.receiver.receive(now, bytes, received);
  for (UnderWay& request : link.under_way) {
    const timing::TransactionTimes& times = link.queue->jobs[request.job].times;
    if (request.stage == Stage::waiting && times.timeout_to_first &&
        link.queue->kind == QueueKind::serial) {
      request.deadline = std::max(request.deadline, now + times.serial->reply_longest());
    }
  }
  handle(link, now, received);
}

void Master::handle(Link& link, Duration now, const Received& received) {
  for (const ReceivedJunk& junk : received.junk) {
    for (UnderWay& request : link.under_way) {
      if (request.stage == Stage::waiting) request.odd = true;
    }
    notice(now, link, oddity_of(junk.kind), junk.bytes);
  }
  for (const ReceivedFrame& frame : received.frames) handle_frame(link, frame);
  if (!link.receiver.broken() || link.connection != Connection::open) return;
  actions_.push_back({MasterAction::Kind::close, link.index, 0, {}, now});
  closed(now, link.index);
}

void Master::handle_frame(Link& link, const ReceivedFrame& frame) {
  Oddity why = Oddity::unasked;
  UnderWay* asked = nullptr;
  for (UnderWay& request : link.under_way) {
    if (request.stage != Stage::waiting) continue;
    if (is_echo(link, request, frame)) {
      request.echo_seen = true;
      if (!answered_by_echo(request.asked.request)) link.echoes = true;
      notice(frame.last_byte, link, Oddity::echo, frame.raw.size());
      return;
    }
    auto answer = answer_in(frame.frame, request.asked);
    if (const auto* oddity = std::get_if<Oddity>(&answer)) {
      // of several under way the one whose number it bears says what is wrong with it
      if (!asked || *oddity != Oddity::wrong_transaction) {
        why = *oddity;
        asked = &request;
      }
      continue;
    }
    if (is_ambiguous(link, request, frame)) {
      request.odd = true;
      request.ambiguous = true;
      notice(frame.last_byte, link, Oddity::ambiguous, frame.raw.size());
      return;
    }
    accept(link, request, frame, std::get<Answer>(answer));
    return;
  }
  settle(link, frame);
  if (asked && why != Oddity::wrong_transaction) asked->odd = true;
  notice(frame.last_byte, link, why, frame.raw.size());
}

bool Master::is_echo(const Link& link, const UnderWay& request, const ReceivedFrame& frame) const {
  if (link.queue->kind != QueueKind::serial || frame.raw != request.asked.bytes) return false;
  if (!answered_by_echo(request.asked.request)) return true;
  const timing::TransactionTimes& times = link.queue->jobs[request.job].times;
  const bool too_early =
      options_.lines_take_time &&
      frame.last_byte < request.sent + times.serial->request + times.serial->reply;
  return too_early || (link.echoes && !request.echo_seen);
}

// A slave answers in the order in which it was asked: one answer settles what was asked before the
// question it may belong to, and that question; those behind it may still be answered.
void Master::settle(Link& link, const ReceivedFrame& frame) {
  const auto of_unit = [&](const Owed& owed) { return owed.asked.unit == frame.frame.unit; };
  const auto first = std::find_if(link.owed.begin(), link.owed.end(), [&](const Owed& owed) {
    return of_unit(owed) && std::holds_alternative<Answer>(answer_in(frame.frame, owed.asked));
  });
  if (first == link.owed.end()) return;
  const auto end = std::remove_if(link.owed.begin(), first + 1, of_unit);
  link.owed.erase(end, first + 1);
}

bool Master::is_ambiguous(Link& link, const UnderWay& request, const ReceivedFrame& frame) {
  if (request.asked.framing == modbus::Framing::tcp) return false;  // numbered
  const Duration now = frame.last_byte;
  std::erase_if(link.owed, [now](const Owed& owed) { return owed.until <= now; });
  bool twice = false;
  bool other = false;
  for (const Owed& owed : link.owed) {
    if (owed.asked.unit != request.asked.unit) continue;
    const bool same = owed.asked.bytes == request.asked.bytes;
    twice = twice || same;
    other = other || (!same && std::holds_alternative<Answer>(answer_in(frame.frame, owed.asked)));
  }
  settle(link, frame);
  if (other) return true;
  if (twice) {
    // the same question was asked before: one answer has come, another may
    link.owed.push_back({request.asked, now + options_.late_answers});
  } else {
    std::erase_if(link.owed,
                  [&](const Owed& owed) { return owed.asked.unit == request.asked.unit; });
  }
  return false;
}

void Master::accept(Link& link, UnderWay& request, const ReceivedFrame& frame,
                    const Answer& answer) {
  const timing::TransactionTimes& times = link.queue->jobs[request.job].times;
  request.stage = Stage::cooling;
  request.again = false;
  request.replied = frame.last_byte;
  request.ready = frame.last_byte;
  if (link.queue->kind == QueueKind::serial) request.ready += times.serial->gap;
  if (link.queue->kind == QueueKind::tcp) request.ready += times.network->pause;
  if (const auto* refusal = std::get_if<modbus::ExceptionReply>(&answer)) {
    request.outcome = Outcome::exception;
    request.exception = refusal->code;
    return;
  }
  request.outcome = Outcome::good;
  // a line that echoes does so always
  if (!request.echo_seen && !answered_by_echo(request.asked.request)) link.echoes = false;
  Planned& planned = link.jobs[request.job];
  if (!planned.transaction->read) return;
  modbus::Reply reply = std::get<modbus::Reply>(answer);
  reply.bits.resize(std::min<std::size_t>(reply.bits.size(), request.asked.request.quantity));
  for (const Reordering& r : planned.read_order) {
    modbus::reorder(std::span(reply.registers).subspan(r.first, r.count), r.from, r.to);
  }
  request.words = reply.registers;
  for (const bool bit : reply.bits) request.words.push_back(bit ? 1 : 0);
  if (scan_ > Duration{}) {
    request.reply = std::move(reply);  // seen at the next scan
  } else {
    deliver(planned, reply);
  }
}

void Master::notice(Duration at, const Link& link, Oddity oddity, std::size_t bytes) {
  std::optional<std::size_t> transaction;
  if (!link.under_way.empty()) {
    transaction = link.queue->jobs[link.under_way.front().job].transaction;
  }
  notices_.push_back({at, link.index, oddity, bytes, transaction});
}

}  // namespace greymet::engine
