// Time: what is due, how tries and requests end.
#include "engine/master_link.h"

#include <algorithm>
#include <utility>

#include "modbus/frame_length.h"
#include "timing/transaction_times.h"

namespace greymet::engine {

using timing::QueueKind;

namespace {

modbus::Framing framing_of(const std::vector<PlannedJob>& jobs) {
  return jobs.empty() ? modbus::Framing::tcp : jobs.back().transaction->endpoint.framing;
}

std::vector<PlannedJob> plan_jobs(const model::ResolvedPlan& plan, const ControllerMemory& memory,
                                  const timing::Queue& queue) {
  std::vector<PlannedJob> out;
  for (const timing::Job& job : queue.jobs) out.push_back(plan_job(plan, memory, job));
  return out;
}

}  // namespace

MasterLink::MasterLink(const model::ResolvedPlan& plan, const timing::Queue& queue,
                       std::size_t index, MasterContext& context)
    : index_(index),
      queue_(&queue),
      context_(&context),
      jobs_(plan_jobs(plan, context.memory, queue)),
      agenda_(queue, {context.options.triggers_always, true}),
      receiver_(framing_of(jobs_), modbus::Direction::reply, context.options.silence),
      late_(context.options.late_answers),
      next_number_(context.options.first_number) {
  const bool each = std::any_of(jobs_.begin(), jobs_.end(), [](const PlannedJob& job) {
    return job.transaction->endpoint.connect.max > Duration{};
  });
  connects_each_ = each && queue.in_flight == 1;
  // a serial port is opened by the driver before anything starts
  if (on_line()) connection_ = Connection::open;
  for (std::size_t j = 0; j < jobs_.size(); ++j) {
    if (!is_left_out(jobs_[j])) continue;
    agenda_.leave_out(j);
    RequestRecord left_out;
    left_out.transaction = queue.jobs[j].transaction;
    left_out.link = index;
    left_out.job = j;
    left_out.outcome = Outcome::left_out;
    left_out.cause = Cause::not_allowed;
    context.records.push_back(std::move(left_out));
  }
}

bool MasterLink::is_left_out(const PlannedJob& job) const {
  if (job.transaction->write && !context_->options.allow_writes) return true;
  return job.transaction->endpoint.broadcast && !context_->options.allow_broadcasts;
}

void MasterLink::abandon(Duration now) {
  for (RequestUnderWay& request : under_way_) {
    if (!std::holds_alternative<Finishing>(request.state)) {
      request.outcome = request.tries == 0 ? Outcome::dropped : Outcome::unfinished;
      request.cause = Cause::ended;
      request.replied = now;
    }
    record(request, now);
  }
  under_way_.clear();
}

// ---------------------------------------------------------------- what is due

Duration MasterLink::next_due() const {
  Duration next = never;
  for (const RequestUnderWay& request : under_way_) next = std::min(next, due_at(request.state));
  return next;
}

Duration MasterLink::next_wake(Duration now) const {
  Duration next = next_due();
  if (const auto silence = receiver_.silence_at()) next = std::min(next, *silence);
  if (context_->stopped) return next;
  next = std::min(next, agenda_.next_instant(now));
  for (const bool continuous : {false, true}) {
    const auto at = startable_at(continuous, now);
    if (at && *at > now) next = std::min(next, *at);
  }
  return next;
}

void MasterLink::act(Duration now) {
  if (receiver_.silence_at() && *receiver_.silence_at() <= now) {
    Received received;
    receiver_.look_at_silence(received);
    handle(now, received);
  }
  catch_up(now);
}

// In the order of time: a release at the instant of completion is not missed.
void MasterLink::catch_up(Duration now) {
  while (true) {
    const Duration due = next_due();
    const Duration release = context_->stopped ? never : agenda_.next_release();
    if (std::min(due, release) > now) return;
    if (release < due) {
      admit(release);
      continue;
    }
    const auto at = std::find_if(
        under_way_.begin(), under_way_.end(),
        [due](const RequestUnderWay& request) { return due_at(request.state) == due; });
    go_on(static_cast<std::size_t>(at - under_way_.begin()));
  }
}

void MasterLink::admit(Duration release) {
  const auto job = agenda_.admit_next(release);
  if (!job) return;
  RequestRecord parked;
  parked.transaction = queue_->jobs[*job].transaction;
  parked.link = index_;
  parked.job = *job;
  parked.release = parked.start = parked.replied = parked.as_of = parked.end = release;
  parked.outcome = Outcome::dropped;
  parked.cause = Cause::parked;
  context_->records.push_back(std::move(parked));
}

// The request is due.
void MasterLink::go_on(std::size_t at) {
  RequestUnderWay& request = under_way_[at];
  if (const auto* finishing = std::get_if<Finishing>(&request.state)) {
    return complete(at, finishing->ready);
  }
  const auto* between = std::get_if<BetweenTries>(&request.state);
  if (!between) return pass_deadline(request);
  const Duration ready = between->ready;
  if (context_->stopped) {
    request.outcome = Outcome::unfinished;
    request.replied = ready;
    return complete(at, ready);
  }
  if (connects_each_) hang_up(request);
  connect_or_send(request, ready);
}

void MasterLink::pass_deadline(RequestUnderWay& request) {
  const Duration deadline = due_at(request.state);
  if (std::holds_alternative<Connecting>(request.state)) {
    context_->actions.push_back(
        {MasterAction::Kind::close, index_, request.job, {}, request.start});
    return refused(deadline, Cause::unreachable);
  }
  take_rest(request);
  give_up_try(request, deadline);
  fail_try(request, deadline + (on_line() ? times_of(request).serial->gap : Duration{}));
}

// A reply that came in time and was damaged on the way does not come again.
bool MasterLink::was_damaged_answer(const RequestUnderWay& request) const {
  const Asked& asked = request.asked;
  const std::size_t junk = request.waiting() != nullptr ? request.waiting()->junk : 0;
  const bool long_enough =
      junk == modbus::reply_length(asked.request.function, asked.request.quantity, asked.framing) ||
      junk == modbus::exception_length(asked.framing);
  return long_enough && !late_.expects(asked.unit, request.sent);
}

void MasterLink::give_up_try(RequestUnderWay& request, Duration now) {
  if (request.asked.framing == modbus::Framing::tcp || was_damaged_answer(request)) return;
  late_.given_up(request.number, request.asked, now);
  // from answer to answer it would never come out which one belongs to what
  if (request.heard == Heard::ambiguous) request.most_tries = request.tries;
}

// What came in the try that is over, and was no frame.
void MasterLink::take_rest(RequestUnderWay& request) {
  Received left;
  if (under_way_.size() == 1) receiver_.forget(left);
  for (const ReceivedJunk& junk : left.junk) {
    request.add_junk(junk.bytes);
    oddities_.add(junk.kind == ReceivedJunk::Kind::bad_checksum ? Oddity::bad_checksum
                                                                : Oddity::cut_short);
  }
}

void MasterLink::fail_try(RequestUnderWay& request, Duration ready) {
  take_rest(request);
  if (request.tries < request.most_tries) {
    request.state = BetweenTries{ready};
    return;
  }
  request.state = Finishing{ready};
  request.replied = ready;
  if (request.tries == 0) request.cause = connection_cause_;
  request.outcome = request.tries == 0               ? Outcome::dropped
                    : request.heard > Heard::nothing ? Outcome::bad
                                                     : Outcome::timeout;
}

void MasterLink::complete(std::size_t at, Duration end) {
  RequestUnderWay request = std::move(under_way_[at]);
  under_way_.erase(under_way_.begin() + static_cast<std::ptrdiff_t>(at));
  const PlannedJob& job = jobs_[request.job];
  // what a gateway answers for a slave that is silent says that the slave is not there
  const bool gateway_answers = request.outcome == Outcome::exception &&
                               job.transaction->endpoint.translated &&
                               (request.exception == 0x0A || request.exception == 0x0B);
  const bool answered =
      (request.outcome == Outcome::good || request.outcome == Outcome::exception) &&
      !gateway_answers;
  record(request, end);
  if (request.reply) {
    context_->deliveries.emplace(round_up(end, context_->scan),
                                 MasterContext::Delivery{&job, std::move(*request.reply)});
  }
  const bool good = request.outcome == Outcome::good;
  // whose end nobody waited for is not lost
  if (!good && request.outcome != Outcome::unfinished) react_to_loss(job, context_->memory);
  show_end(job, good, request.exception, context_->memory);
  free_since_ = end;
  if (takes_places()) context_->places.give_back(end);
  // who gave an answer that may be another's is there
  agenda_.finished(
      request.job, request.release, end,
      answered || request.heard == Heard::ambiguous ? Ending::answered : Ending::failed);
  if (connects_each_) hang_up(request);
}

void MasterLink::record(const RequestUnderWay& request, Duration end) {
  RequestRecord out;
  out.transaction = queue_->jobs[request.job].transaction;
  out.link = index_;
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
  const bool answered = request.outcome == Outcome::good || request.outcome == Outcome::exception;
  out.cause = answered                                 ? Cause::none
              : request.outcome == Outcome::unfinished ? Cause::ended
                                                       : request.cause;
  out.broadcast = jobs_[request.job].transaction->endpoint.broadcast;
  out.words = request.words;
  context_->records.push_back(std::move(out));
}

}  // namespace greymet::engine
