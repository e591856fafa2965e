// Time: what is due, who goes next, connections.
#include "engine/master.h"

#include <algorithm>
#include <utility>

#include "engine/stage.h"
#include "modbus/frame_length.h"
#include "modbus/value_codec.h"
#include "timing/transaction_times.h"

namespace greymet::engine {

using timing::QueueKind;

std::string_view to_string(Outcome outcome) {
  switch (outcome) {
    case Outcome::good: return "good";
    case Outcome::exception: return "exception";
    case Outcome::timeout: return "timeout";
    case Outcome::bad: return "bad";
    case Outcome::left_out: return "left-out";
    case Outcome::dropped: return "dropped";
    case Outcome::unfinished: return "unfinished";
  }
  return "";
}

Master::Master(const model::ResolvedPlan& plan, const timing::TimingModel& timing,
               model::ControllerIndex controller, ControllerMemory& memory,
               const MasterOptions& options)
    : plan_(plan),
      timing_(timing),
      controller_(controller),
      memory_(memory),
      options_(options),
      scan_(plan.exchange.controllers[controller].request_grid()),
      limit_(timing.in_flight_limit[controller]) {
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    if (timing.queues[q].controller == controller) add_link(q);
  }
}

void Master::add_link(std::size_t index) {
  const timing::Queue& queue = timing_.queues[index];
  modbus::Framing framing = modbus::Framing::tcp;
  bool each = false;
  std::vector<Planned> jobs;
  for (const timing::Job& job : queue.jobs) {
    jobs.push_back(plan_job(job));
    framing = jobs.back().transaction->endpoint.framing;
    each = each || jobs.back().transaction->endpoint.connect.max > Duration{};
  }
  Link link{
      .index = index,
      .queue = &queue,
      .agenda = Agenda(queue, {options_.triggers_always, true}),
      .receiver = FrameReceiver(framing, modbus::Direction::reply, options_.silence),
      .jobs = std::move(jobs),
      .late = LateAnswers(options_.late_answers),
      .under_way = {},
      .oddities = {},
      .next_number = options_.first_number,
      .each = each && queue.in_flight == 1,
  };
  // a serial port is opened by the driver before anything starts
  if (queue.kind == QueueKind::serial) link.connection = Connection::open;
  for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
    if (!is_left_out(link.jobs[j])) continue;
    link.agenda.leave_out(j);
    RequestRecord left_out;
    left_out.transaction = queue.jobs[j].transaction;
    left_out.link = index;
    left_out.job = j;
    left_out.outcome = Outcome::left_out;
    records_.push_back(std::move(left_out));
  }
  links_.push_back(std::move(link));
}

bool Master::is_left_out(const Planned& planned) const {
  const bool writes = planned.transaction->write.has_value();
  if (writes && !options_.allow_writes) return true;
  return planned.transaction->endpoint.broadcast && !options_.allow_broadcasts;
}

Master::Link& Master::link_of(std::size_t index) {
  return *std::find_if(links_.begin(), links_.end(),
                       [index](const Link& link) { return link.index == index; });
}
const Master::Link& Master::link_of(std::size_t index) const {
  return *std::find_if(links_.begin(), links_.end(),
                       [index](const Link& link) { return link.index == index; });
}

std::vector<std::size_t> Master::links() const {
  std::vector<std::size_t> out;
  for (const Link& link : links_) out.push_back(link.index);
  return out;
}

std::size_t Master::under_way() const {
  std::size_t count = 0;
  for (const Link& link : links_) count += link.under_way.size();
  return count;
}

std::uint64_t Master::missed(std::size_t link, std::size_t job) const {
  return link_of(link).agenda.missed()[job];
}

std::vector<RequestRecord> Master::take_records() {
  return std::exchange(records_, {});
}
std::vector<OddWire> odd_wires(const std::vector<Master>& masters) {
  std::vector<OddWire> out;
  for (const Master& master : masters) {
    for (const std::size_t link : master.links()) {
      if (master.oddities(link).total() == 0) continue;
      out.push_back({master.name_of(link), master.oddities(link)});
    }
  }
  return out;
}
std::uint64_t total_of(const std::vector<OddWire>& wires) {
  std::uint64_t total = 0;
  for (const OddWire& wire : wires) total += wire.counts.total();
  return total;
}

void Master::abandon(Duration now) {
  for (Link& link : links_) {
    for (UnderWay& request : link.under_way) {
      if (request.tries == 0)
        request.outcome = Outcome::dropped;
      else if (request.stage != Stage::cooling || request.again)
        request.outcome = Outcome::unfinished;
      request.replied = now;
      record(link, request, now);
    }
    link.under_way.clear();
  }
}

// ---------------------------------------------------------------- what is due

Duration Master::next_due(const Link& link) const {
  Duration next = never;
  for (const UnderWay& request : link.under_way) {
    next = std::min(next, request.stage == Stage::cooling ? request.ready : request.deadline);
  }
  return next;
}

// In the order of time: a release at the instant of completion is not missed.
void Master::catch_up(Link& link, Duration now) {
  while (true) {
    const Duration due = next_due(link);
    const Duration release = stopped_ ? never : link.agenda.next_release();
    if (std::min(due, release) > now) return;
    if (release < due) {
      if (const auto job = link.agenda.admit_next(release)) {
        RequestRecord parked;
        parked.transaction = link.queue->jobs[*job].transaction;
        parked.link = link.index;
        parked.job = *job;
        parked.release = parked.start = parked.replied = parked.end = release;
        parked.outcome = Outcome::dropped;
        records_.push_back(std::move(parked));
      }
      continue;
    }
    for (std::size_t i = 0; i < link.under_way.size(); ++i) {
      UnderWay& request = link.under_way[i];
      if (request.stage != Stage::cooling) {
        if (request.deadline != due) continue;
        pass_deadline(link, request);
        break;
      }
      if (request.ready != due) continue;
      if (request.again && !stopped_) {
        if (link.each) hang_up(link, request);
        connect_or_send(link, request, request.ready);
      } else {
        complete(link, i);
      }
      break;
    }
  }
}

void Master::pass_deadline(Link& link, UnderWay& request) {
  const timing::TransactionTimes& times = link.queue->jobs[request.job].times;
  if (request.stage == Stage::connecting) {
    actions_.push_back({MasterAction::Kind::close, link.index, request.job, {}, request.start});
    refused(request.deadline, link.index);
    return;
  }
  take_rest(link, request);
  give_up_try(link, request, request.deadline);
  const bool on_line = link.queue->kind == QueueKind::serial;
  fail_try(link, request, request.deadline + (on_line ? times.serial->gap : Duration{}));
}

// A reply that came in time and was damaged on the way does not come again.
bool Master::was_damaged_answer(const Link& link, const UnderWay& request) {
  const Asked& asked = request.asked;
  const bool long_enough =
      request.junk ==
          modbus::reply_length(asked.request.function, asked.request.quantity, asked.framing) ||
      request.junk == modbus::exception_length(asked.framing);
  return long_enough && !link.late.expects(asked.unit, request.sent);
}

void Master::give_up_try(Link& link, UnderWay& request, Duration now) {
  if (request.asked.framing == modbus::Framing::tcp || was_damaged_answer(link, request)) return;
  link.late.given_up(request.number, request.asked, now);
  // from answer to answer it would never come out which one belongs to what
  if (request.ambiguous) request.most_tries = request.tries;
}

// What came in the try that is over, and was no frame.
void Master::take_rest(Link& link, UnderWay& request) {
  Received left;
  if (link.under_way.size() == 1) link.receiver.forget(left);
  for (const ReceivedJunk& junk : left.junk) {
    request.odd = true;
    request.junk += junk.bytes;
    link.oddities.add(junk.kind == ReceivedJunk::Kind::bad_checksum ? Oddity::bad_checksum
                                                                    : Oddity::cut_short);
  }
}

void Master::fail_try(Link& link, UnderWay& request, Duration ready) {
  take_rest(link, request);
  request.stage = Stage::cooling;
  request.ready = ready;
  request.again = request.tries < request.most_tries;
  if (request.again) return;
  request.replied = ready;
  request.outcome = request.tries == 0 ? Outcome::dropped
                    : request.odd      ? Outcome::bad
                                       : Outcome::timeout;
}

void Master::complete(Link& link, std::size_t at) {
  const UnderWay request = std::move(link.under_way[at]);
  link.under_way.erase(link.under_way.begin() + static_cast<std::ptrdiff_t>(at));
  const Duration end = request.ready;
  Planned& planned = link.jobs[request.job];
  // what a gateway answers for a slave that is silent says that the slave is not there
  const bool gateway_answers = request.outcome == Outcome::exception &&
                               planned.transaction->endpoint.translated &&
                               (request.exception == 0x0A || request.exception == 0x0B);
  const bool answered =
      (request.outcome == Outcome::good || request.outcome == Outcome::exception) &&
      !gateway_answers;
  record(link, request, end);
  if (scan_ > Duration{} && request.reply) {
    deliveries_.push_back({round_up(end, scan_), link.index, request.job, *request.reply});
  }
  if (!answered || request.outcome == Outcome::exception) react_to_loss(planned);
  for (const model::Status& status : planned.transaction->status) {
    const BitSequence bits = memory_.sequence(status.range);
    using model::StatusKind;
    const bool good = request.outcome == Outcome::good;
    switch (status.kind) {
      case StatusKind::busy: memory_.put_bits(bits, {false}); break;
      case StatusKind::done: memory_.put_bits(bits, {good}); break;
      case StatusKind::failed: memory_.put_bits(bits, {!good}); break;
      case StatusKind::exception: memory_.put_registers(bits, {request.exception}); break;
    }
  }
  link.free_since = end;
  if (counts_in_limit(link)) {
    --under_limit_;
    place_free_since_ = end;
  }
  // who gave an answer that may be another's is there
  link.agenda.finished(request.job, request.release, end,
                       answered || request.ambiguous ? Ending::answered : Ending::failed);
  if (link.each) hang_up(link, request);
}

void Master::record(Link& link, const UnderWay& request, Duration end) {
  RequestRecord out;
  out.transaction = link.queue->jobs[request.job].transaction;
  out.link = link.index;
  out.job = request.job;
  out.release = request.release;
  out.start = request.start;
  out.replied = request.replied;
  // with numbers the answer is that to the last try
  const bool numbered = request.asked.framing == modbus::Framing::tcp;
  out.as_of = numbered || request.tries < 2 ? request.replied : request.first_sent;
  out.end = end;
  out.tries = request.tries;
  out.outcome = request.outcome;
  out.exception = request.exception;
  out.broadcast = link.jobs[request.job].transaction->endpoint.broadcast;
  out.words = request.words;
  records_.push_back(std::move(out));
}

void Master::act(Duration now, std::vector<MasterAction>& actions) {
  for (Link& link : links_) {
    if (link.receiver.silence_at() && *link.receiver.silence_at() <= now) {
      Received received;
      link.receiver.look_at_silence(received);
      handle(link, now, received);
    }
    catch_up(link, now);
  }
  deliver_due(now);
  look_for_triggers(now);
  for (Link& link : links_) catch_up(link, now);
  if (!stopped_) dispatch(now);
  for (MasterAction& action : actions_) actions.push_back(std::move(action));
  actions_.clear();
}

Duration Master::next_wake(Duration now) const {
  Duration next = never;
  for (const Link& link : links_) {
    next = std::min(next, next_due(link));
    if (const auto silence = link.receiver.silence_at()) next = std::min(next, *silence);
    if (stopped_) continue;
    next = std::min(next, link.agenda.next_instant(now));
    for (const bool continuous : {false, true}) {
      const auto at = available_at(link, continuous, now);
      if (at && *at > now) next = std::min(next, *at);
    }
  }
  for (const Delivery& delivery : deliveries_) next = std::min(next, delivery.at);
  return next;
}

// ---------------------------------------------------------------- who goes next

bool Master::counts_in_limit(const Link& link) const {
  return limit_ && link.queue->kind != QueueKind::serial;
}

// When the link's next request may start: at once, or at the next boundary of the scan after it
// waits and has a place.
std::optional<Duration> Master::available_at(const Link& link, bool continuous,
                                             Duration now) const {
  if (static_cast<std::int64_t>(link.under_way.size()) >= link.queue->in_flight) {
    return std::nullopt;
  }
  const auto waits = link.agenda.waits_since();
  if (continuous ? waits.has_value() || !link.agenda.continuous_may_run(now) : !waits) {
    return std::nullopt;
  }
  Duration since = link.free_since;
  if (!continuous) since = std::max(since, *waits);
  if (counts_in_limit(link)) {
    if (under_limit_ >= *limit_) return std::nullopt;
    since = std::max(since, place_free_since_);
  }
  return round_up(since, scan_);
}

Master::Candidate Master::next_to_start(Duration now, bool continuous) {
  Candidate best;
  for (Link& link : links_) {
    const auto at = available_at(link, continuous, now);
    if (!at || *at > now) continue;
    const Duration since = continuous ? Duration{} : *link.agenda.waits_since();
    if (!best.link || since < best.since) best = {&link, since};
  }
  return best;
}

void Master::dispatch(Duration now) {
  for (const bool continuous : {false, true}) {
    while (true) {
      const Candidate next = next_to_start(now, continuous);
      if (!next.link) break;
      Link& link = *next.link;
      const Agenda::Turn turn =
          continuous ? link.agenda.take_continuous(now) : link.agenda.take_waiting(now);
      start(link, turn, now);
    }
  }
}

modbus::Request Master::words_to_send(const Planned& planned) const {
  modbus::Request ask = planned.request;
  const model::ExchangeTransaction& t = *planned.transaction;
  if (!planned.from || !t.write) return ask;
  if (model::is_bit_area(t.write->area)) {
    ask.bits = memory_.bits(*planned.from, ask.bits.size());
    return ask;
  }
  ask.registers = memory_.registers(*planned.from, ask.registers.size());
  for (const Reordering& r : planned.write_order) {
    modbus::reorder(std::span(ask.registers).subspan(r.first, r.count), r.from, r.to);
  }
  return ask;
}

void Master::start(Link& link, const Agenda::Turn& turn, Duration now) {
  Planned& planned = link.jobs[turn.job];
  const model::ExchangeTransaction& t = *planned.transaction;
  UnderWay request;
  request.job = turn.job;
  request.release = turn.release;
  request.start = now;
  request.most_tries = turn.trial || t.endpoint.broadcast ? 1 : 1 + t.endpoint.retries;
  const bool gated = planned.gate && !options_.ignore_gates &&
                     !memory_.bit(planned.gate->store, planned.gate->first);
  const bool unknown = options_.only_known_values && planned.from && !memory_.known(*planned.from);
  request.number = ++link.started;
  request.asked.unit = static_cast<std::uint8_t>(t.endpoint.unit ? t.endpoint.unit->value : 0);
  request.asked.framing = t.endpoint.framing;
  request.asked.request = words_to_send(planned);
  const auto held = link.late.held_until(request.asked, now);
  if (turn.parked || gated || unknown || held) {
    request.outcome = turn.parked || held ? Outcome::dropped : Outcome::left_out;
    request.replied = now;
    if (!gated) record(link, request, now);
    // the agenda keeps the trial of what is parked; what is continuous is looked at again later
    constexpr Duration look_again = std::chrono::milliseconds(10);
    link.agenda.finished(turn.job, turn.release, now, Ending::not_sent,
                         held ? *held : now + look_again);
    catch_up(link, now);
    return;
  }
  request.words = request.asked.request.registers;
  for (const bool bit : request.asked.request.bits) request.words.push_back(bit ? 1 : 0);
  for (const model::Status& status : t.status) {
    if (status.kind == model::StatusKind::busy) {
      memory_.put_bits(memory_.sequence(status.range), {true});
    }
  }
  if (counts_in_limit(link)) ++under_limit_;
  link.under_way.push_back(std::move(request));
  connect_or_send(link, link.under_way.back(), now);
}

}  // namespace greymet::engine
