// The third act of a rehearsal: who falls silent, when, and how long all that takes.
#include <algorithm>
#include <map>
#include <set>
#include <string>

#include <fmt/format.h>

#include "rehearsal_internal.h"

namespace greymet::engine::internal {

using std::chrono::seconds;

namespace {

// Slaves that fall silent at the same time: each on a wire of its own.
struct SilentTogether {
  std::vector<std::size_t> slaves;
  std::set<std::string> wires;
};

std::string wire_of(const model::ExchangeSlave& slave) {
  if (slave.line) return fmt::format("line {}", slave.line->value);
  return slave.host ? fmt::format("{}:{}", *slave.host, slave.port) : std::string();
}

// One after the other, as far as that lasts no longer than for some fifty; of more, several on
// different wires together: what a rehearsal plays grows with the plan, not with its square.
std::vector<SilentTogether> turns_of(const model::ResolvedPlan& plan,
                                     const std::map<std::size_t, Duration>& needed) {
  const std::size_t most = at_a_time(needed.size());
  std::vector<SilentTogether> turns;
  std::size_t open = 0;  // turns before it are full
  for (const auto& [slave, time] : needed) {
    const std::string wire = wire_of(plan.exchange.slaves[slave]);
    while (open < turns.size() && turns[open].slaves.size() >= most) ++open;
    std::size_t at = open;
    while (at < turns.size() &&
           (turns[at].slaves.size() >= most || turns[at].wires.contains(wire))) {
      ++at;
    }
    if (at == turns.size()) turns.emplace_back();
    turns[at].slaves.push_back(slave);
    turns[at].wires.insert(wire);
  }
  return turns;
}

// How long whoever was silent may not be asked again: until its park is over, and has been tried.
std::map<std::pair<bool, std::size_t>, Duration> pauses_of(const model::ResolvedPlan& plan,
                                                           const timing::TimingReport& report) {
  std::map<std::pair<bool, std::size_t>, Duration> out;
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      const model::ExchangeTransaction* e = plan.exchange.find(t.transaction);
      if (!e || e->endpoint.broadcast || !t.silent) continue;
      const Duration retry = e->endpoint.park ? e->endpoint.park->retry : Duration{};
      Duration& pause = out[{e->target.is_peer, e->target.index}];
      pause = std::max(pause, retry + *t.silent + seconds(2));
    }
  }
  return out;
}

}  // namespace

std::vector<Fault> default_script(const model::ResolvedPlan& plan,
                                  const timing::TimingReport& report) {
  std::map<std::size_t, Duration> needed;  // until one request of it has failed in all its tries
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      const model::ExchangeTransaction* e = plan.exchange.find(t.transaction);
      if (!e || e->target.is_peer || e->endpoint.broadcast || !t.period || !t.silent) continue;
      const Duration time = *t.period + *t.silent + seconds(1);
      const auto [at, is_new] = needed.try_emplace(e->target.index, time);
      if (!is_new) at->second = std::min(at->second, time);
    }
  }
  const auto pauses = pauses_of(plan, report);
  std::vector<Fault> script;
  Duration at = seconds(1);
  for (const SilentTogether& turn : turns_of(plan, needed)) {
    Duration next = at;
    for (const std::size_t slave : turn.slaves) {
      Fault fault;
      fault.at = at;
      fault.until = at + needed.at(slave);
      fault.index = slave;
      fault.kind = FaultKind::silent;
      script.push_back(fault);
      next = std::max(next, fault.until + pauses.at({false, slave}));
    }
    at = next;
  }
  return script;
}

Duration patience_after(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                        const std::vector<Fault>& script) {
  const auto pauses = pauses_of(plan, report);
  Duration longest{};
  for (const Fault& fault : script) {
    const auto at = pauses.find({fault.is_peer, fault.index});
    if (at != pauses.end()) longest = std::max(longest, at->second);
  }
  return std::max(longest, patience_of(report));
}

Duration length_of_script(const std::vector<Fault>& script, Duration patience) {
  Duration last{};
  for (const Fault& fault : script) {
    last = std::max(last, fault.until == Duration::max() ? fault.at : fault.until);
  }
  return last + patience;
}

}  // namespace greymet::engine::internal
