// Family D: what the registers mean (D02, D05, D06).
#include <map>
#include <set>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"
#include "model/value_trace.h"

namespace greymet::checks {

using model::value_or;

namespace {

// D02, gathered per slave.
void check_word_orders(const model::ResolvedPlan& plan, Findings& out) {
  std::map<std::size_t, std::set<const Point*>> unordered;
  for (const ResolvedTransaction& t : plan.transactions) {
    if (!t.target || t.target->is_peer || plan.plan.slaves[t.target->index].word_order) continue;
    const RegisterMap* map = plan.map_of(*t.target);
    if (map == nullptr || map->misreads("word_order")) continue;
    for (const auto* block : {&t.read, &t.write}) {
      if (!*block) continue;
      for (const Point* p : map->points_touching((*block)->area, (*block)->extent())) {
        if (is_multi_register(p->type) && !p->word_order) unordered[t.target->index].insert(p);
      }
    }
  }
  for (const auto& [index, points] : unordered) {
    const model::Slave& slave = plan.plan.slaves[index];
    if (slave.refused.contains("word_order")) continue;
    // the first in the file, not in memory
    const Point* first =
        *std::min_element(points.begin(), points.end(),
                          [](const Point* a, const Point* b) { return a->place < b->place; });
    const std::string more =
        points.size() > 1 ? fmt::format(" and {} more", points.size() - 1) : std::string();
    report(out, RuleCode::D02, Severity::warning, slave.place, subject_of(slave),
           fmt::format("'{}' ({}){} takes several registers, and nothing says in which order they "
                       "come",
                       first->name, to_text(first->type), more),
           "write word_order = \"ABCD\" or as its manual says; `greymet value` shows which order "
           "gives the number on its display",
           {{first->place, "the value is listed here"}});
  }
}

// A value of a slave's map on its way.
struct Carried {
  model::ValuePlace place;
  const Point* point = nullptr;
  std::size_t slave = 0;  // whose value it is
  std::optional<WordOrder> order;
  bool passed_on = false;  // by a copy or between controllers; else just read
};

// Follows values from the reads that bring them, through copies, to what is sent on.
class PassedOnValues {
 public:
  PassedOnValues(const RuleInput& in, Findings& out) : plan_(in.plan), out_(out) {}

  void check() {
    // who reads no point of a slave passes none on: maps are not walked for each slave
    std::vector<std::set<const Point*>> read(plan_.plan.slaves.size());
    for (const ResolvedTransaction& t : plan_.transactions) {
      if (!t.target || t.target->is_peer || !t.read) continue;
      const RegisterMap* map = plan_.map_of(*t.target);
      if (map == nullptr) continue;
      for (const Point* p : map->points_touching(t.read->area, t.read->extent())) {
        read[t.target->index].insert(p);
      }
    }
    for (std::size_t s = 0; s < read.size(); ++s) {
      for (const Point* each : read[s]) {
        const Point& p = *each;
        if (p.bit || model::is_bit_area(p.address.area)) continue;
        const model::Extent value = extent_of(p);
        follow({model::slave_place(
                    s, p.address.area,
                    {0, value.first * model::bits_per_word, value.end * model::bits_per_word}),
                &p, s, plan_.order_of(s, p), false});
      }
    }
    for (const auto& [key, mismatch] : mismatches_) report_mismatch(key, mismatch);
  }

 private:
  using MismatchKey = std::pair<model::Range, RuleCode>;
  struct Mismatch {
    model::Subject subject;
    std::string text;
    std::string remedy;
    std::vector<model::Related> related;
    std::size_t count = 0;
  };

  // Registers into or out of words; what becomes of single bits is not judged.
  [[nodiscard]] bool moves_words(const ResolvedTransaction& t, bool read) const {
    const auto& memory = plan_.plan.controllers[*t.controller].memory;
    const auto& range = read ? t.into : t.from;
    const auto& block = read ? t.read : t.write;
    return range && memory[range->area].kind == model::MemoryKind::word &&
           !is_bit_area(block->area);
  }

  void follow(const Carried& start) {
    std::set<std::tuple<bool, std::size_t, std::size_t, std::uint64_t>> seen;
    std::vector<Carried> open{start};
    while (!open.empty()) {
      const Carried c = open.back();
      open.pop_back();
      const auto& at = c.place;
      if (!seen.insert({at.at_controller, at.owner, at.bits.store, at.bits.first}).second) continue;
      for (const model::ValueMove& move : plan_.flow.moves_of(at)) {
        if (move.kind == model::MoveKind::copy) {
          open.push_back({*move.to, c.point, c.slave, c.order, true});
          continue;
        }
        const ResolvedTransaction& t = plan_.transactions[move.index];
        if (!moves_words(t, move.kind == model::MoveKind::read)) continue;
        Carried behind = c;
        behind.order = model::order_behind(plan_, move, c.order);
        if (move.kind == model::MoveKind::write) {
          send(behind, t, move, open);
        } else {
          if (at.at_controller) compare_order(behind, t, move.receiver);
          if (move.to) {
            open.push_back({*move.to, c.point, c.slave, behind.order, at.at_controller});
          }
        }
      }
    }
  }

  // `t` writes the value to a slave or a peer.
  void send(const Carried& c, const ResolvedTransaction& t, const model::ValueMove& move,
            std::vector<Carried>& open) {
    // a read that lands on a write's source by mistake is M02's
    if (!c.passed_on && !t.relays) return;
    if (!move.to_controller) {
      if (move.to) compare_with_slave(c, t, *move.to);
      return;
    }
    compare_order(c, t, move.receiver);
    if (move.to) open.push_back({*move.to, c.point, c.slave, c.order, true});
  }

  void compare_order(const Carried& c, const ResolvedTransaction& t, std::size_t consumer) {
    const auto& expected = plan_.plan.controllers[consumer].word_order;
    const auto& order = c.order;
    if (!expected || !order || !is_multi_register(c.point->type) || *order == expected->value) {
      return;
    }
    note(t, RuleCode::D05,
         fmt::format("'{}' comes from {} in order {}, but controller {} takes values as {}",
                     c.point->name, plan_.plan.slaves[c.slave].name, to_string(*order),
                     plan_.plan.controllers[consumer].name, to_string(expected->value)),
         swap_remedy(t, expected->value), {{expected->place, "the consumer's order is here"}});
  }

  [[nodiscard]] std::string swap_remedy(const ResolvedTransaction& t, WordOrder order) const {
    return fmt::format(
        "swap the words in the program before they are passed on; where the controller does it, "
        "write swap = \"{}\" at {}",
        to_string(order), plan_.declared(t).name);
  }

  void compare_with_slave(const Carried& c, const ResolvedTransaction& t,
                          const model::ValuePlace& to_place) {
    const RegisterMap* map = plan_.map_of(*t.target);
    const auto offset = static_cast<std::uint32_t>(to_place.bits.first / model::bits_per_word);
    if (map == nullptr || offset >= model::addresses_per_area) return;
    for (const Point* p : map->points_touching(t.write->area, {offset, offset + 1})) {
      if (p->bit || p->address.offset.value != offset) continue;
      const std::string& to = plan_.target_name(*t.target);
      const std::string& from = plan_.plan.slaves[c.slave].name;
      const auto& mine = c.order;
      const auto theirs = plan_.order_of(t.target->index, *p);
      if (is_multi_register(c.point->type) && is_multi_register(p->type) && mine && theirs &&
          *mine != *theirs) {
        note(t, RuleCode::D05,
             fmt::format("'{}' comes from {} in order {} and is sent to {} '{}', which expects {}",
                         c.point->name, from, to_string(*mine), to, p->name, to_string(*theirs)),
             swap_remedy(t, *theirs), {{p->place, "the destination is listed here"}});
      }
      const std::string difference = difference_of(*c.point, *p);
      if (difference.empty()) continue;
      note(t, RuleCode::D06,
           fmt::format("'{}' of {} is sent to '{}' of {}, which is another quantity: {}",
                       c.point->name, from, p->name, to, difference),
           "convert it in the program, or correct the map",
           {{c.point->place, "it comes from here"}, {p->place, "it goes to here"}});
    }
  }

  static std::string difference_of(const Point& from, const Point& to) {
    std::vector<std::string> parts;
    if (from.type != to.type) {
      parts.push_back(fmt::format("{} against {}", to_text(from.type), to_text(to.type)));
    }
    if (from.factor != to.factor) {
      parts.push_back(fmt::format("factor {} against {}", from.factor, to.factor));
    }
    if (from.offset != to.offset) {
      parts.push_back(fmt::format("offset {} against {}", from.offset, to.offset));
    }
    if (!from.unit.empty() && !to.unit.empty() && from.unit != to.unit) {
      parts.push_back(fmt::format("{} against {}", from.unit, to.unit));
    }
    return fmt::format("{}", fmt::join(parts, ", "));
  }

  void note(const ResolvedTransaction& t, RuleCode rule, std::string text, std::string remedy,
            std::vector<model::Related> related) {
    const auto& declared = plan_.declared(t);
    auto [at, is_new] = mismatches_.try_emplace({declared.place, rule});
    if (is_new) {
      at->second = {subject_of(declared), std::move(text), std::move(remedy), std::move(related),
                    0};
    }
    ++at->second.count;
  }

  void report_mismatch(const MismatchKey& key, const Mismatch& m) {
    const std::string more =
        m.count > 1 ? fmt::format(" (and {} more values)", m.count - 1) : std::string();
    report(out_, key.second, Severity::warning, key.first, m.subject, m.text + more, m.remedy,
           m.related);
  }

  const model::ResolvedPlan& plan_;
  Findings& out_;
  std::map<MismatchKey, Mismatch> mismatches_;
};

}  // namespace

void check_data(const RuleInput& in, Findings& out) {
  check_word_orders(in.plan, out);
  PassedOnValues(in, out).check();
}

}  // namespace greymet::checks
