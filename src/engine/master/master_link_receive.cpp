// What arrives: which request it answers, or why it answers none.
#include <algorithm>
#include <utility>

#include "engine/master_link.h"
#include "timing/transaction_times.h"

namespace greymet::engine {

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

void MasterLink::receive(Duration now, modbus::ByteView bytes) {
  catch_up(now - Duration(1));  // what was due before comes first
  Received received;
  receiver_.receive(now, bytes, received);
  for (RequestUnderWay& request : under_way_) {
    Waiting* waiting = request.waiting();
    const timing::TransactionTimes& times = times_of(request);
    // what begins in time may end; what comes later moves nothing
    if (waiting && times.timeout_to_first && now <= waiting->timeout && on_line()) {
      waiting->deadline = std::max(waiting->deadline, now + times.serial->reply_longest());
    }
  }
  handle(now, received);
}

void MasterLink::handle(Duration now, const Received& received) {
  for (const ReceivedJunk& junk : received.junk) {
    for (RequestUnderWay& request : under_way_) {
      if (request.waiting()) request.add_junk(junk.bytes);
    }
    oddities_.add(oddity_of(junk.kind));
  }
  for (const ReceivedFrame& frame : received.frames) handle_frame(frame);
  if (!receiver_.broken() || connection_ != Connection::open) return;
  context_->actions.push_back({MasterAction::Kind::close, index_, 0, {}, now});
  closed(now);
}

void MasterLink::handle_frame(const ReceivedFrame& frame) {
  Oddity why = Oddity::unasked;
  RequestUnderWay* asked = nullptr;
  for (RequestUnderWay& request : under_way_) {
    Waiting* waiting = request.waiting();
    if (!waiting) continue;
    if (is_echo(request, frame)) {
      waiting->echo_seen = true;
      if (!answered_by_echo(request.asked.request)) echoes_ = true;
      oddities_.add(Oddity::echo);
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
    if (is_too_early(request, frame)) {
      why = Oddity::too_early;
      asked = &request;
      break;
    }
    if (late_.may_be_anothers(request.number, frame.frame, frame.last_byte)) {
      why = Oddity::ambiguous;
      asked = &request;
      request.hear(Heard::ambiguous, Cause::ambiguous);
      break;
    }
    return accept(request, frame, std::get<Answer>(answer));
  }
  late_.stray(frame.frame, frame.last_byte);
  if (asked && why != Oddity::wrong_transaction) asked->hear(Heard::odd, Cause::other_answer);
  oddities_.add(why);
}

// What begins before the request has gone out was not said in answer to it; and a line takes its
// time.
bool MasterLink::is_too_early(const RequestUnderWay& request, const ReceivedFrame& frame) const {
  if (frame.first_byte < request.sent) return true;
  if (!on_line() || !context_->options.lines_take_time) return false;
  const Duration takes = times_of(request).serial->request;
  constexpr int clocks_agree = 10;  // to a tenth: nobody's baud rate is exact
  return frame.first_byte < request.sent + takes - takes / clocks_agree;
}

bool MasterLink::is_echo(const RequestUnderWay& request, const ReceivedFrame& frame) const {
  if (!on_line() || frame.raw != request.asked.bytes) return false;
  if (!answered_by_echo(request.asked.request)) return true;
  const timing::SerialParts& serial = *times_of(request).serial;
  const bool too_early = context_->options.lines_take_time &&
                         frame.last_byte < request.sent + serial.request + serial.reply;
  return too_early || (echoes_ && !request.waiting()->echo_seen);
}

void MasterLink::accept(RequestUnderWay& request, const ReceivedFrame& frame,
                        const Answer& answer) {
  const timing::TransactionTimes& times = times_of(request);
  if (request.asked.framing != modbus::Framing::tcp) {
    late_.answered(request.number, request.job, request.asked, frame.last_byte);
  }
  const bool echo_seen = request.waiting()->echo_seen;
  request.replied = frame.last_byte;
  Duration free_at = frame.last_byte;
  if (on_line()) free_at += times.serial->gap;
  if (queue_->kind == timing::QueueKind::tcp) free_at += times.network->pause;
  request.state = Finishing{free_at};
  if (const auto* refusal = std::get_if<modbus::ExceptionReply>(&answer)) {
    request.outcome = Outcome::exception;
    request.exception = refusal->code;
    return;
  }
  request.outcome = Outcome::good;
  // a line that echoes does so always
  if (!echo_seen && !answered_by_echo(request.asked.request)) echoes_ = false;
  const PlannedJob& job = jobs_[request.job];
  if (!job.transaction->read) return;
  modbus::Reply reply = in_order_of_controller(job, std::get<modbus::Reply>(answer));
  request.words = reply.registers;
  for (const bool bit : reply.bits) request.words.push_back(bit ? 1 : 0);
  if (context_->scan > Duration{}) {
    request.reply = std::move(reply);  // seen at the next scan
  } else {
    deliver(job, reply, context_->memory);
  }
}

}  // namespace greymet::engine
