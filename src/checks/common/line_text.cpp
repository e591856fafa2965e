#include "line_text.h"

#include <fmt/format.h>

#include "model/resolved_plan.h"
#include "words.h"

namespace greymet::checks::internal {

using model::place_or;

namespace {

// A line of the plan, or the box a connection leads to.
struct Owner {
  model::Subject subject;
  Range place;
};

Owner owner_of_connection(const model::ResolvedPlan& plan, const timing::Queue& queue) {
  const model::Connection& connection = plan.exchange.connections[*queue.connection];
  if (connection.gateway) {
    const model::Gateway& gateway = plan.plan.gateways[*connection.gateway];
    return {subject_of(gateway), gateway.place};
  }
  for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
    const model::ExchangeSlave& slave = plan.exchange.slaves[s];
    if (slave.host == connection.host && slave.port == connection.port) {
      return {subject_of(plan.plan.slaves[s]), plan.plan.slaves[s].place};
    }
  }
  return {{model::SubjectKind::controller, connection.name}, connection.place};
}

Owner owner_of(const model::ResolvedPlan& plan, const timing::TimingReport& timing,
               const timing::LineReport& line) {
  if (line.queue && timing.model.queues[*line.queue].connection) {
    return owner_of_connection(plan, timing.model.queues[*line.queue]);
  }
  for (const model::Line& declared : plan.plan.lines) {
    if (declared.name == line.name) return {subject_of(declared), declared.place};
  }
  return {{model::SubjectKind::line, line.name}, {}};
}

}  // namespace

model::Subject line_subject(const model::ResolvedPlan& plan, const timing::TimingReport& timing,
                            const timing::LineReport& line) {
  return owner_of(plan, timing, line).subject;
}

Range line_place(const model::ResolvedPlan& plan, const timing::TimingReport& timing,
                 const timing::LineReport& line) {
  return owner_of(plan, timing, line).place;
}

namespace {

// Timeout, retries and park were read, or left out on purpose.
bool tries_are_known(const model::RefusedKeys& refused) {
  return !refused.contains("timeout") && !refused.contains("retries") && !refused.contains("park");
}

TimeoutOwner gateway_as_owner(const model::ResolvedPlan& plan, std::size_t index) {
  const model::Gateway& gateway = plan.plan.gateways[index];
  const bool known = tries_are_known(gateway.refused) && !gateway.refused.contains("framing") &&
                     !gateway.refused.contains("on_silence");
  return {subject_of(gateway), place_or(gateway.timeout, gateway.place), known};
}

}  // namespace

TimeoutOwner timeout_owner(const model::ResolvedPlan& plan, const model::ResolvedTransaction& t) {
  if (t.channel->gateway &&
      plan.exchange.gateways[*t.channel->gateway].framing == model::GatewayFraming::rtu) {
    return gateway_as_owner(plan, *t.channel->gateway);
  }
  if (t.channel->line) {
    const model::Line& line = plan.plan.lines[*t.channel->line];
    return {subject_of(line), place_or(line.timeout, line.place), tries_are_known(line.refused)};
  }
  if (t.target->is_peer) {
    const model::Controller& peer = plan.plan.controllers[t.target->index];
    const model::Answer& answer = peer.answers[t.target->answer];
    return {subject_of(peer), place_or(answer.timeout, answer.place), true};
  }
  const model::Slave& slave = plan.plan.slaves[t.target->index];
  return {subject_of(slave), place_or(slave.timeout, slave.place), tries_are_known(slave.refused)};
}

TimeoutOwner silence_owner(const model::ResolvedPlan& plan, const model::ResolvedTransaction& t) {
  if (t.channel->gateway && !plan.exchange.gateways[*t.channel->gateway].answers_for_silent()) {
    return gateway_as_owner(plan, *t.channel->gateway);
  }
  return timeout_owner(plan, t);
}

}  // namespace greymet::checks::internal
