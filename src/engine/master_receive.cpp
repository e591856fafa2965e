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
    // what begins in time may end; what comes later moves nothing
    if (request.stage == Stage::waiting && times.timeout_to_first && now <= request.timeout &&
        link.queue->kind == QueueKind::serial) {
      request.deadline = std::max(request.deadline, now + times.serial->reply_longest());
    }
  }
  handle(link, now, received);
}

void Master::handle(Link& link, Duration now, const Received& received) {
  for (const ReceivedJunk& junk : received.junk) {
    for (UnderWay& request : link.under_way) {
      if (request.stage != Stage::waiting) continue;
      request.odd = true;
      request.junk += junk.bytes;
    }
    link.oddities.add(oddity_of(junk.kind));
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
      link.oddities.add(Oddity::echo);
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
    if (is_too_early(link, request, frame)) {
      why = Oddity::too_early;
      asked = &request;
      break;
    }
    if (link.late.may_be_anothers(request.number, frame.frame, frame.last_byte)) {
      why = Oddity::ambiguous;
      asked = &request;
      request.ambiguous = true;
      break;
    }
    accept(link, request, frame, std::get<Answer>(answer));
    return;
  }
  link.late.stray(frame.frame, frame.last_byte);
  if (asked && why != Oddity::wrong_transaction) asked->odd = true;
  link.oddities.add(why);
}

// What begins before the request has gone out was not said in answer to it; and a line takes its
// time.
bool Master::is_too_early(const Link& link, const UnderWay& request,
                          const ReceivedFrame& frame) const {
  if (frame.first_byte < request.sent) return true;
  if (link.queue->kind != QueueKind::serial || !options_.lines_take_time) return false;
  const timing::TransactionTimes& times = link.queue->jobs[request.job].times;
  constexpr int clocks_agree = 10;  // to a tenth: nobody's baud rate is exact
  return frame.first_byte <
         request.sent + times.serial->request - times.serial->request / clocks_agree;
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

void Master::accept(Link& link, UnderWay& request, const ReceivedFrame& frame,
                    const Answer& answer) {
  const timing::TransactionTimes& times = link.queue->jobs[request.job].times;
  if (request.asked.framing != modbus::Framing::tcp) {
    link.late.answered(request.number, request.job, request.asked, frame.last_byte);
  }
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

}  // namespace greymet::engine
