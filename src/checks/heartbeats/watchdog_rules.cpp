// Family H, second half: slaves' own watchdogs (H07, H11), and what happens to data on loss (H08).
#include <algorithm>
#include <map>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/line_text.h"
#include "common/rule_text.h"
#include "model/boundaries.h"
#include "model/resolved_plan.h"
#include "time/stall_cures.h"
#include "timing/report.h"
#include "timing/watchdogs.h"

namespace greymet::checks {

namespace {

constexpr Duration clock_step = milliseconds(10);

using Feeding = timing::WatchdogFeeding;

bool fed_by_writes(const model::ExchangeSlave& slave) {
  return slave.watchdog_by == model::WatchdogBy::writes;
}

void report_unfed(const model::Slave& slave, bool writes, Findings& out) {
  report(out, RuleCode::H07, Severity::error, slave.watchdog->place, subject_of(slave),
         fmt::format("its watchdog of {} is fed by {}, and none comes by the clock",
                     to_text(slave.watchdog->value), writes ? "writes" : "requests"),
         fmt::format("give it a cyclic {} with every = \"{}\" or less",
                     writes ? "write" : "transaction",
                     to_text(rounded_up(slave.watchdog->value / 3, clock_step))));
}

// What feeds it stops when the program takes away a bit.
void report_gated(const model::ResolvedPlan& plan, const model::Slave& slave, const Feeding& fed,
                  bool writes, Findings& out) {
  const model::Transaction& feeder = plan.declared(plan.transactions[*fed.gated]);
  report(out, RuleCode::H07, Severity::error, slave.watchdog->place, subject_of(slave),
         fmt::format("its watchdog of {} is fed by {} alone, which only runs while {} is set",
                     to_text(slave.watchdog->value), feeder.name, feeder.only_if->value),
         fmt::format("take only_if away from {}, or give the slave another cyclic {}", feeder.name,
                     writes ? "write" : "transaction"),
         {{feeder.only_if->place, "the gate is here"}});
}

// H11: in health it is fed often enough; with one of its neighbours silent it is not.
void report_silenced(const RuleInput& in, const model::Slave& slave, std::size_t index,
                     const Feeding& fed, internal::StallCures& cures, Findings& out) {
  const timing::TimingReport& timing = in.timing();
  const Duration watchdog = slave.watchdog->value;
  const auto longest_wait = [&](const timing::Stall& stall) {
    return timing::wait_of_feeding(fed, stall);
  };
  std::vector<const timing::Stall*> tripping;
  for (const timing::Stall& stall : timing.stalls.stalls) {
    if (!stall.silent.is_peer && stall.silent.index == index) continue;
    if (longest_wait(stall) + *fed.interval <= watchdog) continue;
    tripping.push_back(&stall);
    if (longest_wait(stall) > longest_wait(*tripping.front())) {
      std::swap(tripping.front(), tripping.back());
    }
  }
  if (tripping.empty()) return;
  const timing::Stall* worst = tripping.front();
  const std::size_t alike = tripping.size();
  const auto& ref = worst->failing.front().job;
  const auto& t = in.plan.transactions[timing.model.queues[ref.queue].jobs[ref.job].transaction];
  const auto owner = internal::silence_owner(in.plan, t);
  if (!owner.is_known) return;
  const Duration wait = longest_wait(*worst);
  const std::string more =
      alike > 1 ? fmt::format("; {} more {} it too", alike - 1, alike == 2 ? "trips" : "trip")
                : std::string();
  const std::string cure = cures.text(tripping, owner.subject, false, false,
                                      [&](const timing::Stall& changed, timing::StallKind) {
                                        return longest_wait(changed) + *fed.interval <= watchdog;
                                      });
  const bool curable = cure.starts_with("write ");
  const std::string longer = to_text(rounded_up(wait + *fed.interval, milliseconds(100)));
  report(
      out, RuleCode::H11, Severity::warning, slave.watchdog->place, subject_of(slave),
      fmt::format("its watchdog of {} runs out when {} falls silent: {} may wait {} more, and up "
                  "to {} in health{}",
                  to_text(watchdog), in.plan.target_name(worst->silent), fed.by->name, in_ms(wait),
                  in_ms(*fed.interval), more),
      curable
          ? fmt::format("{} at {}; or set the watchdog to {} or more", cure, owner.subject, longer)
          : fmt::format("set the watchdog to {} or more, or give one of the two a line of "
                        "its own",
                        longer),
      {{owner.place, "the timeout is here"}});
}

void report_starved(const model::ResolvedPlan& plan, const model::Slave& slave, const Feeding& fed,
                    bool writes, Findings& out) {
  const Duration rest = *fed.interval - fed.by->period.value_or(Duration{});
  const Duration period = rounded_down(slave.watchdog->value - rest, clock_step);
  const std::string longer = to_text(rounded_up(*fed.interval, milliseconds(100)));
  report(
      out, RuleCode::H07, Severity::error, slave.watchdog->place, subject_of(slave),
      fmt::format("its watchdog runs out after {}, but up to {} may pass between two {} that feed "
                  "it ({})",
                  to_text(slave.watchdog->value), in_ms(*fed.interval),
                  writes ? "writes" : "requests", fed.by->name),
      fed.by->period && period > Duration{}
          ? fmt::format("write every = \"{}\" at {}, or set the watchdog to {} or more",
                        to_text(period), fed.by->name, longer)
          : fmt::format("set the watchdog to {} or more", longer),
      {{plan.declared(plan.transactions[fed.by->transaction]).place,
        "the quickest of them is here"}});
  if (fed.by->period && period > Duration{}) {
    internal::cure_by_keys(out,
                           fmt::format("write every = \"{}\" at {}", to_text(period), fed.by->name),
                           plan.transactions[fed.by->transaction].trigger->place,
                           {{"every", internal::toml_text(period)}}, false);
  }
}

}  // namespace

// H07, H11
void check_watchdogs(const RuleInput& in, Findings& out) {
  const timing::TimingReport& timing = in.timing();
  const auto feeding = timing::watchdog_feedings(in.plan, timing);
  internal::StallCures cures(in.plan, timing);
  for (std::size_t s = 0; s < feeding.size(); ++s) {
    const model::Slave& slave = in.plan.plan.slaves[s];
    const Feeding& fed = feeding[s];
    const bool writes = fed_by_writes(in.plan.exchange.slaves[s]);
    if (!slave.watchdog || fed.timed == 0) continue;
    if (!fed.interval && fed.gated) {
      report_gated(in.plan, slave, fed, writes, out);
    } else if (!fed.interval) {
      // those that could not be timed may feed it once they are corrected
      if (fed.timed == fed.meant) report_unfed(slave, writes, out);
    } else if (*fed.interval > slave.watchdog->value) {
      report_starved(in.plan, slave, fed, writes, out);
    } else {
      report_silenced(in, slave, s, fed, cures, out);
    }
  }
}

// H08
void check_on_loss(const RuleInput& in, Findings& out) {
  for (const model::ResolvedTransaction& t : in.plan.transactions) {
    const model::Transaction& declared = in.plan.declared(t);
    if (!t.function || !model::reads(*t.function) || declared.on_loss) continue;
    if (declared.refused.contains("on_loss")) continue;
    report(out, RuleCode::H08, Severity::warning, declared.place, subject_of(declared),
           "nothing says what the program does with this data when the slave is lost",
           "add on_loss = \"hold\", \"zero\", \"alarm\", \"warn\", \"stop\" or \"none\"");
  }
}

// H14: of one slave, a read whose values go to zero or stop the program, while all others keep
// theirs, or the other way round
bool keeps_values(model::OnLoss reaction) {
  return reaction != model::OnLoss::zero && reaction != model::OnLoss::stop;
}
void check_odd_losses(const RuleInput& in, Findings& out) {
  struct Read {
    std::size_t transaction = 0;
    model::OnLoss on_loss{};
  };
  std::map<std::pair<std::size_t, std::size_t>, std::vector<Read>> by_slave;  // and controller
  for (const model::ExchangeTransaction& t : in.plan.exchange.transactions) {
    if (!t.read || !t.on_loss || t.target.is_peer) continue;
    by_slave[{t.target.index, t.controller}].push_back({t.transaction, *t.on_loss});
  }
  for (const auto& [key, reads] : by_slave) {
    std::map<model::OnLoss, std::size_t> counts;
    for (const Read& read : reads) ++counts[read.on_loss];
    constexpr std::size_t least_others = 2;
    if (counts.size() != 2) continue;
    for (const Read& read : reads) {
      const auto other = std::find_if(counts.begin(), counts.end(),
                                      [&](const auto& each) { return each.first != read.on_loss; });
      if (counts[read.on_loss] != 1 || other->second < least_others ||
          keeps_values(read.on_loss) == keeps_values(other->first)) {
        continue;
      }
      const model::Transaction& declared = in.plan.declared(in.plan.transactions[read.transaction]);
      report(out, RuleCode::H14, Severity::note, place_or(declared.on_loss, declared.place),
             subject_of(declared),
             fmt::format("when {} is lost this says \"{}\", its {} other reads say \"{}\"",
                         in.plan.plan.slaves[key.first].name, to_string(read.on_loss),
                         other->second, to_string(other->first)),
             "one slave is lost as a whole: make them alike; or accept it if these values differ");
    }
  }
}

// H13
void check_idle_heartbeats(const RuleInput& in, Findings& out) {
  for (const model::Heartbeat& h : in.plan.plan.heartbeats) {
    if (!h.on_loss || h.on_loss->value != model::OnLoss::none) continue;
    report(out, RuleCode::H13, Severity::warning, h.on_loss->place, subject_of(h),
           "nothing happens when it stops: it supervises nothing",
           "on_loss = \"stop\" or \"alarm\"; or accept it if another one does");
  }
}

}  // namespace greymet::checks
