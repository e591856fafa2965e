#include "line_text.h"

#include <fmt/format.h>

namespace greymet::checks::internal {

using model::Place;
using model::place_or;

namespace {

// A line of the plan, or the box a connection leads to.
struct Owner {
  std::string subject;
  Place place;
};

Owner owner_of_connection(const model::ResolvedPlan& plan, const timing::Queue& queue) {
  const model::Connection& connection = plan.exchange.connections[*queue.connection];
  if (connection.gateway) {
    const model::Gateway& gateway = plan.plan.gateways[*connection.gateway];
    return {fmt::format("gateway {}", gateway.name), gateway.place};
  }
  for (std::size_t s = 0; s < plan.plan.slaves.size(); ++s) {
    const model::ExchangeSlave& slave = plan.exchange.slaves[s];
    if (slave.host == connection.host && slave.port == connection.port) {
      return {fmt::format("slave {}", slave.name), plan.plan.slaves[s].place};
    }
  }
  return {fmt::format("controller {}", connection.name), connection.place};
}

Owner owner_of(const model::ResolvedPlan& plan, const timing::TimingReport& timing,
               const timing::LineReport& line) {
  if (line.queue && timing.model.queues[*line.queue].connection) {
    return owner_of_connection(plan, timing.model.queues[*line.queue]);
  }
  for (const model::Line& declared : plan.plan.lines) {
    if (declared.name == line.name) return {fmt::format("line {}", line.name), declared.place};
  }
  return {fmt::format("line {}", line.name), {}};
}

}  // namespace

std::string line_subject(const model::ResolvedPlan& plan, const timing::TimingReport& timing,
                         const timing::LineReport& line) {
  return owner_of(plan, timing, line).subject;
}

Place line_place(const model::ResolvedPlan& plan, const timing::TimingReport& timing,
                 const timing::LineReport& line) {
  return owner_of(plan, timing, line).place;
}

TimeoutOwner timeout_owner(const model::ResolvedPlan& plan, const model::ResolvedTransaction& t) {
  if (t.channel->gateway) {
    const model::Gateway& gateway = plan.plan.gateways[*t.channel->gateway];
    if (plan.exchange.gateways[*t.channel->gateway].framing == model::GatewayFraming::rtu) {
      return {fmt::format("gateway {}", gateway.name), place_or(gateway.timeout, gateway.place)};
    }
  }
  if (t.channel->line) {
    const model::Line& line = plan.plan.lines[*t.channel->line];
    return {fmt::format("line {}", line.name), place_or(line.timeout, line.place)};
  }
  if (t.target->is_peer) {
    const model::Controller& peer = plan.plan.controllers[t.target->index];
    const model::Answer& answer = peer.answers[t.target->answer];
    return {fmt::format("controller {}", peer.name), place_or(answer.timeout, answer.place)};
  }
  const model::Slave& slave = plan.plan.slaves[t.target->index];
  return {fmt::format("slave {}", slave.name), place_or(slave.timeout, slave.place)};
}

}  // namespace greymet::checks::internal
