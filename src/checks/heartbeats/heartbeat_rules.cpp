// Family H, first half: heartbeats between controllers (H01 to H06, H09).
#include <algorithm>
#include <map>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/boundaries.h"
#include "model/resolved_plan.h"
#include "timing/report.h"

namespace greymet::checks {

using timing::Carrier;
using timing::HeartbeatReport;
using timing::HeartbeatTimes;
using timing::HeartbeatVerdict;

namespace {

constexpr Duration watch_step = milliseconds(10);

// Two controllers between which data flow, from producer to consumer.
using Direction = std::pair<std::size_t, std::size_t>;

class HeartbeatRules {
 public:
  HeartbeatRules(const RuleInput& in, const timing::TimingReport& timing, Findings& out)
      : plan_(in.plan), timing_(timing), out_(out) {}

  void check() {
    check_directions();
    for (std::size_t i = 0; i < plan_.heartbeats.size(); ++i) {
      const model::Heartbeat& declared = plan_.plan.heartbeats[plan_.heartbeats[i].declared];
      if (!plan_.heartbeats[i].from || !plan_.heartbeats[i].to || !plan_.heartbeats[i].bit)
        continue;
      if (i < timing_.heartbeats.size()) check_heartbeat(declared, timing_.heartbeats[i]);
    }
  }

 private:
  static model::Subject subject(const model::Heartbeat& h) { return subject_of(h); }

  // H01
  void check_directions() {
    std::map<Direction, const model::ResolvedTransaction*> flows;
    std::vector<Direction> order;
    const auto flow = [&](std::size_t from, std::size_t to, const model::ResolvedTransaction& t) {
      if (flows.try_emplace({from, to}, &t).second) order.emplace_back(from, to);
    };
    for (const model::ResolvedTransaction& t : plan_.transactions) {
      if (!t.controller || !t.target || !t.target->is_peer) continue;
      if (t.write) flow(*t.controller, t.target->index, t);
      if (t.read) flow(t.target->index, *t.controller, t);
    }
    for (const Direction& direction : order) {
      const bool watched = std::any_of(
          plan_.heartbeats.begin(), plan_.heartbeats.end(), [&](const model::ResolvedHeartbeat& h) {
            return h.from == direction.first && h.to == direction.second;
          });
      if (!watched) report_unwatched(direction, *flows[direction]);
    }
  }

  void report_unwatched(const Direction& direction, const model::ResolvedTransaction& t) {
    const std::string& from = plan_.plan.controllers[direction.first].name;
    const std::string& to = plan_.plan.controllers[direction.second].name;
    const bool other_way = std::any_of(
        plan_.heartbeats.begin(), plan_.heartbeats.end(), [&](const model::ResolvedHeartbeat& h) {
          return h.from == direction.second && h.to == direction.first;
        });
    report(out_, RuleCode::H01, Severity::warning, plan_.declared(t).place,
           subject_of(plan_.plan.controllers[direction.second]),
           fmt::format("takes data from {}, but no heartbeat tells whether they are alive{}", from,
                       other_way ? ": only the other direction is watched" : ""),
           proposal(direction, t, from, to));
  }

  // A heartbeat that would work, with the numbers of the transaction that would carry it.
  [[nodiscard]] std::string proposal(const Direction& direction,
                                     const model::ResolvedTransaction& t, const std::string& from,
                                     const std::string& to) {
    const auto bit = producer_bit(t);
    Duration toggle = milliseconds(1000);
    Duration watch = milliseconds(3000);
    Duration react = milliseconds(5000);
    const Duration producer = scan_of(direction.first);
    const Duration consumer = scan_of(direction.second);
    const auto delay = delay_of(t);
    if (delay) {
      toggle = std::max(toggle, rounded_up(2 * (*delay + producer + consumer), milliseconds(500)));
      watch = rounded_up(toggle + *delay + producer + consumer, milliseconds(500));
      react = rounded_up(watch + *delay + 2 * consumer, milliseconds(500));
    }
    const std::string numbers =
        fmt::format("toggle = \"{}\", to = \"{}\", watch = \"{}\", react = \"{}\"", to_text(toggle),
                    to, to_text(watch), to_text(react));
    if (!bit) {
      return fmt::format(
          "let {} take one word more, which nothing else fills, and add a heartbeat of {} on a bit "
          "of it, with {}, on_loss = \"alarm\"",
          plan_.declared(t).name, from, numbers);
    }
    return fmt::format(
        "add {{ name = \"{}\", from = \"{}\", bit = \"{}\", {}, on_loss = \"alarm\" }} to "
        "heartbeats, with a bit that {}'s program toggles",
        name_for(from, to), from, *bit, numbers, from);
  }

  // "kiln-alive", or with the consumer where another heartbeat has it.
  [[nodiscard]] std::string name_for(const std::string& from, const std::string& to) const {
    const auto taken = [&](const std::string& name) {
      return std::any_of(plan_.plan.heartbeats.begin(), plan_.plan.heartbeats.end(),
                         [&](const model::Heartbeat& h) { return h.name == name; });
    };
    std::string name = from + "-alive";
    if (taken(name)) name = fmt::format("{}-alive-at-{}", from, to);
    for (int n = 2; taken(name); ++n) name = fmt::format("{}-alive-at-{}-{}", from, to, n);
    return name;
  }

  // The first bit of a word that the transaction takes out of the producer's memory and that
  // nothing else fills or beats.
  [[nodiscard]] std::optional<std::string> producer_bit(const model::ResolvedTransaction& t) {
    std::optional<model::MemoryRange> memory;
    std::size_t controller = *t.controller;
    if (t.write) {
      memory = t.from;
    } else if (t.read) {
      controller = t.target->index;
      memory = plan_.layouts[controller].serving(t.read->area, t.read->offset, t.read->quantity);
    }
    if (!memory) return std::nullopt;
    if (uses_.empty()) {
      for (auto& of_controller : memory_uses(plan_)) uses_.push_back(std::move(of_controller));
    }
    const auto step =
        plan_.plan.controllers[controller].memory[memory->area].kind == model::MemoryKind::word
            ? bits_per_word
            : 1;
    for (std::uint64_t at = memory->bits.first; at < memory->bits.end; at += step) {
      const model::BitRange bit{memory->bits.store, at, at + 1};
      const bool taken = std::any_of(
          uses_[controller].begin(), uses_[controller].end(), [&](const MemoryUse& use) {
            return use.bits.store == bit.store && use.bits.first <= at && at < use.bits.end &&
                   (model::puts_something(use.purpose) || use.purpose == MemoryPurpose::heartbeat);
          });
      if (!taken) return plan_.layouts[controller].name_of(bit);
    }
    return std::nullopt;
  }

  [[nodiscard]] Duration scan_of(std::size_t controller) const {
    return plan_.exchange.controllers[controller].scan;
  }

  [[nodiscard]] const timing::TransactionReport* timing_of(
      const model::ResolvedTransaction& t) const {
    for (const timing::LineReport& line : timing_.lines) {
      for (const timing::TransactionReport& each : line.transactions) {
        if (&plan_.transactions[each.transaction] == &t) return &each;
      }
    }
    return nullptr;
  }

  [[nodiscard]] std::optional<Duration> delay_of(const model::ResolvedTransaction& t) const {
    const auto* times = timing_of(t);
    if (times == nullptr || times->kind != model::TriggerKind::cyclic || !times->response_bound) {
      return std::nullopt;
    }
    return timing::delay_of_cyclic(*times->period, *times->response_bound);
  }

  // H02 to H06, H09
  void check_heartbeat(const model::Heartbeat& declared, const HeartbeatReport& found) {
    if (!found.carrier) {
      // a transaction that carries it but could not be timed has findings of its own
      if (carried_by_incomplete(declared)) return;
      report(out_, RuleCode::H02, Severity::error, place_or(declared.bit, declared.place),
             subject(declared),
             fmt::format("no transaction carries {} from {} to {}", declared.bit->value,
                         declared.from->value, declared.to->value),
             fmt::format("write it with a transaction of {}, or read it with one of {}; or name a "
                         "bit that is already carried",
                         declared.from->value, declared.to->value));
      return;
    }
    const Carrier& carrier = *found.carrier;
    const std::vector<model::Related> related{
        {plan_.declared(plan_.transactions[carrier.transaction]).place,
         fmt::format("it is carried by {}", carrier.name)}};
    if (carrier.triggered) {
      report(out_, RuleCode::H09, Severity::warning, declared.place, subject(declared),
             fmt::format("carried by {} alone, which is only sent when something triggers: the "
                         "toggles may never arrive",
                         carrier.name),
             fmt::format("write every = \"{}\" at {}",
                         to_text(rounded_up(found.times.toggle / 4, watch_step)), carrier.name),
             related);
      return;
    }
    if (!declared.toggle || !declared.watch || !declared.react || !carrier.delay) return;
    switch (found.verdict) {
      case HeartbeatVerdict::toggles_lost: report_lost(declared, found, related); break;
      case HeartbeatVerdict::no_watch_fits: report_no_watch(declared, found, related); break;
      case HeartbeatVerdict::false_alarm:
        report(
            out_, RuleCode::H04, Severity::error, declared.watch->place, subject(declared),
            fmt::format("the watch of {} can run out although all is well: up to {} pass between "
                        "two changes that {} sees{}",
                        to_text(found.watch), in_ms(*found.watch_min), declared.to->value,
                        lost_text(found.times)),
            watch_text(found), related);
        cure_watch(declared, found);
        break;
      case HeartbeatVerdict::too_late:
        report(out_, RuleCode::H05, Severity::error, declared.watch->place, subject(declared),
               fmt::format("the loss may be noticed only after {}, later than react = {}",
                           in_ms(*found.latest_alarm), to_text(found.times.react)),
               watch_text(found), related);
        cure_watch(declared, found);
        break;
      case HeartbeatVerdict::good:
      case HeartbeatVerdict::not_carried:
      case HeartbeatVerdict::not_bounded: break;
    }
  }

  [[nodiscard]] bool carried_by_incomplete(const model::Heartbeat& declared) const {
    for (std::size_t i = 0; i < plan_.heartbeats.size(); ++i) {
      if (&plan_.plan.heartbeats[plan_.heartbeats[i].declared] != &declared) continue;
      return !timing::transactions_carrying(plan_, plan_.exchange.heartbeats[i]).empty();
    }
    return false;
  }

  static std::string lost_text(const HeartbeatTimes& times) {
    if (times.lost == 0) return {};
    return fmt::format(", {} failed {} between them included", times.lost,
                       times.lost == 1 ? "try" : "tries");
  }

  // "write watch = "1.2s"; 1.13 s is the smallest safe watch, 2.4 s the largest that reacts in
  // time"
  static Duration good_watch(const HeartbeatReport& found) {
    const Duration least = rounded_up(*found.watch_min, watch_step);
    const Duration most = rounded_down(*found.watch_max, watch_step);
    return std::max(least, std::min(most, rounded_up(*found.watch_min, milliseconds(100))));
  }
  void cure_watch(const model::Heartbeat& declared, const HeartbeatReport& found) {
    const Duration watch = good_watch(found);
    internal::cure_by_keys(out_, fmt::format("write watch = \"{}\"", to_text(watch)),
                           declared.watch->place, {{"watch", internal::toml_text(watch)}}, false);
  }
  static std::string watch_text(const HeartbeatReport& found) {
    return fmt::format(
        "write watch = \"{}\": {} is the smallest safe watch, {} the largest that "
        "reacts in time",
        to_text(good_watch(found)), in_ms(*found.watch_min), in_ms(*found.watch_max));
  }

  // H03
  void report_lost(const model::Heartbeat& declared, const HeartbeatReport& found,
                   const std::vector<model::Related>& related) {
    const Carrier& carrier = *found.carrier;
    const Duration scans = found.times.producer_scan + found.times.consumer_scan;
    const bool surely =
        carrier.delay_simulated && *carrier.delay_simulated + scans > found.times.toggle;
    report(
        out_, RuleCode::H03, surely ? Severity::error : Severity::warning, declared.toggle->place,
        subject(declared),
        surely
            ? fmt::format("toggles every {}, but {} takes up to {} to carry a change even when "
                          "all is well: toggles are lost",
                          to_text(found.times.toggle), carrier.name,
                          in_ms(*carrier.delay_simulated + scans))
            : fmt::format("toggles every {}, and {} is only sure to carry a change within {}: "
                          "toggles may be lost",
                          to_text(found.times.toggle), carrier.name, in_ms(*carrier.delay + scans)),
        fmt::format("write toggle = \"{}\", or a shorter period at {}",
                    to_text(rounded_up(*carrier.delay + scans, milliseconds(100))), carrier.name),
        related);
    const Duration toggle = rounded_up(*carrier.delay + scans, milliseconds(100));
    internal::cure_by_keys(out_, fmt::format("write toggle = \"{}\"", to_text(toggle)),
                           declared.toggle->place, {{"toggle", internal::toml_text(toggle)}},
                           false);
    internal::make_question(out_);  // the carrier may be what is wrong
  }

  // H06: what period of the carrier, or what react, would make room for a watch
  void report_no_watch(const model::Heartbeat& declared, const HeartbeatReport& found,
                       const std::vector<model::Related>& related) {
    const Carrier& carrier = *found.carrier;
    const Duration react = rounded_up(
        *found.watch_min + *found.longest_gap + 2 * found.times.consumer_scan, milliseconds(100));
    std::string remedy =
        fmt::format("write react = \"{}\" if the plant can stand it", to_text(react));
    if (const auto period = period_that_fits(found.times, carrier)) {
      remedy = fmt::format("write every = \"{}\" at {}, or {}", to_text(*period), carrier.name,
                           remedy.substr(std::string_view("write ").size()));
    } else if (const auto toggle = toggle_that_fits(found.times, carrier)) {
      remedy = fmt::format("write toggle = \"{}\", or {}", to_text(*toggle),
                           remedy.substr(std::string_view("write ").size()));
    }
    report(out_, RuleCode::H06, Severity::error, declared.place, subject(declared),
           fmt::format("no watch is both safe and quick enough: below {} it gives false alarms{}, "
                       "above {} it reacts later than {}",
                       in_ms(*found.watch_min), lost_text(found.times),
                       in_ms(std::max(Duration{}, *found.watch_max)), to_text(found.times.react)),
           remedy, related);
    // a longer react needs a longer watch as well: both at once
    const Duration watch = rounded_up(*found.watch_min, milliseconds(100));
    const Duration longer =
        rounded_up(watch + *found.longest_gap + 2 * found.times.consumer_scan, milliseconds(100));
    internal::cure_by_keys(
        out_,
        fmt::format("write watch = \"{}\" and react = \"{}\"", to_text(watch), to_text(longer)),
        declared.watch->place,
        {{"watch", internal::toml_text(watch)}, {"react", internal::toml_text(longer)}}, false);
    internal::make_question(out_);  // what the plant can stand
  }

  // The longest period, in steps, at which a watch exists; its response bound is kept, because the
  // sum it consists of does not depend on periods.
  static std::optional<Duration> period_that_fits(const HeartbeatTimes& times,
                                                  const Carrier& carrier) {
    if (carrier.period <= Duration{} || !carrier.response) return std::nullopt;
    constexpr int steps = 200;
    const Duration step = std::max(watch_step, rounded_up(carrier.period / steps, watch_step));
    for (Duration period = rounded_down(carrier.period - Duration(1), step);
         period >= *carrier.response && period > Duration{}; period -= step) {
      Carrier quicker = carrier;
      quicker.period = period;
      quicker.delay = timing::delay_of_cyclic(period, *carrier.response);
      if (has_watch(times, quicker)) return period;
    }
    return std::nullopt;
  }

  // The longest shorter toggle time, in steps, at which a watch exists.
  static std::optional<Duration> toggle_that_fits(const HeartbeatTimes& times,
                                                  const Carrier& carrier) {
    constexpr int steps = 200;
    const Duration step = std::max(watch_step, rounded_up(times.toggle / steps, watch_step));
    for (Duration toggle = rounded_down(times.toggle - Duration(1), step);
         toggle > Duration{} && toggle >= *carrier.delay; toggle -= step) {
      HeartbeatTimes changed = times;
      changed.toggle = toggle;
      if (has_watch(changed, carrier)) return toggle;
    }
    return std::nullopt;
  }

  static bool has_watch(const HeartbeatTimes& times, const Carrier& carrier) {
    const HeartbeatReport found = judge_heartbeat(times, carrier);
    return found.watch_min && found.watch_max && *found.watch_min <= *found.watch_max;
  }

  const model::ResolvedPlan& plan_;
  std::vector<std::vector<MemoryUse>> uses_;  // per controller, once they are asked for
  const timing::TimingReport& timing_;
  Findings& out_;
};

}  // namespace

void check_heartbeats(const RuleInput& in, Findings& out) {
  HeartbeatRules(in, in.timing(), out).check();
}

}  // namespace greymet::checks
