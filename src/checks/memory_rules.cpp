// Family M on the controllers' side: M01, M02, M06, M10. All compare bits of stores, so that bits
// inside words are seen.
#include <algorithm>
#include <map>
#include <unordered_map>

#include "checks/rules.h"
#include "rule_text.h"

namespace greymet::checks {

using internal::report;
using model::BitRange;
using model::Findings;
using model::Place;
using model::ResolvedTransaction;
using model::RuleCode;
using model::Severity;

namespace {

enum class UseKind : std::uint8_t { read, sent, status, heartbeat, written_by_peer };

// Bits that somebody uses.
struct Use {
  BitRange bits;
  UseKind kind = UseKind::read;
  std::size_t owner = 0;  // transaction or heartbeat
  std::string_view status_kind;
  Place place;
};

bool is_data(const Use& use) {
  return use.kind == UseKind::read || use.kind == UseKind::sent;
}

// Keeps, for one sort of use, the one that reaches furthest, and the furthest of another owner: so
// every overlap is met although each use is compared with two others only.
class Furthest {
 public:
  void add(const Use& use) {
    if (best_ == nullptr || use.bits.end > best_->bits.end) {
      if (best_ != nullptr && best_->owner != use.owner) second_ = best_;
      best_ = &use;
    } else if (use.owner != best_->owner &&
               (second_ == nullptr || use.bits.end > second_->bits.end)) {
      second_ = &use;
    }
  }
  // One that overlaps `use` (which starts no earlier) and is somebody else's.
  [[nodiscard]] const Use* overlapping(const Use& use) const {
    for (const Use* candidate : {best_, second_}) {
      if (candidate != nullptr && candidate->owner != use.owner &&
          candidate->bits.end > use.bits.first) {
        return candidate;
      }
    }
    return nullptr;
  }
  // The same, own ones included.
  [[nodiscard]] const Use* overlapping_any(const Use& use) const {
    return best_ != nullptr && best_->bits.end > use.bits.first ? best_ : nullptr;
  }

 private:
  const Use* best_ = nullptr;
  const Use* second_ = nullptr;
};

class MemoryRules {
 public:
  MemoryRules(const RuleInput& in, Findings& out) : in_(in), plan_(in.plan), out_(out) {
    uses_.resize(plan_.plan.controllers.size());
    for (std::size_t i = 0; i < plan_.transactions.size(); ++i) collect(i);
    for (std::size_t h = 0; h < plan_.heartbeats.size(); ++h) {
      const model::ResolvedHeartbeat& heartbeat = plan_.heartbeats[h];
      if (!heartbeat.from || !heartbeat.bit) continue;
      const model::Heartbeat& declared = plan_.plan.heartbeats[heartbeat.declared];
      uses_[*heartbeat.from].push_back(
          {heartbeat.bit->bits, UseKind::heartbeat, h, {}, declared.bit->place});
    }
  }

  void check() {
    for (std::size_t c = 0; c < uses_.size(); ++c) check_controller(c);
  }

 private:
  void collect(std::size_t index) {
    const ResolvedTransaction& t = plan_.transactions[index];
    if (!t.controller) return;
    const model::Transaction& declared = plan_.declared(t);
    const auto memory_place = [&](const auto& own, const auto& part) {
      if (own) return own->place;
      return part && part->memory ? part->memory->place : declared.place;
    };
    if (!in_.range_is_wrong[index]) {
      if (t.into) {
        uses_[*t.controller].push_back(
            {t.into->bits, UseKind::read, index, {}, memory_place(declared.into, declared.read)});
      }
      if (t.from) {
        uses_[*t.controller].push_back(
            {t.from->bits, UseKind::sent, index, {}, memory_place(declared.from, declared.write)});
      }
      collect_peer_write(index, t);
    }
    for (const model::Status& status : t.status) {
      uses_[*t.controller].push_back(
          {status.range.bits, UseKind::status, index, status.kind, status.place});
    }
  }

  void collect_peer_write(std::size_t index, const ResolvedTransaction& t) {
    if (!t.target || !t.target->is_peer || !t.write) return;
    const auto memory =
        plan_.layouts[t.target->index].serving(t.write->area, t.write->offset, t.write->quantity);
    if (!memory) return;
    uses_[t.target->index].push_back(
        {memory->bits, UseKind::written_by_peer, index, {}, t.write->at_place});
  }

  [[nodiscard]] std::string subject(const Use& use) const {
    if (use.kind == UseKind::heartbeat) {
      return fmt::format("heartbeat {}",
                         plan_.plan.heartbeats[plan_.heartbeats[use.owner].declared].name);
    }
    return subject_of(plan_.declared(plan_.transactions[use.owner]));
  }
  [[nodiscard]] std::string shared_range(std::size_t c, const Use& a, const Use& b) const {
    return plan_.layouts[c].name_of(BitRange{a.bits.store, std::max(a.bits.first, b.bits.first),
                                             std::min(a.bits.end, b.bits.end)});
  }

  void check_controller(std::size_t c) {
    std::vector<Use>& uses = uses_[c];
    std::stable_sort(uses.begin(), uses.end(), [](const Use& a, const Use& b) {
      return a.bits.store != b.bits.store ? a.bits.store < b.bits.store
                                          : a.bits.first < b.bits.first;
    });
    for (std::size_t i = 0; i < uses.size();) {
      std::size_t end = i;
      while (end < uses.size() && uses[end].bits.store == uses[i].bits.store) ++end;
      sweep(c, {uses.begin() + static_cast<std::ptrdiff_t>(i),
                uses.begin() + static_cast<std::ptrdiff_t>(end)});
      i = end;
    }
    report_reads_on_sources(c);
  }

  void sweep(std::size_t c, std::span<const Use> uses) {
    std::map<UseKind, Furthest> furthest;
    for (const Use& use : uses) {
      for (auto& [kind, others] : furthest) compare(c, use, kind, others);
      furthest[use.kind].add(use);
    }
  }

  void compare(std::size_t c, const Use& use, UseKind other_kind, const Furthest& others) {
    const bool statuses = use.kind == UseKind::status || other_kind == UseKind::status;
    // owners of a heartbeat and of a transaction are counted apart: they are never the same
    const bool one_heartbeat =
        (use.kind == UseKind::heartbeat) != (other_kind == UseKind::heartbeat);
    const Use* other =
        statuses || one_heartbeat ? others.overlapping_any(use) : others.overlapping(use);
    if (other == nullptr) return;
    const auto kinds = [&](UseKind a, UseKind b) {
      return (use.kind == a && other_kind == b) || (use.kind == b && other_kind == a);
    };
    if (kinds(UseKind::read, UseKind::read)) {
      report_double_read(c, use, *other);
    } else if (kinds(UseKind::read, UseKind::sent)) {
      const Use& read = use.kind == UseKind::read ? use : *other;
      const Use& sent = use.kind == UseKind::read ? *other : use;
      const auto& writer = plan_.declared(plan_.transactions[sent.owner]);
      if (!value_or(writer.relays, false)) on_source_[read.owner].push_back({read, sent});
    } else if (statuses) {
      report_status(c, use, *other);
    } else if (kinds(UseKind::heartbeat, UseKind::read)) {
      report_heartbeat(c, use.kind == UseKind::heartbeat ? use : *other,
                       use.kind == UseKind::heartbeat ? *other : use);
    } else if (kinds(UseKind::heartbeat, UseKind::heartbeat)) {
      report(out_, RuleCode::M06, Severity::error, use.place, subject(use),
             fmt::format("uses {} like {}", shared_range(c, use, *other), subject(*other)),
             "give each heartbeat a bit of its own", {{other->place, "the other one is here"}});
    } else if (kinds(UseKind::written_by_peer, UseKind::read)) {
      report_peer(c, use, *other);
    }
  }

  // M01
  void report_double_read(std::size_t c, const Use& a, const Use& b) {
    const Use& late = a.owner > b.owner ? a : b;
    const Use& early = a.owner > b.owner ? b : a;
    const auto& into = plan_.transactions[late.owner].into;
    report(out_, RuleCode::M01, Severity::error, late.place, subject(late),
           fmt::format("reads into {} of controller {}, which {} fills as well",
                       shared_range(c, a, b), plan_.plan.controllers[c].name, subject(early)),
           fmt::format("move one of them: {} takes {}", subject(late),
                       into ? plan_.layouts[c].name_of(*into) : std::string("that range")),
           {{early.place, "the other read is here"}});
  }

  // M02, gathered per read
  void report_reads_on_sources(std::size_t c) {
    for (const auto& [owner, pairs] : on_source_) {
      const auto& [read, sent] = pairs.front();
      const std::string more =
          pairs.size() > 1 ? fmt::format(" (and {} more)", pairs.size() - 1) : std::string();
      report(out_, RuleCode::M02, Severity::error, read.place, subject(read),
             fmt::format("lands on {} of controller {}, which {} sends{}: what the program puts "
                         "there goes back to what was read",
                         shared_range(c, read, sent), plan_.plan.controllers[c].name, subject(sent),
                         more),
             "read into other words; if the write shall pass on what was read, say relays = true "
             "there",
             {{sent.place, "the write's source is here"}});
    }
    on_source_.clear();
  }

  // M06
  void report_status(std::size_t c, const Use& a, const Use& b) {
    const Use& status = a.kind == UseKind::status ? a : b;
    const Use& other = a.kind == UseKind::status ? b : a;
    if (other.kind == UseKind::written_by_peer) return;
    std::string what;
    if (other.kind == UseKind::status) {
      what = fmt::format("the `{}` of {}", other.status_kind, subject(other));
    } else if (is_data(other)) {
      what = fmt::format("the data that {} {}", subject(other),
                         other.kind == UseKind::read ? "reads" : "sends");
    } else {
      what = fmt::format("the bit of {}", subject(other));
    }
    report(
        out_, RuleCode::M06, Severity::error, status.place, subject(status),
        fmt::format("`{}` lies on {}, inside {}", status.status_kind, shared_range(c, a, b), what),
        "put status bits where nothing else is", {{other.place, "the other use is here"}});
  }

  void report_heartbeat(std::size_t c, const Use& heartbeat, const Use& read) {
    report(out_, RuleCode::M06, Severity::error, heartbeat.place, subject(heartbeat),
           fmt::format("toggles {}, which {} overwrites with what it reads",
                       shared_range(c, heartbeat, read), subject(read)),
           "toggle a bit that no read fills", {{read.place, "the read is here"}});
  }

  // M10
  void report_peer(std::size_t c, const Use& a, const Use& b) {
    const Use& peer = a.kind == UseKind::written_by_peer ? a : b;
    const Use& own = a.kind == UseKind::written_by_peer ? b : a;
    report(out_, RuleCode::M10, Severity::warning, own.place, subject(own),
           fmt::format("reads into {} of controller {}, which {} writes from outside",
                       shared_range(c, a, b), plan_.plan.controllers[c].name, subject(peer)),
           "keep what peers write apart from what own reads fill",
           {{peer.place, "the peer writes here"}});
  }

  const RuleInput& in_;
  const model::ResolvedPlan& plan_;
  Findings& out_;
  std::vector<std::vector<Use>> uses_;
  std::map<std::size_t, std::vector<std::pair<Use, Use>>> on_source_;
};

}  // namespace

void check_memory(const RuleInput& in, Findings& out) {
  MemoryRules(in, out).check();
}

}  // namespace greymet::checks
