// Family H and M06: where a heartbeat's bit goes, and who spoils it on its way (H02 with `seen`,
// H10, M06 at the consumer).
#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "common/use_index.h"
#include "model/resolved_plan.h"
#include "timing/heartbeats.h"

namespace greymet::checks {

using internal::UseIndex;

namespace {

using Mover = std::pair<bool, std::size_t>;  // a copy, or a transaction; its index

// A place where the bit arrives, and all that brings it there.
struct Arrival {
  ValuePlace place;
  std::set<Mover> by;
};

constexpr std::size_t most_places_looked_at = 1000;

class HeartbeatBits {
 public:
  HeartbeatBits(const RuleInput& in, Findings& out)
      : plan_(in.plan), out_(out), wrong_(in.range_is_wrong), uses_(memory_uses(in.plan)) {
    for (const auto& uses : uses_) indices_.emplace_back(uses);
  }

  void check() {
    for (std::size_t i = 0; i < plan_.heartbeats.size(); ++i) {
      const model::ResolvedHeartbeat& h = plan_.heartbeats[i];
      if (!h.from || !h.to || !h.bit) continue;
      const std::vector<Arrival> arrivals = arrivals_of(h);
      check_seen(h, arrivals);
      check_spoilt(h, i, arrivals);
      check_gated(i, h);
    }
  }

 private:
  [[nodiscard]] const model::Heartbeat& declared(const model::ResolvedHeartbeat& h) const {
    return plan_.plan.heartbeats[h.declared];
  }

  // Where the bit comes to in the consumer's memory, the nearest first.
  [[nodiscard]] std::vector<Arrival> arrivals_of(const model::ResolvedHeartbeat& h) const {
    std::vector<Arrival> open{{model::memory_place(*h.from, h.bit->bits), {}}};
    std::vector<Arrival> arrivals;
    std::set<std::tuple<std::size_t, std::size_t, std::uint64_t>> seen;
    for (std::size_t i = 0; i < open.size() && open.size() < most_places_looked_at; ++i) {
      const Arrival here = open[i];
      for (const model::ValueMove& move : plan_.flow.moves_of(here.place)) {
        if (!move.to || !move.to_controller) continue;
        const ValuePlace& to = *move.to;
        if (!seen.insert({to.owner, to.bits.store, to.bits.first}).second) continue;
        Arrival next{to, here.by};
        next.by.insert({move.kind == MoveKind::copy, move.index});
        if (to.owner == *h.to) arrivals.push_back(next);
        open.push_back(std::move(next));
      }
    }
    return arrivals;
  }

  [[nodiscard]] std::string name_of(const ValuePlace& place) const {
    return plan_.layouts[place.owner].name_of(place.bits);
  }

  // H02, at the other end
  void check_seen(const model::ResolvedHeartbeat& h, const std::vector<Arrival>& arrivals) {
    if (!h.seen) return;
    const ValuePlace looked_at = model::memory_place(*h.to, h.seen->bits);
    const bool comes = std::any_of(arrivals.begin(), arrivals.end(),
                                   [&](const Arrival& a) { return inside(a.place, looked_at); });
    // where nothing arrives at all, H02 speaks about `bit`
    if (comes || arrivals.empty()) return;
    const model::Heartbeat& d = declared(h);
    report(out_, RuleCode::H02, Severity::error, d.seen->place, subject_of(d),
           fmt::format("nothing brings {} to {} of controller {}; it arrives at {}", d.bit->value,
                       d.seen->value, d.to->value, name_of(arrivals.front().place)),
           {});
    add_fix(out_.back(), {fmt::format("write seen = \"{}\", and look there in the program",
                                      name_of(arrivals.front().place)),
                          {{d.seen->place, fmt::format("\"{}\"", name_of(arrivals.front().place))}},
                          false});
  }

  // M06: something else fills the bit where it arrives, or on the way
  void check_spoilt(const model::ResolvedHeartbeat& h, std::size_t index,
                    const std::vector<Arrival>& arrivals) {
    for (const Arrival& arrival : arrivals) {
      const MemoryUse* other =
          indices_[arrival.place.owner].any(arrival.place.bits, [&](const MemoryUse& use) {
            return changes(use, index) && !arrival.by.contains(mover_of(use));
          });
      if (other == nullptr) continue;
      const model::Heartbeat& d = declared(h);
      report(out_, RuleCode::M06, Severity::error, d.bit->place, subject_of(d),
             fmt::format("arrives at {} of controller {}, which {} overwrites",
                         name_of(arrival.place), d.to->value, owner_subject(plan_, *other)),
             "let the heartbeat arrive at a bit that nothing else fills",
             {{other->place, "the other use is here"}});
      return;
    }
  }

  [[nodiscard]] bool changes(const MemoryUse& use, std::size_t heartbeat) const {
    switch (use.purpose) {
      case MemoryPurpose::read: return !wrong_[use.owner].read;
      case MemoryPurpose::written_by_peer: return !wrong_[use.owner].write;
      case MemoryPurpose::copy_target:
      case MemoryPurpose::fingerprint:
      case MemoryPurpose::status: return true;
      case MemoryPurpose::heartbeat: return use.owner != heartbeat;
      default: return false;
    }
  }
  static Mover mover_of(const MemoryUse& use) {
    return {use.purpose == MemoryPurpose::copy_target, use.owner};
  }

  // H10: nobody carries it who always runs. H09 speaks where all of them wait for a trigger.
  void check_gated(std::size_t index, const model::ResolvedHeartbeat& h) {
    const auto carrying = timing::transactions_carrying(plan_, plan_.exchange.heartbeats[index]);
    const model::ResolvedTransaction* gated = nullptr;
    for (const std::size_t i : carrying) {
      const model::ResolvedTransaction& t = plan_.transactions[i];
      const bool by_the_clock = t.trigger && (t.trigger->kind == model::TriggerKind::cyclic ||
                                              t.trigger->kind == model::TriggerKind::continuous);
      if (by_the_clock && !t.gate) return;
      if (by_the_clock && gated == nullptr) gated = &t;
    }
    if (gated == nullptr) return;
    const model::Heartbeat& d = declared(h);
    const model::Transaction& carrier = plan_.declared(*gated);
    report(out_, RuleCode::H10, Severity::error, d.place, subject_of(d),
           fmt::format("is carried by {} alone, which only runs while {} is set: without it the "
                       "partner seems dead",
                       carrier.name, carrier.only_if->value),
           fmt::format("take only_if away from {}, or let another transaction carry {}",
                       carrier.name, d.bit->value),
           {{carrier.only_if->place, "the gate is here"}});
  }

  const model::ResolvedPlan& plan_;
  Findings& out_;
  const std::vector<WrongHalves>& wrong_;
  const model::Indexed<std::vector<MemoryUse>, model::ControllerIndex> uses_;
  std::vector<UseIndex> indices_;
};

}  // namespace

void check_heartbeat_bits(const RuleInput& in, Findings& out) {
  if (!in.plan.heartbeats.empty()) HeartbeatBits(in, out).check();
}

}  // namespace greymet::checks
