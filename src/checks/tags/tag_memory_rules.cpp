// Family V, what lies: tags over each other (V05), words moved that no tag names (V06), and bits
// that the program must know and that are no tag (V07).
#include <algorithm>
#include <map>
#include <optional>
#include <set>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "common/use_index.h"
#include "model/tag_coverage.h"

namespace greymet::checks {

namespace {

// V05. An alias, a bit of a word, and a part of a string of bits are meant.
bool may_share(const ResolvedTag& a, const Tag& a_tag, const ResolvedTag& b, const Tag& b_tag) {
  const BitRange& x = a.memory->bits;
  const BitRange& y = b.memory->bits;
  if (x == y) return a_tag.type == b_tag.type || a_tag.type.raw || b_tag.type.raw;
  const bool x_in_y = y.first <= x.first && x.end <= y.end;
  const bool y_in_x = x.first <= y.first && y.end <= x.end;
  if (!x_in_y && !y_in_x) return false;
  const Tag& whole = x_in_y ? b_tag : a_tag;
  const Tag& part = x_in_y ? a_tag : b_tag;
  if (whole.type.raw) return part.type.raw || part.type.type.kind == TypeKind::boolean;
  // bits of a word; of a number of several words none has a meaning
  return part.type.type.kind == TypeKind::boolean && registers_of(whole.type.type) == 1;
}

void check_overlaps(const model::ResolvedPlan& plan, Findings& out) {
  std::map<std::pair<std::size_t, std::size_t>, std::vector<const ResolvedTag*>> stores;
  for (const ResolvedTag& tag : plan.tags) {
    if (tag.memory) stores[{tag.controller, tag.memory->bits.store}].push_back(&tag);
  }
  for (auto& [key, tags] : stores) {
    std::stable_sort(tags.begin(), tags.end(), [](const ResolvedTag* a, const ResolvedTag* b) {
      return a->memory->bits.first < b->memory->bits.first;
    });
    // those that reach on, one for all of the same bits and type: what may share bits with one of
    // them may with the others
    std::vector<const ResolvedTag*> open;
    for (const ResolvedTag* tag : tags) {
      std::erase_if(open, [&](const ResolvedTag* o) {
        return o->memory->bits.end <= tag->memory->bits.first;
      });
      const Tag& own = plan.declared(*tag);
      bool known = false;
      for (const ResolvedTag* other : open) {
        const Tag& theirs = plan.declared(*other);
        known = known || (other->memory->bits == tag->memory->bits && theirs.type == own.type);
        if (may_share(*tag, own, *other, theirs)) continue;
        const bool later = tag->declared > other->declared;
        const ResolvedTag& at = later ? *tag : *other;
        const ResolvedTag& with = later ? *other : *tag;
        const model::MemoryLayout& layout = plan.layouts[at.controller];
        report(out, RuleCode::V05, Severity::error, plan.declared(at).address.place,
               subject_of(plan, at),
               fmt::format("{} {} overlaps tag '{}', {} {}", to_text(plan.declared(at).type),
                           layout.name_of(*at.memory), plan.declared(with).name,
                           to_text(plan.declared(with).type), layout.name_of(*with.memory)),
               "correct one of the two addresses or types",
               {{plan.declared(with).address.place, "the other tag is here"}});
        break;  // one finding a tag
      }
      if (!known) open.push_back(tag);
    }
  }
}

// V03: what the program computes to be sent, and something else fills.
void check_overwritten(const model::ResolvedPlan& plan, Findings& out) {
  const auto uses = memory_uses(plan);
  std::vector<internal::UseIndex> indices;
  for (const auto& of_controller : uses) indices.emplace_back(of_controller);
  for (const ResolvedTag& tag : plan.tags) {
    if (!tag.memory || !tag.to || tag.from) continue;
    const MemoryUse* other =
        indices[tag.controller].any(tag.memory->bits, [](const MemoryUse& use) {
          return use.purpose == MemoryPurpose::read || use.purpose == MemoryPurpose::copy_target ||
                 use.purpose == MemoryPurpose::written_by_peer ||
                 use.purpose == MemoryPurpose::status;
        });
    if (other == nullptr) continue;
    const model::Subject whose = owner_subject(plan, *other);
    const model::MemoryLayout& layout = plan.layouts[tag.controller];
    report(out, RuleCode::V03, Severity::error, plan.declared(tag).address.place,
           subject_of(plan, tag),
           fmt::format("the program's value in {} is overwritten by {} before it is sent",
                       layout.name_of(*tag.memory), to_text(whose)),
           fmt::format("let {} fill other words; or say in the column `from` where the value comes "
                       "from, if it is passed on",
                       to_text(whose)),
           {{other->place, "it is overwritten here"}});
    out.back().concerns.push_back({whose});
  }
}

// V06 and V07, controller by controller.
class UnnamedMemory {
 public:
  UnnamedMemory(const model::ResolvedPlan& plan, Findings& out)
      : plan_(plan), out_(out), uses_(memory_uses(plan)), coverage_(plan) {}

  void check() {
    for (std::size_t c = 0; c < plan_.plan.controllers.size(); ++c) {
      const auto& table = plan_.plan.controllers[c].tags;
      if (!table || table->incomplete || table->tags.empty() || coverage_.is_partial(c)) continue;
      check_words(c);
      check_bits(c);
    }
  }

 private:
  [[nodiscard]] model::Range place_of_use(std::size_t c, const MemoryUse& use) const {
    return use.place.line > 0 ? use.place : plan_.plan.controllers[c].place;
  }

  void check_words(std::size_t c) {
    for (const MemoryUse& use : uses_[c]) {
      if (!model::moves_values(use.purpose)) continue;
      const auto unnamed = coverage_.unnamed(c, use);
      if (unnamed.spare.empty()) continue;
      const auto& t = plan_.declared(plan_.transactions[use.owner]);
      const model::MemoryLayout& layout = plan_.layouts[c];
      const bool whole = !unnamed.any_named;
      constexpr std::size_t most_shown = 4;
      std::vector<std::string> names;
      for (const BitRange& bits : unnamed.spare) {
        if (names.size() < most_shown) names.push_back(layout.name_of(bits));
      }
      const std::string more = unnamed.spare.size() > most_shown
                                   ? fmt::format(" and {} more", unnamed.spare.size() - most_shown)
                                   : std::string();
      report(out_, RuleCode::V06, whole ? Severity::note : Severity::warning, place_of_use(c, use),
             subject_of(t),
             whole ? fmt::format("no tag of controller {} names any of {}",
                                 layout.controller().name, layout.name_of(use.bits))
                   : fmt::format("no tag of controller {} names {}{}", layout.controller().name,
                                 fmt::join(names, ", "), more),
             whole ? "add the tags to its table if the program uses the values, or leave the "
                     "transaction out"
                   : "add the tags to its table if the program uses the values; if it does not, "
                     "accept this and say why");
    }
  }

  void check_bits(std::size_t c) {
    std::map<model::Subject, std::vector<std::string>> missing;
    std::map<model::Subject, model::Range> first_place;
    for (const MemoryUse& use : uses_[c]) {
      if (use.purpose != MemoryPurpose::status && use.purpose != MemoryPurpose::trigger &&
          use.purpose != MemoryPurpose::gate && use.purpose != MemoryPurpose::heartbeat) {
        continue;
      }
      add_missing(c, use.bits, owner_subject(plan_, use), use.place,
                  use.status_kind ? to_string(*use.status_kind) : to_string(use.purpose), missing,
                  first_place);
    }
    for (const model::ResolvedHeartbeat& h : plan_.heartbeats) {
      if (!h.to || *h.to != c || !h.seen) continue;
      const model::Heartbeat& declared = plan_.plan.heartbeats[h.declared];
      add_missing(c, h.seen->bits, subject_of(declared), declared.seen->place, "seen", missing,
                  first_place);
    }
    for (const auto& [subject, bits] : missing) {
      report(out_, RuleCode::V07, Severity::warning, first_place[subject], subject,
             fmt::format("no tag of controller {} names {}", plan_.plan.controllers[c].name,
                         fmt::join(bits, ", ")),
             "add it to the table of tags: what the program does not know it cannot use");
    }
  }

  // A bit is named by a tag of its own, or by a string of bits around it whose bits are no tags; a
  // word by any tag in it.
  [[nodiscard]] bool is_named(std::size_t c, const BitRange& bits) const {
    if (bits.end - bits.first != 1) return coverage_.names_any(c, bits);
    const bool in_word =
        plan_.plan.controllers[c].memory[bits.store].kind == model::MemoryKind::word;
    BitRange word = bits;
    if (in_word) {
      word.first = bits.first / bits_per_word * bits_per_word;
      word.end = word.first + bits_per_word;
    }
    bool in_string = false;
    bool has_bits = false;
    for (const std::size_t t : coverage_.tags_in(c, word)) {
      const ResolvedTag& tag = plan_.tags[t];
      const bool is_bit = plan_.declared(tag).type.type.kind == TypeKind::boolean;
      if (is_bit && tag.memory->bits == bits) return true;
      has_bits = has_bits || is_bit;
      in_string = in_string || plan_.declared(tag).type.raw;
    }
    return in_string && !has_bits;
  }

  void add_missing(std::size_t c, const BitRange& bits, const model::Subject& subject,
                   model::Range place, std::string_view what,
                   std::map<model::Subject, std::vector<std::string>>& missing,
                   std::map<model::Subject, model::Range>& first_place) const {
    if (is_named(c, bits)) return;
    missing[subject].push_back(fmt::format("{} {}", what, plan_.layouts[c].name_of(bits)));
    first_place.try_emplace(subject, place);
  }

  const model::ResolvedPlan& plan_;
  Findings& out_;
  const model::Indexed<std::vector<MemoryUse>, model::ControllerIndex> uses_;
  const model::TagCoverage coverage_;
};

}  // namespace

void check_tag_memory(const RuleInput& in, Findings& out) {
  if (in.plan.tags.empty()) return;
  check_overlaps(in.plan, out);
  check_overwritten(in.plan, out);
  UnnamedMemory(in.plan, out).check();
}

}  // namespace greymet::checks
