// Family M, what becomes of values on their way: copies (M11), sources of writes (M13), and what a
// write sends beside what it was asked to (M14).
#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "common/use_index.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using internal::UseIndex;

namespace {

class CopyRules {
 public:
  CopyRules(const RuleInput& in, Findings& out)
      : plan_(in.plan), out_(out), uses_(memory_uses(in.plan)), wrong_(in.range_is_wrong) {
    for (const auto& uses : uses_) indices_.emplace_back(uses, &model::puts_something);
  }

  void check() {
    for (std::size_t i = 0; i < plan_.copies.size(); ++i) {
      const model::ResolvedCopy& copy = plan_.copies[i];
      if (!copy.controller) continue;
      if (copy.to) check_target(i, *copy.controller, copy.to->bits);
      if (copy.from && !check_unfilled(i, *copy.controller, copy.from->bits)) {
        check_cut(i, *copy.controller, *copy.from);
      }
    }
    for (std::size_t c = 0; c < uses_.size(); ++c) check_sources(c);
    for (std::size_t i = 0; i < plan_.transactions.size(); ++i) check_unnamed(i);
  }

 private:
  [[nodiscard]] static model::Subject copy_subject(std::size_t declared) {
    return {model::SubjectKind::copy, std::to_string(declared + 1)};
  }
  [[nodiscard]] const model::Copy& declared(std::size_t copy) const {
    return plan_.plan.copies[plan_.copies[copy].declared];
  }
  [[nodiscard]] std::string shared(std::size_t c, const BitRange& a, const BitRange& b) const {
    return plan_.layouts[c].name_of(
        BitRange{a.store, std::max(a.first, b.first), std::min(a.end, b.end)});
  }

  // M11: somebody else fills what the copy fills
  void check_target(std::size_t i, std::size_t c, const BitRange& target) {
    const MemoryUse own{target, MemoryPurpose::copy_target, i, {}, {}};
    const MemoryUse* other = indices_[c].any(target, [&](const MemoryUse& use) {
      if (conflict_of(own, use) != model::MemoryConflict::copy_fills) return false;
      return use.purpose == MemoryPurpose::copy_target
                 ? use.owner < i
                 : !wrong_[use.owner].of(use.purpose == MemoryPurpose::read);
    });
    if (other == nullptr) return;
    const std::string what = other->purpose == MemoryPurpose::copy_target ? "which {} fills as well"
                             : other->purpose == MemoryPurpose::read
                                 ? "which {} reads into"
                                 : "which {} writes from outside";
    const model::Subject whose = owner_subject(plan_, *other);
    report(out_, RuleCode::M11, Severity::warning, declared(i).to->place,
           copy_subject(plan_.copies[i].declared),
           fmt::format("copies onto {} of controller {}, {}", shared(c, target, other->bits),
                       plan_.plan.controllers[c].name,
                       fmt::format(fmt::runtime(what), to_text(whose))),
           "copy to words that nothing else fills; `greymet memory` shows what is free",
           {{other->place, "the other use is here"}});
  }

  // M11: a copy of what nobody puts there
  bool check_unfilled(std::size_t i, std::size_t c, const BitRange& source) {
    if (source.end == source.first) return false;
    const auto fills = [&](const MemoryUse& use) {
      return model::puts_something(use.purpose) &&
             !(use.purpose == MemoryPurpose::copy_target && use.owner == i);
    };
    if (indices_[c].any(source, fills) != nullptr) return false;
    // a transaction that could not be resolved may fill it
    if (has_unplaced_read(c)) return true;
    report(
        out_, RuleCode::M11, Severity::warning, declared(i).from->place,
        copy_subject(plan_.copies[i].declared),
        fmt::format("copies from {} of controller {}, which nothing fills: no read, no copy and "
                    "no peer",
                    plan_.layouts[c].name_of(source), plan_.plan.controllers[c].name),
        "correct `from`; or leave the copy out where the program computes the value, and let the "
        "write send it from there");
    return true;
  }

  [[nodiscard]] bool has_unplaced_read(std::size_t c) {
    if (unplaced_.empty()) {
      unplaced_.resize(plan_.plan.controllers.size(), false);
      for (const ResolvedTransaction& t : plan_.transactions) {
        const model::Transaction& d = plan_.declared(t);
        const bool reads = d.into || (d.read && d.read->memory);
        if (!reads || t.into) continue;
        if (t.controller) {
          unplaced_[*t.controller] = true;
        } else {
          unplaced_.assign(unplaced_.size(), true);
        }
      }
    }
    return unplaced_[c];
  }

  // M11: a value of several words of which the copy takes a part
  void check_cut(std::size_t i, std::size_t c, const model::MemoryRange& source) {
    std::optional<std::string> said;
    model::Range where;
    indices_[c].touching(source.bits, [&](const MemoryUse& use) {
      if (use.purpose != MemoryPurpose::read || wrong_[use.owner].read) return true;
      const ResolvedTransaction& t = plan_.transactions[use.owner];
      const model::RegisterMap* map = t.target ? plan_.map_of(*t.target) : nullptr;
      if (map == nullptr || !t.read || is_bit_area(t.read->area) || !t.into ||
          plan_.plan.controllers[c].memory[t.into->area].kind != model::MemoryKind::word) {
        return true;
      }
      for (const std::uint64_t edge : {source.bits.first, source.bits.end}) {
        // the register that begins at the edge, and the one before it: of one value?
        if (edge <= use.bits.first || edge >= use.bits.end) continue;
        const auto offset =
            t.read->offset + static_cast<std::uint32_t>((edge - use.bits.first) / bits_per_word);
        for (const Point* p : map->points_touching(t.read->area, {offset, offset + 1})) {
          const model::Extent value = extent_of(*p);
          if (value.first >= offset || value.end <= offset || p->bit) continue;
          const std::uint32_t taken =
              edge == source.bits.first ? value.end - offset : offset - value.first;
          said = fmt::format("takes {} of the {} words of '{}' ({}), which {} reads into {}", taken,
                             value.end - value.first, p->name, to_text(p->type),
                             subject_of(plan_.declared(t)), words_of(c, use, t, value));
          where = p->place;
          return false;
        }
      }
      return true;
    });
    if (!said) return;
    report(out_, RuleCode::M11, Severity::warning, declared(i).from->place,
           copy_subject(plan_.copies[i].declared), *said,
           "copy the whole value: correct `from` and `count`",
           {{where, "the value is listed here"}});
  }

  [[nodiscard]] std::string words_of(std::size_t c, const MemoryUse& use,
                                     const ResolvedTransaction& t, model::Extent value) const {
    const std::uint64_t first = use.bits.first + (value.first - t.read->offset) * bits_per_word;
    return plan_.layouts[c].name_of(
        BitRange{use.bits.store, first, first + (value.end - value.first) * bits_per_word});
  }

  // M13. Of writes whose sources begin before and reach into this one.
  void check_sources(std::size_t c) {
    std::vector<const MemoryUse*> sources;
    for (const MemoryUse& use : uses_[c]) {
      if (use.purpose == MemoryPurpose::sent && !wrong_[use.owner].write) sources.push_back(&use);
    }
    std::stable_sort(sources.begin(), sources.end(), [](const MemoryUse* a, const MemoryUse* b) {
      return std::pair(a->bits.store, a->bits.first) < std::pair(b->bits.store, b->bits.first);
    });
    std::vector<const MemoryUse*> open;
    constexpr std::size_t most_compared = 64;  // with each
    for (const MemoryUse* use : sources) {
      std::erase_if(open, [&](const MemoryUse* o) { return !overlap(o->bits, use->bits); });
      const auto other = std::find_if(open.rbegin(), open.rend(), [&](const MemoryUse* o) {
        return overlaps_in_part(*o, *use) && !bring_the_same(*o, *use);
      });
      if (other != open.rend()) report_sources(c, **other, *use);
      open.push_back(use);
      if (open.size() > most_compared) open.erase(open.begin());
    }
  }

  static bool overlaps_in_part(const MemoryUse& a, const MemoryUse& b) {
    if (a.owner == b.owner || a.bits == b.bits) return false;
    const bool a_inside = b.bits.first <= a.bits.first && a.bits.end <= b.bits.end;
    const bool b_inside = a.bits.first <= b.bits.first && b.bits.end <= a.bits.end;
    return !((a_inside || b_inside) && (a.relays || b.relays));
  }

  // Each shared word goes to the same register of the same slave: M04 speaks of that.
  [[nodiscard]] bool bring_the_same(const MemoryUse& a, const MemoryUse& b) const {
    const ResolvedTransaction& first = plan_.transactions[a.owner];
    const ResolvedTransaction& second = plan_.transactions[b.owner];
    if (!first.write || !second.write || !first.target || first.target != second.target ||
        first.write->area != second.write->area) {
      return false;
    }
    const std::int64_t unit =
        model::is_bit_area(first.write->area) ? 1 : static_cast<std::int64_t>(bits_per_word);
    const auto distance = [&](const MemoryUse& use, const DeviceBlock& block) {
      return static_cast<std::int64_t>(block.offset) * unit -
             static_cast<std::int64_t>(use.bits.first);
    };
    return distance(a, *first.write) == distance(b, *second.write);
  }

  void report_sources(std::size_t c, const MemoryUse& a, const MemoryUse& b) {
    const MemoryUse& late = a.owner > b.owner ? a : b;
    const MemoryUse& early = a.owner > b.owner ? b : a;
    report(
        out_, RuleCode::M13, Severity::warning, late.place, owner_subject(plan_, late),
        fmt::format("sends {} of controller {}, which {} sends as well, as a part of other words",
                    shared(c, a.bits, b.bits), plan_.plan.controllers[c].name,
                    owner_subject(plan_, early)),
        "give each write its own source; or say relays = true if one shall send a part of the "
        "other's",
        {{early.place, "the other source is here"}});
  }

  // M14. A block given by points reaches from the first to the last: what lies between is sent too.
  void check_unnamed(std::size_t i) {
    const ResolvedTransaction& t = plan_.transactions[i];
    if (!t.write || !t.target || t.target->is_peer || wrong_[i].write) return;
    const model::Transaction& d = plan_.declared(t);
    const model::BlockText& block = d.write ? *d.write : d.block;
    const model::RegisterMap* map = plan_.map_of(*t.target);
    if (!block.points || map == nullptr) return;
    std::vector<const Point*> unnamed;
    for (const Point* p : map->points_touching(t.write->area, t.write->extent())) {
      if (p->access == model::Access::read) continue;  // F07 speaks
      const bool named = std::any_of(
          block.points->value.begin(), block.points->value.end(),
          [&](const auto& pattern) { return model::matches_pattern(pattern.value, p->name); });
      if (!named) unnamed.push_back(p);
    }
    if (unnamed.empty()) return;
    const bool unknown = std::any_of(unnamed.begin(), unnamed.end(),
                                     [&](const Point* p) { return !is_set_elsewhere(i, t, *p); });
    const std::string more =
        unnamed.size() > 1 ? fmt::format(" and {} more", unnamed.size() - 1) : std::string();
    report(
        out_, RuleCode::M14, unknown ? Severity::warning : Severity::note, block.points->place,
        subject_of(d),
        fmt::format("also writes '{}'{}, which no `points` names: one request writes all from {} "
                    "on",
                    unnamed.front()->name, more, range_text(t.write->area, t.write->extent())),
        "name them if the program fills their words too, or write the points with a request of "
        "their own each",
        {{unnamed.front()->place, "it is listed here"}});
  }

  // Some other write, want or copy of the plan knows the value.
  [[nodiscard]] bool is_set_elsewhere(std::size_t own, const ResolvedTransaction& t,
                                      const Point& point) {
    const model::Extent value = extent_of(point);
    const std::size_t slave = t.target->index;
    if (writes_.empty()) {
      for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
        const ResolvedTransaction& other = plan_.transactions[i];
        if (other.write && other.target && !other.target->is_peer) {
          writes_[{other.target->index, other.write->area}].push_back(i);
        }
      }
    }
    const auto others = writes_.find({slave, t.write->area});
    const bool written =
        others != writes_.end() &&
        std::any_of(others->second.begin(), others->second.end(), [&](std::size_t i) {
          const model::Extent e = plan_.transactions[i].write->extent();
          return i != own && e.first <= value.first && value.end <= e.end;
        });
    const bool wanted =
        std::any_of(plan_.wants.begin(), plan_.wants.end(), [&](const model::ResolvedWant& want) {
          return want.slave == model::SlaveIndex(slave) &&
                 std::any_of(want.points.begin(), want.points.end(), [&](std::size_t p) {
                   return plan_.map_of(*t.target)->points()[p].name == point.name;
                 });
        });
    if (written || wanted) return true;
    if (!t.from || !t.controller || is_bit_area(t.write->area)) return false;
    const std::uint64_t first =
        t.from->bits.first + (value.first - t.write->offset) * bits_per_word;
    const BitRange words{t.from->bits.store, first,
                         first + (value.end - value.first) * bits_per_word};
    return indices_[*t.controller].any(words, [](const MemoryUse& use) {
      return use.purpose == MemoryPurpose::copy_target;
    }) != nullptr;
  }

  const model::ResolvedPlan& plan_;
  Findings& out_;
  const model::Indexed<std::vector<MemoryUse>, model::ControllerIndex> uses_;
  const std::vector<WrongHalves>& wrong_;
  std::vector<UseIndex> indices_;  // per controller, of what fills memory
  std::vector<bool> unplaced_;     // per controller: a read whose memory is not known
  std::map<std::pair<std::size_t, model::Area>, std::vector<std::size_t>> writes_;
};

}  // namespace

void check_copies(const RuleInput& in, Findings& out) {
  CopyRules(in, out).check();
}

}  // namespace greymet::checks
