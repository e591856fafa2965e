#include "timing/measured_facts.h"

#include <algorithm>
#include <map>
#include <optional>

#include "timing/transaction_times.h"

namespace greymet::timing {

using model::Delay;
using model::Duration;
using model::Fact;
using model::FactKind;

namespace {

// The part of a duration that is the slave's own.
struct OwnPart {
  Duration typical{};
  Duration longest{};
};

OwnPart own_part(const TransactionTimes& times) {
  if (times.serial) return {times.serial->turnaround_typical, times.serial->turnaround_longest};
  const NetworkParts& net = *times.network;
  return {net.slave_typical - net.pause, net.slave_longest - net.pause};
}

// What it shows of the slave's own part, all else at its typical time: the longest answer need not
// have met the slowest network. At least 0, and the longest no less than the typical.
OwnPart shown_by(const MeasuredDuration& measured, const TransactionTimes& times) {
  const Duration others = times.typical - own_part(times).typical;
  OwnPart out;
  out.typical = std::max(measured.median - others, Duration{});
  out.longest = std::max(measured.longest - others, out.typical);
  return out;
}

const Fact* fact_of(const model::ResolvedPlan& plan, FactKind kind, std::size_t slave) {
  for (const Fact& fact : plan.exchange.ledger.facts()) {
    if (fact.id.kind == kind && fact.id.owner == model::FactOwner::slave &&
        fact.id.index == slave) {
      return &fact;
    }
  }
  return nullptr;
}

}  // namespace

std::vector<MeasuredReply> measured_replies(const model::ResolvedPlan& plan,
                                            const std::vector<MeasuredDuration>& durations) {
  struct Shown {
    OwnPart part;
    std::uint64_t answers = 0;
  };
  std::map<std::string, const MeasuredDuration*> by_name;
  for (const MeasuredDuration& each : durations) by_name.emplace(each.transaction, &each);
  std::map<std::size_t, Shown> slaves;
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    const auto measured = by_name.find(t.name);
    if (measured == by_name.end() || t.target.is_peer || t.endpoint.broadcast) continue;
    if (measured->second->answers == 0) continue;
    const auto times = transaction_times(plan.exchange, t);
    if (!times) continue;
    const OwnPart part = shown_by(*measured->second, *times);
    Shown& shown = slaves[t.target.index];
    shown.part.typical = std::max(shown.part.typical, part.typical);
    shown.part.longest = std::max(shown.part.longest, part.longest);
    shown.answers += measured->second->answers;
  }
  std::vector<MeasuredReply> out;
  out.reserve(slaves.size());
  for (const auto& [slave, shown] : slaves) {
    // how often it looks at its port comes on top
    const Fact* scans = fact_of(plan, FactKind::scans, slave);
    const Duration looks = std::get<Duration>(scans->value);
    Delay reply;
    reply.max = std::max(shown.part.longest - looks, Duration{});
    reply.typical = std::clamp(shown.part.typical - looks / 2, Duration{}, reply.max);
    out.push_back({slave, reply, shown.answers});
  }
  return out;
}

model::Measurement measured_facts(const model::ResolvedPlan& plan, std::string source,
                                  const std::vector<MeasuredDuration>& durations) {
  model::Measurement out;
  out.source = std::move(source);
  for (const MeasuredReply& each : measured_replies(plan, durations)) {
    const Fact* reply = fact_of(plan, FactKind::reply, each.slave);
    const Delay before = std::get<Delay>(reply->value);
    const bool stated = reply->basis == model::Basis::stated;
    Delay now = each.reply;
    if (stated) now.max = std::max(now.max, before.max);
    now.min = stated ? std::min(before.min, now.typical) : Duration{};
    out.facts[reply->id] = {now, before, stated, each.answers};
  }
  return out;
}

}  // namespace greymet::timing
