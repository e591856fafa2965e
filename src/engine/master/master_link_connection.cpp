// Connections, and what is sent over them.
#include <algorithm>
#include <utility>

#include "engine/master_link.h"
#include "timing/transaction_times.h"

namespace greymet::engine {

void MasterLink::connected(Duration now) {
  connection_ = Connection::open;
  back_off_ = {};
  for (RequestUnderWay& request : under_way_) {
    if (std::holds_alternative<Connecting>(request.state)) send(request, now);
  }
}

void MasterLink::refused(Duration now, Cause cause) {
  connection_cause_ = cause;
  const MasterOptions& options = context_->options;
  connection_ = Connection::closed;
  back_off_ = std::min(options.most_back_off, std::max(options.first_back_off, 2 * back_off_));
  not_before_ = now + back_off_;
  for (RequestUnderWay& request : under_way_) {
    if (!std::holds_alternative<Connecting>(request.state)) continue;
    request.most_tries = 0;
    fail_try(request, now);
  }
}

void MasterLink::closed(Duration now) {
  catch_up(now);
  const bool was_opening = connection_ == Connection::opening;
  connection_ = Connection::closed;
  if (was_opening) return refused(now, Cause::refused);
  Received left;
  receiver_.forget(left);
  for (RequestUnderWay& request : under_way_) {
    if (!request.waiting()) continue;
    if (request.heard == Heard::nothing) request.hear(Heard::odd, Cause::closed);
    // a transparent gateway hands what comes late to whoever is connected then
    give_up_try(request, now);
    fail_try(request, now);
  }
}

// Where each request has a connection of its own.
void MasterLink::hang_up(const RequestUnderWay& request) {
  if (connection_ == Connection::closed) return;
  context_->actions.push_back({MasterAction::Kind::close, index_, request.job, {}, request.start});
  connection_ = Connection::closed;
}

// ---------------------------------------------------------------- what starts

// When the next request may start, places aside: at once, or at the next boundary of the scan after
// it waits and the link has room.
std::optional<Duration> MasterLink::startable_at(bool continuous, Duration now) const {
  if (static_cast<std::int64_t>(under_way_.size()) >= queue_->in_flight) return std::nullopt;
  auto since = agenda_.waits_since();
  if (continuous) since = since ? std::nullopt : agenda_.continuous_since(now);
  if (!since) return std::nullopt;
  return round_up(std::max(free_since_, *since), context_->scan);
}

std::optional<Duration> MasterLink::ready_since(bool continuous, Duration now) const {
  const auto at = startable_at(continuous, now);
  if (!at || *at > now) return std::nullopt;
  return continuous ? Duration{} : *agenda_.waits_since();
}

void MasterLink::start_next(bool continuous, Duration now) {
  start(continuous ? agenda_.take_continuous(now) : agenda_.take_waiting(now), now);
}

void MasterLink::start(const Agenda::Turn& turn, Duration now) {
  const PlannedJob& job = jobs_[turn.job];
  const model::ExchangeTransaction& t = *job.transaction;
  const MasterOptions& options = context_->options;
  const ControllerMemory& memory = context_->memory;
  RequestUnderWay request;
  request.job = turn.job;
  request.release = turn.release;
  request.start = now;
  request.most_tries = turn.trial || t.endpoint.broadcast ? 1 : 1 + t.endpoint.retries;
  const bool gated =
      job.gate && !options.ignore_gates && !memory.bit(job.gate->store, job.gate->first);
  const bool unknown = options.only_known_values && job.from && !memory.known(*job.from);
  request.number = ++started_;
  request.asked.unit = static_cast<std::uint8_t>(t.endpoint.unit ? t.endpoint.unit->value : 0);
  request.asked.framing = t.endpoint.framing;
  request.asked.request = request_now(job, memory);
  const auto held = late_.held_until(request.asked, now);
  if (turn.parked || gated || unknown || held) {
    request.outcome = turn.parked || held ? Outcome::dropped : Outcome::left_out;
    request.replied = now;
    request.cause = turn.parked ? Cause::parked : held ? Cause::late_answer_due : Cause::no_value;
    if (!gated) record(request, now);
    // the agenda keeps the trial of what is parked; what is continuous is looked at again later
    constexpr Duration look_again = std::chrono::milliseconds(10);
    agenda_.finished(turn.job, turn.release, now, Ending::not_sent,
                     held ? *held : now + look_again);
    return catch_up(now);
  }
  request.words = request.asked.request.registers;
  for (const bool bit : request.asked.request.bits) request.words.push_back(bit ? 1 : 0);
  show_busy(job, context_->memory);
  if (takes_places()) context_->places.take();
  under_way_.push_back(std::move(request));
  connect_or_send(under_way_.back(), now);
}

void MasterLink::connect_or_send(RequestUnderWay& request, Duration now) {
  const model::Endpoint& to = endpoint_of(request);
  if (connection_ == Connection::open) return send(request, now);
  if (connection_ == Connection::closed && now < not_before_) {
    request.most_tries = 0;
    return fail_try(request, now);
  }
  if (connection_ == Connection::closed) {
    context_->actions.push_back(
        {MasterAction::Kind::connect, index_, request.job, {}, request.start});
    connection_ = Connection::opening;
  }
  const Duration patience = to.connect_timeout > Duration{} ? to.connect_timeout : to.timeout;
  request.state = Connecting{now + patience};
}

void MasterLink::send(RequestUnderWay& request, Duration now) {
  Asked& asked = request.asked;
  if (asked.framing == modbus::Framing::tcp) asked.transaction = next_number_++;
  const auto pdu = modbus::encode_request(asked.request);
  const auto frame =
      pdu ? modbus::encode_frame({asked.unit, asked.transaction, *pdu}, asked.framing) : pdu;
  request.sent = now;
  if (request.tries == 0) request.first_sent = now;
  if (!frame) {  // a plan that check refuses; nothing goes out
    request.most_tries = 0;
    return fail_try(request, now);
  }
  ++request.tries;
  asked.bytes = *frame;
  if (under_way_.size() == 1) {
    Received left;
    receiver_.forget(left);
    for (std::size_t i = 0; i < left.junk.size(); ++i) oddities_.add(Oddity::noise);
  }
  context_->actions.push_back(
      {MasterAction::Kind::send, index_, request.job, *frame, request.start});
  const timing::TransactionTimes& times = times_of(request);
  const model::Endpoint& to = endpoint_of(request);
  if (to.broadcast) {
    request.outcome = Outcome::good;
    request.replied = now + times.longest;
    request.state = Finishing{request.replied};
    return;
  }
  const Duration timeout =
      now + to.timeout + (on_line() ? times.serial->request_longest() : Duration{});
  request.state = Waiting{timeout, timeout, false, 0};
}

}  // namespace greymet::engine
