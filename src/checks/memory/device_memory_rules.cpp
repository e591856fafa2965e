// Family M on the slaves' side: who writes the same registers (M04), who reads them twice (M05).
#include <algorithm>
#include <map>
#include <span>
#include <tuple>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "timing/transaction_times.h"

namespace greymet::checks {

using model::FunctionCode;

namespace {

// Something in a slave or peer that transactions write or read: registers or bits of one area, or
// bits of a store where a peer's memory is known.
struct Space {
  bool is_peer = false;
  std::size_t index = 0;
  std::size_t area_or_store = 0;
  friend auto operator<=>(const Space&, const Space&) = default;
};

// One transaction's part of a space, [first, end).
struct Part {
  std::uint64_t first = 0;
  std::uint64_t end = 0;
  std::size_t transaction = 0;
};

bool single_on_request(const ResolvedTransaction& t) {
  return (t.function == FunctionCode::write_single_coil ||
          t.function == FunctionCode::write_single_register) &&
         t.trigger && t.trigger->kind != TriggerKind::cyclic &&
         t.trigger->kind != TriggerKind::continuous;
}

bool repeats(const ResolvedTransaction& t) {
  return t.trigger &&
         (t.trigger->kind == TriggerKind::cyclic || t.trigger->kind == TriggerKind::continuous);
}

bool once(const ResolvedTransaction& t) {
  return t.trigger &&
         (t.trigger->kind == TriggerKind::on_start || t.trigger->kind == TriggerKind::on_return);
}

class DeviceMemoryRules {
 public:
  DeviceMemoryRules(const RuleInput& in, Findings& out) : plan_(in.plan), out_(out) {
    for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
      const WrongHalves wrong = in.range_is_wrong[i];
      const ResolvedTransaction& t = plan_.transactions[i];
      if (!t.target || !t.controller) continue;
      if (t.write && !wrong.write) add(writes_, t, *t.write, i);
      if (t.read && !wrong.read) add(reads_, t, *t.read, i);
    }
  }

  void check() {
    for (auto& [space, parts] : writes_) check_writers(space, sorted(parts));
    for (auto& [space, parts] : reads_) check_readers(space, sorted(parts));
  }

 private:
  using Parts = std::map<Space, std::vector<Part>>;

  void add(Parts& parts, const ResolvedTransaction& t, const model::DeviceBlock& block,
           std::size_t index) {
    if (t.target->is_peer) {
      const auto memory =
          plan_.layouts[t.target->index].serving(block.area, block.offset, block.quantity);
      if (memory) {
        parts[{true, t.target->index, memory->bits.store}].push_back(
            {memory->bits.first, memory->bits.end, index});
        return;
      }
    }
    const model::Extent e = block.extent();
    // Areas of a peer whose memory is unknown stand behind its stores.
    const std::size_t area =
        static_cast<std::size_t>(block.area) +
        (t.target->is_peer ? plan_.plan.controllers[t.target->index].memory.size() : 0);
    parts[{t.target->is_peer, t.target->index, area}].push_back({e.first, e.end, index});
  }

  static std::span<const Part> sorted(std::vector<Part>& parts) {
    std::stable_sort(parts.begin(), parts.end(),
                     [](const Part& a, const Part& b) { return a.first < b.first; });
    return parts;
  }

  [[nodiscard]] const ResolvedTransaction& of(const Part& part) const {
    return plan_.transactions[part.transaction];
  }
  [[nodiscard]] model::Subject subject(const Part& part) const {
    return subject_of(plan_.declared(of(part)));
  }
  [[nodiscard]] std::string shared_range(const Space& space, const Part& a, const Part& b) const {
    const std::uint64_t first = std::max(a.first, b.first);
    const std::uint64_t end = std::min(a.end, b.end);
    if (space.is_peer && space.area_or_store < plan_.plan.controllers[space.index].memory.size()) {
      return plan_.layouts[space.index].name_of(model::BitRange{space.area_or_store, first, end});
    }
    const auto& block = of(a).write ? of(a).write : of(a).read;
    return internal::range_text(
        block->area, {static_cast<std::uint32_t>(first), static_cast<std::uint32_t>(end)});
  }

  // Writes of one sort whose starts lie no later: the one that reaches furthest, and the furthest
  // that differs from it in what it writes and sends.
  struct Furthest {
    const Part* best = nullptr;
    const Part* different = nullptr;
  };
  [[nodiscard]] bool write_the_same(const Part& a, const Part& b) const {
    const auto& x = of(a).from;
    const auto& y = of(b).from;
    return a.first == b.first && a.end == b.end && x && y && x->bits == y->bits;
  }
  void add(Furthest& furthest, const Part& part) const {
    if (furthest.best == nullptr || part.end > furthest.best->end) {
      if (furthest.best != nullptr && !write_the_same(*furthest.best, part)) {
        furthest.different = furthest.best;
      }
      furthest.best = &part;
    } else if (!write_the_same(*furthest.best, part) &&
               (furthest.different == nullptr || part.end > furthest.different->end)) {
      furthest.different = &part;
    }
  }

  // M04. Each write against the earlier ones: two of different masters are the graver case and are
  // reported first; then those of its own master, by sort, as one that restores (`once`) is
  // pardoned where another is not.
  void check_writers(const Space& space, std::span<const Part> parts) {
    using Masters = std::map<std::pair<std::size_t, bool>, Furthest>;
    Masters own;
    const Part* best = nullptr;     // reaches furthest
    const Part* foreign = nullptr;  // reaches furthest among those of other masters than best's
    for (const Part& part : parts) {
      const std::size_t master = *of(part).controller;
      const auto overlaps = [&part](const Part* p) { return p != nullptr && p->end > part.first; };
      const auto same_master = [&](const Part* p) { return *of(*p).controller == master; };
      const Part* other = best != nullptr && !same_master(best) ? best : foreign;
      if (overlaps(other) && !same_master(other)) {
        report_writers(space, part, *other);
      } else if (const Part* meets = conflicting(own, master, part)) {
        report_writers(space, part, *meets);
      }
      add(own[{master, once(of(part))}], part);
      if (best == nullptr || part.end > best->end) {
        if (best != nullptr && !same_master(best)) foreign = best;
        best = &part;
      } else if (!same_master(best) && (foreign == nullptr || part.end > foreign->end)) {
        foreign = &part;
      }
    }
  }

  // A write of the same master that reaches into `part` and is not meant to, or null.
  template <class Masters>
  [[nodiscard]] const Part* conflicting(const Masters& own, std::size_t master,
                                        const Part& part) const {
    for (const bool restores : {false, true}) {
      const auto found = own.find({master, restores});
      if (found == own.end()) continue;
      for (const Part* each : {found->second.best, found->second.different}) {
        if (each != nullptr && each->end > part.first && !is_restore(part, *each)) return each;
      }
    }
    return nullptr;
  }

  // The same words of the same block, sent again at start or on return: meant, and harmless.
  [[nodiscard]] bool is_restore(const Part& a, const Part& b) const {
    return (once(of(a)) || once(of(b))) && write_the_same(a, b);
  }

  void report_writers(const Space& space, const Part& a, const Part& b) {
    const Part& late = a.transaction > b.transaction ? a : b;
    const Part& early = a.transaction > b.transaction ? b : a;
    const ResolvedTransaction& x = of(late);
    const ResolvedTransaction& y = of(early);
    const bool same_master = x.controller == y.controller;
    const auto inside = [](const Part& p, const Part& q) {
      return p.first >= q.first && p.end <= q.end;
    };
    const bool request_in_block = (single_on_request(x) && repeats(y) && inside(late, early)) ||
                                  (single_on_request(y) && repeats(x) && inside(early, late));
    const bool both_masked = x.function == FunctionCode::mask_write_register &&
                             y.function == FunctionCode::mask_write_register;
    Severity severity = Severity::error;
    if (same_master)
      severity = request_in_block || both_masked ? Severity::note : Severity::warning;
    const std::string who =
        same_master ? std::string()
                    : fmt::format(" of controller {}", plan_.plan.controllers[*y.controller].name);
    std::string remedy = "let one transaction alone write it";
    if (request_in_block && same_master)
      remedy = "the cyclic write sets it again: let the program change its source instead";
    if (both_masked && same_master)
      remedy = "fine as long as the masks leave each other's bits alone";
    report(out_, RuleCode::M04, severity, x.write->at_place, subject(late),
           fmt::format("writes {} of {}, which {}{} writes as well", shared_range(space, a, b),
                       plan_.target_name(*x.target), subject(early), who),
           remedy, {{y.write->at_place, "the other write is here"}});
  }

  // M05
  void check_readers(const Space& space, std::span<const Part> parts) {
    std::map<std::size_t, const Part*> furthest;  // per master
    for (const Part& part : parts) {
      const Part*& best = furthest[*of(part).controller];
      if (best != nullptr && best->end > part.first) report_readers(space, part, *best);
      if (best == nullptr || part.end > best->end) best = &part;
    }
  }

  void report_readers(const Space& space, const Part& a, const Part& b) {
    const Part& late = a.transaction > b.transaction ? a : b;
    const Part& early = a.transaction > b.transaction ? b : a;
    const ResolvedTransaction& t = of(late);
    const bool all_of_it = late.first >= early.first && late.end <= early.end;
    const auto cost = cost_ms_per_second(late, early, all_of_it);
    const std::string price = cost ? fmt::format("; that costs {:.1f} ms per second", *cost) : "";
    report(out_, RuleCode::M05, Severity::note, t.read->at_place, subject(late),
           fmt::format("reads {} of {}, which {} reads as well{}", shared_range(space, a, b),
                       plan_.target_name(*t.target), subject(early), price),
           all_of_it ? "drop it, if the other one comes often enough"
                     : "let the blocks end where the other begins",
           {{of(early).read->at_place, "the other read is here"}});
  }

  // Line time of what is read again: the whole request, or only the registers in common.
  [[nodiscard]] std::optional<double> cost_ms_per_second(const Part& late, const Part& early,
                                                         bool all_of_it) const {
    const ResolvedTransaction& t = of(late);
    const auto* whole = plan_.exchange.find(late.transaction);
    if (whole == nullptr || whole->trigger.kind != TriggerKind::cyclic ||
        whole->trigger.period <= model::Duration{}) {
      return std::nullopt;
    }
    const auto times = timing::transaction_times(plan_.exchange, *whole);
    if (!times) return std::nullopt;
    model::Duration each = times->longest;
    if (!all_of_it) {
      if (!times->serial || !t.channel->line) return std::nullopt;
      const auto characters = timing::character_timing(plan_.exchange.lines[*t.channel->line]);
      const std::uint64_t common =
          std::min(late.end, early.end) - std::max(late.first, early.first);
      const bool bits = is_bit_area(t.read->area);
      const auto bytes = static_cast<std::uint32_t>(bits ? (common + 7) / 8 : 2 * common);
      each =
          characters->characters(characters->mode == model::SerialMode::ascii ? 2 * bytes : bytes);
    }
    return model::to_ms(each) * 1e9 / static_cast<double>(t.trigger->period.count());
  }

  const model::ResolvedPlan& plan_;
  Findings& out_;
  Parts writes_;
  Parts reads_;
};

}  // namespace

void check_device_memory(const RuleInput& in, Findings& out) {
  DeviceMemoryRules(in, out).check();
}

}  // namespace greymet::checks
