#include "site.h"

#include <algorithm>
#include <chrono>

#include <fmt/format.h>

#include "timing/report.h"
#include "timing/simulation.h"
#include "timing/stalls.h"
#include "timing/timing_model.h"
#include "timing/watchdogs.h"

namespace greymet::mutants {

using model::DeviceBlock;
using model::Duration;
using model::ExchangeTransaction;
using model::MemoryRange;
using model::ResolvedPlan;
using model::Target;
using model::TriggerKind;

std::string_view to_string(HarmKind kind) {
  switch (kind) {
    case HarmKind::missing: return "missing";
    case HarmKind::wrong: return "wrong";
    case HarmKind::written: return "written";
    case HarmKind::unanswered: return "unanswered";
    case HarmKind::late: return "late";
    case HarmKind::otherwise: return "otherwise";
    case HarmKind::unwatched: return "unwatched";
    case HarmKind::too_slow: return "too slow";
  }
  return {};
}

namespace {

std::string register_name(const std::string& who, model::Area area, std::uint32_t offset) {
  return fmt::format("{}/{}:{}", who, model::short_name(area), offset);
}

std::string word_name(const ResolvedPlan& plan, std::size_t controller, std::size_t area,
                      std::int64_t number) {
  const model::Controller& c = plan.plan.controllers[controller];
  return fmt::format("{}/{}{}", c.name, c.memory[area].name, number);
}

std::string range_name(const ResolvedPlan& plan, std::size_t controller, const MemoryRange& range) {
  std::string name = word_name(plan, controller, range.area, range.number);
  if (range.bit) name += fmt::format(".{}", *range.bit);
  return name;
}

// Where the k-th register or bit of a block lies in the controller's memory.
std::string memory_name(const ResolvedPlan& plan, const ExchangeTransaction& t,
                        const MemoryRange& range, model::Area area, std::uint32_t k) {
  const model::MemoryKind kind = plan.plan.controllers[t.controller].memory[range.area].kind;
  const bool bits = model::is_bit_area(area);
  if (range.bit) return range_name(plan, t.controller, range);
  if (bits && kind == model::MemoryKind::word) {
    return fmt::format("{}.{}", word_name(plan, t.controller, range.area, range.number + k / 16),
                       k % 16);
  }
  if (!bits && kind == model::MemoryKind::bit) {
    return word_name(plan, t.controller, range.area, range.number + 16 * k);
  }
  return word_name(plan, t.controller, range.area, range.number + k);
}

Move move_of(const ResolvedPlan& plan, const ExchangeTransaction& t) {
  Move move;
  move.cyclic = t.trigger.kind == TriggerKind::cyclic;
  move.continuous = t.trigger.kind == TriggerKind::continuous;
  move.period = t.trigger.period;
  move.when = std::string(model::to_string(t.trigger.kind));
  if (!move.cyclic && !move.continuous) move.when += fmt::format(" {}", t.trigger.period.count());
  if (t.trigger.bit) move.when += " " + range_name(plan, t.controller, *t.trigger.bit);
  if (t.gate) move.when += " if " + range_name(plan, t.controller, *t.gate);
  if (t.on_loss) move.loss = fmt::format("{}", static_cast<int>(*t.on_loss));
  return move;
}

template <class V>
const V* by_name(const auto& list, const std::string& name) {
  const auto at =
      std::find_if(list.begin(), list.end(), [&](const V& each) { return each.name == name; });
  return at == list.end() ? nullptr : &*at;
}

std::size_t index_of_slave(const ResolvedPlan& plan, const std::string& name) {
  const auto at = std::find_if(plan.exchange.slaves.begin(), plan.exchange.slaves.end(),
                               [&](const auto& each) { return each.name == name; });
  return static_cast<std::size_t>(at - plan.exchange.slaves.begin());
}

}  // namespace

Site::Site(const ResolvedPlan& right) : right_(right) {
  traffic_ = traffic_of(right);
  times_ = times_of(right);
  for (const auto& [to, moves] : traffic_.to) {
    used_.insert(to);
    for (const Move& move : moves) used_.insert(move.source);
  }
  for (const model::ResolvedTag& tag : right.tags) {
    if (!tag.memory) continue;
    for (std::int64_t k = 0; k < std::max<std::int64_t>(tag.memory->count, 1); ++k) {
      used_.insert(word_name(right, tag.controller, tag.memory->area, tag.memory->number + k));
    }
  }
}

// Whoever listens on that wire, at that speed, to that unit.
std::optional<Target> Site::who_answers(const ResolvedPlan& plan,
                                        const ExchangeTransaction& t) const {
  const model::Endpoint& to = t.endpoint;
  const std::string& master = plan.plan.controllers[t.controller].name;
  if (to.line) {
    const model::ExchangeLine& line = plan.exchange.lines[*to.line];
    const std::string& end = line.port.value_or(line.name);
    for (std::size_t l = 0; l < right_.exchange.lines.size(); ++l) {
      const model::ExchangeLine& real = right_.exchange.lines[model::LineIndex(l)];
      if (to.gateway) {
        if (!real.via) continue;
        const model::ExchangeGateway& box = right_.exchange.gateways[*real.via];
        if (box.host != to.host || box.port != to.port) continue;
        if (box.framing != plan.exchange.gateways[*to.gateway].framing) continue;
      } else {
        if (real.via || (real.port != line.port && end != real.name)) continue;
        if (!real.master || right_.plan.controllers[*real.master].name != master) continue;
        if (real.mode != line.mode || real.baud != line.baud) continue;
        if (real.format && line.format && to_text(*real.format) != to_text(*line.format)) continue;
      }
      for (std::size_t s = 0; s < right_.exchange.slaves.size(); ++s) {
        const model::ExchangeSlave& slave = right_.exchange.slaves[model::SlaveIndex(s)];
        if (slave.line == model::LineIndex(l) && slave.unit == to.unit) return Target{false, s, 0};
      }
      for (std::size_t c = 0; c < right_.exchange.controllers.size(); ++c) {
        const auto& answers = right_.exchange.controllers[model::ControllerIndex(c)].answers;
        for (std::size_t a = 0; a < answers.size(); ++a) {
          if (answers[a].line == model::LineIndex(l) && answers[a].unit == to.unit) {
            return Target{true, c, a};
          }
        }
      }
    }
    return std::nullopt;
  }
  for (std::size_t s = 0; s < right_.exchange.slaves.size(); ++s) {
    const model::ExchangeSlave& slave = right_.exchange.slaves[model::SlaveIndex(s)];
    if (slave.host && *slave.host == to.host && slave.port == to.port) {
      const bool alone = std::count_if(right_.exchange.slaves.begin(), right_.exchange.slaves.end(),
                                       [&](const auto& each) {
                                         return each.host == slave.host && each.port == slave.port;
                                       }) == 1;
      if (alone || slave.unit == to.unit) return Target{false, s, 0};
    }
  }
  for (std::size_t c = 0; c < right_.exchange.controllers.size(); ++c) {
    const auto& address = right_.plan.controllers[c].address;
    const auto& answers = right_.exchange.controllers[model::ControllerIndex(c)].answers;
    for (std::size_t a = 0; a < answers.size(); ++a) {
      const bool here = address && address->value.substr(0, address->value.find('/')) == to.host;
      if (here && !answers[a].on_line && answers[a].port == to.port) return Target{true, c, a};
    }
  }
  return std::nullopt;
}

bool Site::refuses(const Target& target, const ExchangeTransaction& t, const DeviceBlock& block,
                   bool is_read) const {
  if (block.extent().end > model::addresses_per_area || block.quantity == 0) return true;
  // the function says what is reached, whatever the address was called
  const auto& traits = model::traits_of(t.function);
  if (traits.area != block.area) return true;
  if (!is_read && model::writes_single(t.function) && block.quantity != 1) return true;
  if (target.is_peer) {
    return !right_.layouts[model::ControllerIndex(target.index)].serving(block.area, block.offset,
                                                                         block.quantity);
  }
  const model::ExchangeSlave& slave = right_.exchange.slaves[model::SlaveIndex(target.index)];
  if (!slave.accepts.implements(model::number_of(t.function))) return true;
  if (block.quantity > static_cast<std::uint32_t>(slave.accepts.most(block.area, is_read))) {
    return true;
  }
  const model::RegisterMap* map = right_.map_of(target);
  if (map == nullptr) return false;
  if (slave.map_is_complete() && !map->holes_in(block.area, block.extent()).empty() &&
      slave.holes != model::Holes::zero) {
    return true;
  }
  const model::Access not_so = is_read ? model::Access::write : model::Access::read;
  const auto points = map->points_touching(block.area, block.extent());
  return std::any_of(points.begin(), points.end(),
                     [&](const model::Point* p) { return p->access == not_so; });
}

Traffic Site::traffic_of(const ResolvedPlan& plan) const {
  Traffic out;
  const auto source_name = [&](const Target& target, const DeviceBlock& block, std::uint32_t k) {
    if (!target.is_peer) {
      return register_name(right_.plan.slaves[target.index].name, block.area, block.offset + k);
    }
    const auto memory = right_.layouts[model::ControllerIndex(target.index)].serving(
        block.area, block.offset + k, 1);
    return memory ? word_name(right_, target.index, memory->area, memory->number) : std::string();
  };
  for (const ExchangeTransaction& t : plan.exchange.transactions) {
    std::vector<Target> targets;
    const auto answers = who_answers(plan, t);
    if (t.endpoint.broadcast) {
      for (std::size_t s = 0; s < right_.exchange.slaves.size(); ++s) {
        const auto& line = right_.exchange.slaves[model::SlaveIndex(s)].line;
        if (line && t.endpoint.line &&
            right_.exchange.lines[*line].name == plan.exchange.lines[*t.endpoint.line].name) {
          targets.push_back({false, s, 0});
        }
      }
    } else if (answers) {
      targets.push_back(*answers);
    } else {
      out.unanswered.push_back({HarmKind::unanswered, t.name + ": nobody is there"});
      continue;
    }
    const bool refused = std::any_of(targets.begin(), targets.end(), [&](const Target& target) {
      return (t.read && refuses(target, t, *t.read, true)) ||
             (t.write && refuses(target, t, *t.write, false));
    });
    if (refused && !t.endpoint.broadcast) {
      out.unanswered.push_back({HarmKind::unanswered, t.name + ": refused"});
      continue;
    }
    const Move how = move_of(plan, t);
    for (const Target& target : targets) {
      if (t.read && t.into) {
        for (std::uint32_t k = 0; k < t.read->quantity; ++k) {
          Move move = how;
          move.source = source_name(target, *t.read, k);
          if (t.read_swap) move.swap = std::string(to_string(*t.read_swap));
          out.to[memory_name(plan, t, *t.into, t.read->area, k)].push_back(move);
        }
      }
      if (t.write && t.from) {
        for (std::uint32_t k = 0; k < t.write->quantity; ++k) {
          Move move = how;
          move.source = memory_name(plan, t, *t.from, t.write->area, k);
          if (t.write_swap) move.swap = std::string(to_string(*t.write_swap));
          out.to[source_name(target, *t.write, k)].push_back(move);
        }
      }
    }
    for (const model::Status& status : t.status) {
      out.other.insert(fmt::format("{} {} {}", t.name, to_string(status.kind),
                                   range_name(plan, t.controller, status.range)));
    }
  }
  for (const model::ResolvedCopy& copy : plan.copies) {
    if (!copy.controller || !copy.from || !copy.to) continue;
    for (std::int64_t k = 0; k < copy.to->count; ++k) {
      Move move;
      move.source = word_name(plan, *copy.controller, copy.from->area, copy.from->number + k);
      move.when = "copy";
      out.to[word_name(plan, *copy.controller, copy.to->area, copy.to->number + k)].push_back(move);
    }
  }
  return out;
}

// The other exchange with the delays that the site really has.
Site::Times Site::times_of(const ResolvedPlan& plan) const {
  ResolvedPlan there = plan.copy_for_trials();
  Times out;
  for (ExchangeTransaction& t : there.exchange.transactions) {
    const auto target = who_answers(plan, t);
    if (!target || target->is_peer) continue;
    const std::string& name = right_.plan.slaves[target->index].name;
    const auto same =
        std::find_if(right_.exchange.transactions.begin(), right_.exchange.transactions.end(),
                     [&](const ExchangeTransaction& each) {
                       return !each.target.is_peer && each.target.index == target->index;
                     });
    if (same != right_.exchange.transactions.end()) {
      t.endpoint.reply = same->endpoint.reply;
      t.endpoint.rtt = same->endpoint.rtt;
      t.endpoint.delay = same->endpoint.delay;
      t.endpoint.character_gap = same->endpoint.character_gap;
      t.endpoint.retransmission = same->endpoint.retransmission;
    }
    if (t.trigger.kind != TriggerKind::cyclic) continue;
    const auto keep = [&](std::map<std::string, Duration>& periods) {
      const auto [at, is_new] = periods.try_emplace(name, t.trigger.period);
      if (!is_new) at->second = std::min(at->second, t.trigger.period);
    };
    keep(out.periods);
    if (t.write) keep(out.writes);
  }
  timing::SimulationOptions options;
  options.durations = timing::Durations::longest;
  options.horizon = std::chrono::seconds(120);
  options.most_transactions = 30'000;
  const timing::TimingReport report = timing::analyse_longest(there, options);
  const timing::TimingModel& timing = report.model;
  for (const timing::LineReport& line : report.lines) {
    for (const timing::TransactionReport& t : line.transactions) {
      if (t.kind == TriggerKind::cyclic) out.missed[t.name] += t.missed;
    }
  }
  for (std::size_t q = 0; q < timing.queues.size(); ++q) {
    for (const timing::Job& job : timing.queues[q].jobs) {
      if (!job.times.broadcast && timing::longest_reply(job.times) > job.times.timeout) {
        out.timeouts.insert(there.target_name(timing.devices[job.device]));
      }
    }
  }
  const auto feedings = timing::watchdog_feedings(there, report);
  for (const timing::Stall& stall : report.stalls.stalls) {
    const std::string& silent = there.target_name(stall.silent);
    Duration& longest = out.stalls[silent];
    longest = std::max(longest, stall.first);
    constexpr std::size_t all = 10'000;
    for (const auto kind : {timing::StallKind::first, timing::StallKind::steady}) {
      for (const timing::JobRef ref :
           timing::jobs_hurt(there, timing, report.stalls, stall, kind, all)) {
        // one value or two that do not come until the slave is parked are bearable
        const timing::Job& job = timing::job_at(timing, ref);
        if (kind == timing::StallKind::first && stall.park && stall.first <= 3 * job.period) {
          continue;
        }
        out.hurt.insert(silent + " silent: " + there.transaction_name(job.transaction) +
                        (kind == timing::StallKind::first ? " once" : " again and again"));
      }
    }
    for (const std::size_t s : timing::watchdogs_run_out(there, feedings, stall)) {
      out.watchdogs.insert(there.plan.slaves[s].name + ", " + silent + " silent");
    }
    for (const timing::FailingJob& failing : stall.failing) {
      const timing::Job& job = timing::job_at(timing, failing.job);
      if (job.kind == TriggerKind::cyclic && failing.silent() > 100 * job.period) {
        out.hurt.insert(silent + " silent: comes back too late");
      }
    }
  }
  for (const timing::HeartbeatReport& h : report.heartbeats) {
    if (h.verdict == timing::HeartbeatVerdict::good) {
      out.good_heartbeats.insert(h.name);
    }
  }
  for (const timing::PathReport& path : report.paths) {
    if (path.verdict != timing::PathVerdict::good) {
      out.old.insert("path " + path.name);
    }
  }
  for (const timing::TagAge& age : report.tag_ages) {
    if (age.path.verdict != timing::PathVerdict::good) {
      out.old.insert("tag " + there.full_name(there.tags[age.tag]));
    }
  }
  return out;
}

void Site::compare_traffic(const Traffic& now, std::vector<Harm>& out) const {
  for (const auto& [to, moves] : traffic_.to) {
    const auto at = now.to.find(to);
    for (const Move& wanted : moves) {
      if (at == now.to.end()) {
        out.push_back({HarmKind::missing, to});
        continue;
      }
      const auto same = std::find_if(at->second.begin(), at->second.end(), [&](const Move& m) {
        return m.source == wanted.source && m.swap == wanted.swap;
      });
      if (same == at->second.end()) {
        out.push_back({HarmKind::wrong, to + " from " + at->second.front().source});
        continue;
      }
      const bool slower = wanted.cyclic && same->cyclic && same->period > wanted.period;
      if (slower || (wanted.cyclic && !same->cyclic && !same->continuous) ||
          (wanted.continuous && !same->continuous && same->cyclic)) {
        out.push_back({HarmKind::late, to});
      }
      if (same->loss != wanted.loss ||
          (same->when != wanted.when && !(wanted.cyclic && !same->cyclic) &&
           !(wanted.continuous && same->cyclic))) {
        out.push_back({HarmKind::otherwise, to});
      }
    }
    if (at != now.to.end() && at->second.size() > moves.size()) {
      for (const Move& m : at->second) {
        const bool meant = std::any_of(moves.begin(), moves.end(),
                                       [&](const Move& w) { return w.source == m.source; });
        if (!meant) out.push_back({HarmKind::wrong, to + " also from " + m.source});
      }
    }
  }
  for (const auto& [to, moves] : now.to) {
    if (traffic_.to.contains(to)) continue;
    const std::string& place = to;
    const bool at_slave =
        std::any_of(right_.plan.slaves.begin(), right_.plan.slaves.end(),
                    [&](const model::Slave& slave) { return place.starts_with(slave.name + "/"); });
    if (at_slave || used_.contains(to)) out.push_back({HarmKind::written, to});
  }
  for (const std::string& each : traffic_.other) {
    if (!now.other.contains(each)) out.push_back({HarmKind::otherwise, each});
  }
}

void Site::compare_times(const Times& now, std::vector<Harm>& out) const {
  for (const auto& [name, count] : now.missed) {
    const auto was = times_.missed.find(name);
    if (count > 0 && (was == times_.missed.end() || was->second == 0)) {
      out.push_back({HarmKind::too_slow, name + " misses its period"});
    }
  }
  for (const std::string& slave : now.timeouts) {
    if (!times_.timeouts.contains(slave)) {
      out.push_back({HarmKind::too_slow, slave + " answers behind the timeout"});
    }
  }
  for (const std::string& each : now.hurt) {
    if (!times_.hurt.contains(each)) out.push_back({HarmKind::too_slow, each});
  }
  for (const std::string& each : now.watchdogs) {
    if (!times_.watchdogs.contains(each)) out.push_back({HarmKind::unwatched, each});
  }
  for (const std::string& each : now.old) {
    if (!times_.old.contains(each)) out.push_back({HarmKind::too_slow, each + " gets too old"});
  }
  for (const model::Slave& slave : right_.plan.slaves) {
    if (!slave.watchdog) continue;
    const std::size_t s = index_of_slave(right_, slave.name);
    const bool by_writes =
        right_.exchange.slaves[model::SlaveIndex(s)].watchdog_by == model::WatchdogBy::writes;
    const auto& periods = by_writes ? now.writes : now.periods;
    const auto at = periods.find(slave.name);
    if (at == periods.end() || at->second >= slave.watchdog->value) {
      out.push_back({HarmKind::unwatched, slave.name + ": its watchdog runs out"});
    }
  }
}

void Site::compare_heartbeats(const ResolvedPlan& other, const Times& times,
                              std::vector<Harm>& out) const {
  const auto text_of = [](const ResolvedPlan& plan, const model::ExchangeHeartbeat& h) {
    const auto bit = [&](const std::optional<model::ControllerIndex>& c,
                         const std::optional<MemoryRange>& range) {
      return c && range ? range_name(plan, *c, *range) : std::string("nowhere");
    };
    // any watch does that keeps what is demanded
    return fmt::format("{} -> {}, seen {}, {} {} {} {}", bit(h.from, h.bit),
                       h.to ? plan.plan.controllers[*h.to].name : "nobody", bit(h.to, h.seen),
                       h.toggle.count(), h.react.count(), h.lost,
                       h.on_loss ? static_cast<int>(*h.on_loss) : -1);
  };
  for (const model::ExchangeHeartbeat& h : right_.exchange.heartbeats) {
    const auto* now = by_name<model::ExchangeHeartbeat>(other.exchange.heartbeats, h.name);
    const bool as_good =
        times.good_heartbeats.contains(h.name) || !times_.good_heartbeats.contains(h.name);
    if (now == nullptr || text_of(right_, h) != text_of(other, *now) || !as_good) {
      out.push_back({HarmKind::unwatched, "heartbeat " + h.name + " is another"});
    }
  }
}

std::vector<Harm> Site::harms(const ResolvedPlan& other) const {
  std::vector<Harm> out;
  const Traffic now = traffic_of(other);
  for (const Harm& harm : now.unanswered) {
    if (std::find(traffic_.unanswered.begin(), traffic_.unanswered.end(), harm) ==
        traffic_.unanswered.end()) {
      out.push_back(harm);
    }
  }
  compare_traffic(now, out);
  const Times times = times_of(other);
  compare_times(times, out);
  compare_heartbeats(other, times, out);
  return out;
}

}  // namespace greymet::mutants
