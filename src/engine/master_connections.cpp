// Connections, and what is sent over them.
#include <algorithm>

#include "engine/master.h"

namespace greymet::engine {

using timing::QueueKind;

void Master::connected(Duration now, std::size_t index) {
  Link& link = link_of(index);
  link.connection = Connection::open;
  link.back_off = {};
  for (UnderWay& request : link.under_way) {
    if (request.stage == Stage::connecting) send(link, request, now);
  }
}

void Master::refused(Duration now, std::size_t index) {
  Link& link = link_of(index);
  link.connection = Connection::closed;
  link.back_off =
      std::min(options_.most_back_off, std::max(options_.first_back_off, 2 * link.back_off));
  link.not_before = now + link.back_off;
  for (UnderWay& request : link.under_way) {
    if (request.stage != Stage::connecting) continue;
    request.most_tries = 0;
    fail_try(link, request, now);
  }
}

void Master::closed(Duration now, std::size_t index) {
  Link& link = link_of(index);
  catch_up(link, now);
  const bool was_opening = link.connection == Connection::opening;
  link.connection = Connection::closed;
  if (was_opening) return refused(now, index);
  Received left;
  link.receiver.forget(left);
  for (UnderWay& request : link.under_way) {
    if (request.stage != Stage::waiting) continue;
    request.odd = true;
    // a transparent gateway hands what comes late to whoever is connected then
    give_up_try(link, request, now);
    fail_try(link, request, now);
  }
}

// Where each request has a connection of its own.
void Master::hang_up(Link& link, const UnderWay& request) {
  if (link.connection == Connection::closed) return;
  actions_.push_back({MasterAction::Kind::close, link.index, request.job, {}, request.start});
  link.connection = Connection::closed;
}

void Master::connect_or_send(Link& link, UnderWay& request, Duration now) {
  const model::Endpoint& to = link.jobs[request.job].transaction->endpoint;
  request.again = false;
  if (link.connection == Connection::open) return send(link, request, now);
  if (link.connection == Connection::closed && now < link.not_before) {
    request.most_tries = 0;
    return fail_try(link, request, now);
  }
  if (link.connection == Connection::closed) {
    actions_.push_back({MasterAction::Kind::connect, link.index, request.job, {}, request.start});
    link.connection = Connection::opening;
  }
  request.stage = Stage::connecting;
  request.deadline = now + (to.connect_timeout > Duration{} ? to.connect_timeout : to.timeout);
}

void Master::send(Link& link, UnderWay& request, Duration now) {
  const timing::TransactionTimes& times = link.queue->jobs[request.job].times;
  const model::Endpoint& to = link.jobs[request.job].transaction->endpoint;
  Asked& asked = request.asked;
  if (asked.framing == modbus::Framing::tcp) asked.transaction = link.next_number++;
  const auto pdu = modbus::encode_request(asked.request);
  const auto frame =
      pdu ? modbus::encode_frame({asked.unit, asked.transaction, *pdu}, asked.framing) : pdu;
  ++request.tries;
  request.sent = now;
  if (request.tries == 1) request.first_sent = now;
  request.echo_seen = false;
  request.junk = 0;
  request.stage = Stage::waiting;
  if (!frame) {  // a plan that check refuses; nothing goes out
    --request.tries;
    request.most_tries = 0;
    return fail_try(link, request, now);
  }
  asked.bytes = *frame;
  if (link.under_way.size() == 1) {
    Received left;
    link.receiver.forget(left);
    for (std::size_t i = 0; i < left.junk.size(); ++i) link.oddities.add(Oddity::noise);
  }
  actions_.push_back({MasterAction::Kind::send, link.index, request.job, *frame, request.start});
  if (to.broadcast) {
    request.outcome = Outcome::good;
    request.stage = Stage::cooling;
    request.ready = request.replied = now + times.longest;
    return;
  }
  const bool on_line = link.queue->kind == QueueKind::serial;
  request.timeout = now + to.timeout + (on_line ? times.serial->request_longest() : Duration{});
  request.deadline = request.timeout;
}

}  // namespace greymet::engine
