// Family N, second half: connections and gateways against the clock (N05, N06, N11).
#include <algorithm>
#include <map>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/line_text.h"
#include "common/rule_text.h"
#include "model/boundaries.h"
#include "model/resolved_plan.h"
#include "timing/bounds.h"
#include "timing/report.h"

namespace greymet::checks {

using timing::LineReport;
using timing::Queue;
using timing::TransactionReport;

namespace {

// The slaves that a connection reaches directly, each once, in list order.
std::vector<model::SlaveIndex> slaves_of(const model::ResolvedPlan& plan, const Queue& queue) {
  std::vector<model::SlaveIndex> slaves;
  for (const timing::Job& job : queue.jobs) {
    const auto& target = plan.transactions[job.transaction].target;
    if (target->is_peer) continue;
    const model::SlaveIndex slave(target->index);
    if (std::find(slaves.begin(), slaves.end(), slave) == slaves.end()) slaves.push_back(slave);
  }
  return slaves;
}

// The longest time between two requests of a connection: the least of its transactions' intervals.
// Nothing if none of them is sure to come back.
std::optional<Duration> longest_silence(const LineReport& line) {
  std::optional<Duration> least;
  for (const TransactionReport& t : line.transactions) {
    if (!t.interval_bound) continue;
    if (!least || *t.interval_bound < *least) least = t.interval_bound;
  }
  return least;
}

// N05
void check_idle(const model::Slave& slave, const LineReport& line, model::Connect connect,
                Findings& out) {
  if (!slave.idle || connect == model::Connect::each) return;
  const auto silence = longest_silence(line);
  if (silence && *silence <= slave.idle->value) return;
  const std::string often = to_text(std::max(slave.idle->value / 2, Duration(1'000'000)));
  report(out, RuleCode::N05, Severity::warning, slave.idle->place, subject_of(slave),
         silence ? fmt::format("closes an idle connection after {}; up to {} may pass between two "
                               "requests of controller {}",
                               to_text(slave.idle->value), in_ms(*silence), line.master)
                 : fmt::format("closes an idle connection after {}; controller {} only asks when "
                               "something triggers",
                               to_text(slave.idle->value), line.master),
         fmt::format("read something of it every = \"{}\", or write connect = \"each\"", often));
}

// N11: what keeping the connection would save.
void check_connect_each(const model::Slave& slave, const model::ExchangeSlave& effective,
                        const LineReport& line, const Queue& queue, Findings& out) {
  if (effective.connect != model::Connect::each) return;
  constexpr double often_per_hour = 360;  // one request in ten seconds
  constexpr double hour_ns = 3'600e9;
  double per_hour = 0;
  for (const timing::Job& job : queue.jobs) {
    if (timing::recurs(job)) per_hour += hour_ns / static_cast<double>(job.period.count());
  }
  if (per_hour < often_per_hour) return;
  const auto silence = longest_silence(line);
  if (slave.idle && (!silence || *silence > slave.idle->value)) return;  // it could not be kept
  const Duration rtt = effective.rtt.max;
  report(out, RuleCode::N11, Severity::note, slave.connect->place, subject_of(slave),
         fmt::format("opens {:.0f} connections an hour; keeping one would save up to {} of each "
                     "request",
                     per_hour, in_ms(rtt)),
         "write connect = \"keep\", unless the slave cannot hold a connection");
  internal::cure_by_keys(out, "write connect = \"keep\"", slave.connect->place,
                         {{"connect", "\"keep\""}}, false);
}

// N06, per gateway: all that may happen behind it before its answer comes.
void check_gateway(const model::ResolvedPlan& plan, const timing::TimingReport& timing,
                   std::size_t index, Findings& out) {
  const model::Gateway& gateway = plan.plan.gateways[index];
  const model::ExchangeGateway& effective = plan.exchange.gateways[index];
  if (effective.framing == model::GatewayFraming::rtu) return;
  const Duration timeout = effective.timeout;
  const timing::Job* worst = nullptr;
  Duration needed{};
  Duration foreign{};
  for (const Queue& queue : timing.model.queues) {
    if (!queue.connection ||
        plan.exchange.connections[*queue.connection].gateway != model::GatewayIndex(index)) {
      continue;
    }
    const Duration share = timing::foreign_share(timing.model, queue);
    for (const timing::Job& job : queue.jobs) {
      if (!job.times.serial || job.times.broadcast) continue;
      const Duration attempt =
          job.times.serial->request_longest() + job.times.timeout + job.times.serial->gap;
      const Duration total = job.times.network->out_longest + job.times.network->back_longest +
                             share + (1 + job.times.retries) * attempt;
      if (total <= needed) continue;
      needed = total;
      foreign = share;
      worst = &job;
    }
  }
  if (worst == nullptr || needed <= timeout) return;
  const auto& t = plan.transactions[worst->transaction];
  if (!internal::timeout_owner(plan, t).is_known || gateway.refused.contains("timeout")) return;
  const std::string slave = plan.target_name(*t.target);
  const std::string others =
      foreign > Duration{} ? fmt::format(", {} of them for other masters", in_ms(foreign)) : "";
  report(
      out, RuleCode::N06, Severity::error, place_or(gateway.timeout, gateway.place),
      subject_of(gateway),
      fmt::format("the master gives up after {}, but the gateway may {} ({} tries of {}{}): the "
                  "late answer meets the next request",
                  to_text(timeout),
                  effective.answers_for_silent()
                      ? fmt::format("take {} to say that {} does not answer", in_ms(needed), slave)
                      : fmt::format("still try to reach {} for {}", slave, in_ms(needed)),
                  1 + worst->times.retries, to_text(worst->times.timeout), others),
      fmt::format("write timeout = \"{}\" here, or a shorter timeout at line {}",
                  to_text(rounded_up(needed, std::chrono::milliseconds(100))),
                  plan.plan.lines[*t.channel->line].name),
      {{plan.plan.lines[*t.channel->line].place, "the gateway's side is here"}});
  const Duration longer = rounded_up(needed, std::chrono::milliseconds(100));
  internal::cure_by_keys(out, fmt::format("write timeout = \"{}\"", to_text(longer)),
                         place_or(gateway.timeout, gateway.place),
                         {{"timeout", internal::toml_text(longer)}}, false);
}

}  // namespace

void check_connections(const RuleInput& in, Findings& out) {
  const timing::TimingReport& timing = in.timing();
  for (const LineReport& line : timing.lines) {
    if (!line.queue) continue;
    const Queue& queue = timing.model.queues[*line.queue];
    if (queue.kind != timing::QueueKind::tcp) continue;
    for (const model::SlaveIndex index : slaves_of(in.plan, queue)) {
      const model::Slave& slave = in.plan.plan.slaves[index];
      const model::ExchangeSlave& effective = in.plan.exchange.slaves[index];
      check_idle(slave, line, effective.connect, out);
      check_connect_each(slave, effective, line, queue, out);
    }
  }
  for (std::size_t g = 0; g < in.plan.plan.gateways.size(); ++g) {
    check_gateway(in.plan, timing, g, out);
  }
}

}  // namespace greymet::checks
