// Family M on the controllers' side: M01, M02, M06, M10, M12. All compare bits of stores, so that
// bits inside words are seen.
#include <algorithm>
#include <map>
#include <span>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/free_memory.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

namespace {

using Use = model::MemoryUse;
using UseKind = model::MemoryPurpose;
using model::MemoryConflict;

bool is_data(const Use& use) {
  return use.purpose == UseKind::read || use.purpose == UseKind::sent;
}

// Uses of one sort: of one purpose, and all with `relays` or all without. What conflicts with one
// of them conflicts with all it overlaps, but for those of its own owner.
using Sort = std::pair<UseKind, bool>;

// Keeps, of one sort, the use that reaches furthest, and the furthest of another owner: so every
// conflict is met although each use is compared with two others only.
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
  // One that conflicts with `use`, which starts no earlier.
  [[nodiscard]] const Use* conflicting(const Use& use) const {
    for (const Use* each : {best_, second_}) {
      if (each != nullptr && conflict_of(use, *each) != MemoryConflict::none) return each;
    }
    return nullptr;
  }

 private:
  const Use* best_ = nullptr;
  const Use* second_ = nullptr;
};

class MemoryRules {
 public:
  MemoryRules(const RuleInput& in, Findings& out)
      : plan_(in.plan), out_(out), uses_(memory_uses(in.plan)), all_(uses_) {
    for (auto& uses : uses_) {
      std::erase_if(uses, [&](const Use& use) { return !is_judged(in, use); });
    }
  }

  void check() {
    for (std::size_t c = 0; c < uses_.size(); ++c) check_controller(c);
  }

 private:
  // Ranges that are wrong by themselves, and uses that harm nobody, are left out.
  static bool is_judged(const RuleInput& in, const Use& use) {
    switch (use.purpose) {
      case UseKind::status:
      case UseKind::heartbeat:
      case UseKind::trigger:
      case UseKind::gate:
      case UseKind::fingerprint:
      case UseKind::copy_target: return true;
      case UseKind::read: return !in.range_is_wrong[use.owner].read;
      case UseKind::sent:
      case UseKind::written_by_peer: return !in.range_is_wrong[use.owner].write;
      case UseKind::copy_source:
      case UseKind::read_by_peer: return false;
    }
    return false;
  }

  static bool is_command(UseKind purpose) {
    return purpose == UseKind::trigger || purpose == UseKind::gate;
  }

  [[nodiscard]] model::Subject subject(const Use& use) const { return owner_subject(plan_, use); }
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
    std::map<Sort, Furthest> furthest;
    for (const Use& use : uses) {
      for (const auto& [sort, others] : furthest) {
        if (const Use* other = others.conflicting(use)) judge(c, use, *other);
      }
      furthest[{use.purpose, use.relays}].add(use);
    }
  }

  void judge(std::size_t c, const Use& use, const Use& other) {
    switch (conflict_of(use, other)) {
      case MemoryConflict::none:
      case MemoryConflict::copy_fills: return;  // M11 speaks
      case MemoryConflict::read_twice: return report_double_read(c, use, other);
      case MemoryConflict::source_overwritten: {
        const bool is_read = use.purpose == UseKind::read;
        const Use& read = is_read ? use : other;
        on_source_[read.owner].push_back({read, is_read ? other : use});
        return;
      }
      case MemoryConflict::status_shared: return report_status(c, use, other);
      case MemoryConflict::heartbeat_shared: return report_two_heartbeats(c, use, other);
      case MemoryConflict::heartbeat_overwritten: {
        const bool is_heartbeat = use.purpose == UseKind::heartbeat;
        return report_heartbeat(c, is_heartbeat ? use : other, is_heartbeat ? other : use);
      }
      case MemoryConflict::command_from_status: return report_command_status(c, use, other);
      case MemoryConflict::command_filled: return report_command_filled(c, use, other);
      case MemoryConflict::peer_fills: return report_peer(c, use, other);
      case MemoryConflict::fingerprint_filled: return report_fingerprint(c, use, other);
    }
  }

  [[nodiscard]] std::optional<std::int64_t> parity_of(const Use& read) const {
    return internal::start_parity(plan_, plan_.transactions[read.owner], true);
  }

  // The lowest free place for a range.
  [[nodiscard]] std::optional<std::string> free_place(
      std::size_t c, const model::MemoryRange& wanted,
      std::optional<std::int64_t> parity = std::nullopt) {
    const model::ControllerIndex controller(c);
    const auto [left, is_new] = free_.try_emplace(c, plan_, controller, all_[controller]);
    const auto free = left->second.lowest(wanted.area, wanted.count, parity);
    if (!free) return std::nullopt;
    return plan_.layouts[c].name_of(free->area, free->number);
  }
  // Moves what the last finding is about there.
  void cure_place(std::size_t c, const model::MemoryRange& wanted, model::Range place,
                  std::string_view key, std::optional<std::int64_t> parity = std::nullopt) {
    if (const auto free = free_place(c, wanted, parity)) {
      internal::cure_by_keys(out_, fmt::format("write {} = \"{}\"", key, *free), place,
                             {{std::string(key), internal::toml_text(*free)}}, false);
      internal::make_question(out_);  // others may look where it was
    }
  }

  // "write into = "%MW120", which is free"
  [[nodiscard]] std::string free_text(std::size_t c, const model::MemoryRange& wanted,
                                      std::string_view key,
                                      std::optional<std::int64_t> parity = std::nullopt) {
    const auto free = free_place(c, wanted, parity);
    if (!free) return "no range of this length is free; enlarge the area";
    return fmt::format("write {} = \"{}\", which is free", key, *free);
  }

  // M01
  void report_double_read(std::size_t c, const Use& a, const Use& b) {
    const Use& late = a.owner > b.owner ? a : b;
    const Use& early = a.owner > b.owner ? b : a;
    const auto& into = plan_.transactions[late.owner].into;
    report(out_, RuleCode::M01, Severity::error, late.place, subject(late),
           fmt::format("reads into {} of controller {}, which {} fills as well",
                       shared_range(c, a, b), plan_.plan.controllers[c].name, subject(early)),
           into ? free_text(c, *into, "into", parity_of(late))
                : std::string("move one of them; `greymet memory` shows what is free"),
           {{early.place, "the other read is here"}});
    if (into) cure_place(c, *into, late.place, "into", parity_of(late));
  }

  // M02, gathered per read
  void report_reads_on_sources(std::size_t c) {
    for (const auto& [owner, pairs] : on_source_) {
      const auto& [read, sent] = pairs.front();
      const auto& into = plan_.transactions[read.owner].into;
      const std::string more =
          pairs.size() > 1 ? fmt::format(" (and {} more)", pairs.size() - 1) : std::string();
      report(out_, RuleCode::M02, Severity::error, read.place, subject(read),
             fmt::format("lands on {} of controller {}, which {} sends{}: what the program puts "
                         "there goes back to what was read",
                         shared_range(c, read, sent), plan_.plan.controllers[c].name, subject(sent),
                         more),
             fmt::format(
                 "{}; if the write shall pass on what was read, say relays = true there",
                 into ? free_text(c, *into, "into", parity_of(read)) : "read into other words"),
             {{sent.place, "the write's source is here"}});
      if (into) cure_place(c, *into, read.place, "into", parity_of(read));
    }
    on_source_.clear();
  }

  // A free bit or word of the area that the status names.
  [[nodiscard]] std::string free_status_text(std::size_t c, const Use& status) {
    for (const model::Status& each : plan_.transactions[status.owner].status) {
      if (each.kind != *status.status_kind || each.range.bit) continue;
      return free_text(c, each.range, to_string(each.kind));
    }
    return "put status bits where nothing else is";
  }

  // M06
  void report_status(std::size_t c, const Use& a, const Use& b) {
    const Use& status = a.purpose == UseKind::status ? a : b;
    const Use& other = a.purpose == UseKind::status ? b : a;
    std::string what;
    if (other.purpose == UseKind::copy_target) {
      what = fmt::format("what {} fills", subject(other));
    } else if (other.purpose == UseKind::written_by_peer) {
      what = fmt::format("what {} writes from outside", subject(other));
    } else if (other.purpose == UseKind::status) {
      what = fmt::format("the `{}` of {}", to_string(*other.status_kind), subject(other));
    } else if (is_data(other)) {
      what = fmt::format("the data that {} {}", subject(other),
                         other.purpose == UseKind::read ? "reads" : "sends");
    } else {
      what = fmt::format("the bit of {}", subject(other));
    }
    report(out_, RuleCode::M06, Severity::error, status.place, subject(status),
           fmt::format("`{}` lies on {}, inside {}", to_string(*status.status_kind),
                       shared_range(c, a, b), what),
           free_status_text(c, status), {{other.place, "the other use is here"}});
    for (const model::Status& each : plan_.transactions[status.owner].status) {
      if (each.kind == *status.status_kind && !each.range.bit) {
        cure_place(c, each.range, status.place, to_string(each.kind));
      }
    }
  }

  void report_two_heartbeats(std::size_t c, const Use& a, const Use& b) {
    report(out_, RuleCode::M06, Severity::error, a.place, subject(a),
           fmt::format("uses {} like {}", shared_range(c, a, b), subject(b)),
           "give each heartbeat a bit of its own", {{b.place, "the other one is here"}});
  }

  void report_heartbeat(std::size_t c, const Use& heartbeat, const Use& read) {
    report(out_, RuleCode::M06, Severity::error, heartbeat.place, subject(heartbeat),
           fmt::format("toggles {}, which {} overwrites{}", shared_range(c, heartbeat, read),
                       subject(read),
                       read.purpose == UseKind::read          ? " with what it reads"
                       : read.purpose == UseKind::copy_target ? ""
                                                              : " from outside"),
           "toggle a bit that nothing else fills", {{read.place, "the other use is here"}});
  }

  // M06
  void report_fingerprint(std::size_t c, const Use& a, const Use& b) {
    const Use& word = a.purpose == UseKind::fingerprint ? a : b;
    const Use& other = a.purpose == UseKind::fingerprint ? b : a;
    const bool is_read = other.purpose == UseKind::read;
    report(out_, RuleCode::M06, Severity::error, word.place, subject(word),
           fmt::format("keeps the fingerprint in {}, which is also for {} ({})",
                       shared_range(c, a, b), subject(other),
                       is_read ? std::string_view("what it reads") : to_string(other.purpose)),
           free_text(c, *plan_.fingerprint_words[model::ControllerIndex(c)], "fingerprint"),
           {{other.place, "the other use is here"}});
    cure_place(c, *plan_.fingerprint_words[model::ControllerIndex(c)], word.place, "fingerprint");
  }

  // M12, error: a transaction that runs because of how another one went
  void report_command_status(std::size_t c, const Use& a, const Use& b) {
    const Use& status = a.purpose == UseKind::status ? a : b;
    const Use& command = a.purpose == UseKind::status ? b : a;
    report(out_, RuleCode::M12, Severity::error, command.place, subject(command),
           fmt::format("{} {}, which is the `{}` of {}",
                       command.purpose == UseKind::trigger ? "is triggered by" : "runs only with",
                       shared_range(c, a, b), to_string(*status.status_kind), subject(status)),
           "let the program set a bit of its own from the status",
           {{status.place, "the status is here"}});
  }

  // M12, warning: what arrives from outside starts or stops a transaction
  void report_command_filled(std::size_t c, const Use& a, const Use& b) {
    const Use& command = is_command(a.purpose) ? a : b;
    const Use& filled = is_command(a.purpose) ? b : a;
    report(
        out_, RuleCode::M12, Severity::warning, command.place, subject(command),
        fmt::format("{} {}, which {} fills",
                    command.purpose == UseKind::trigger ? "is triggered by" : "runs only with",
                    shared_range(c, a, b), subject(filled)),
        "use a bit that the program sets; or say relays = true here if what arrives shall decide",
        {{filled.place, "it is filled here"}});
  }

  // M10
  void report_peer(std::size_t c, const Use& a, const Use& b) {
    const Use& peer = a.purpose == UseKind::written_by_peer ? a : b;
    const Use& own = a.purpose == UseKind::written_by_peer ? b : a;
    report(out_, RuleCode::M10, Severity::warning, own.place, subject(own),
           fmt::format("reads into {} of controller {}, which {} writes from outside",
                       shared_range(c, a, b), plan_.plan.controllers[c].name, subject(peer)),
           "keep what peers write apart from what own reads fill",
           {{peer.place, "the peer writes here"}});
  }

  const model::ResolvedPlan& plan_;
  Findings& out_;
  using UsesOf = model::Indexed<std::vector<Use>, model::ControllerIndex>;
  UsesOf uses_;       // those the rules judge
  const UsesOf all_;  // all of them: what is not free
  std::map<std::size_t, std::vector<std::pair<Use, Use>>> on_source_;
  std::map<std::size_t, model::FreeMemory> free_;  // per controller
};

}  // namespace

void check_memory(const RuleInput& in, Findings& out) {
  MemoryRules(in, out).check();
}

}  // namespace greymet::checks
