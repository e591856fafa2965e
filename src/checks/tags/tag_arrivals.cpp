// Family V, tags with `from`: what arrives, where, and as what (V01, V02).
#include <algorithm>
#include <optional>

#include "common/words.h"
#include "tag_ends.h"

namespace greymet::checks::internal {

using model::TagCell;
using model::TracedPlace;

namespace {

class Arrival {
 public:
  Arrival(TagEnds& ends, const model::ResolvedPlan& plan, ShiftedBlocks& blocks,
          SwappedBlocks& orders, LostBlocks& lost)
      : ends_(ends), plan_(plan), blocks_(blocks), orders_(orders), lost_(lost) {}

  void check_from(std::size_t index) {
    const ResolvedTag& tag = plan_.tags[index];
    const TagEnd& end = *tag.from;
    const ValueEnd value = end_of(plan_, end);
    const auto& places = ends_.trace(end.place, value.order);
    const BitRange& own = tag.memory->bits;
    std::optional<std::size_t> covering;  // the value lies over the tag or the tag over it
    std::optional<std::size_t> nearest;
    for (std::size_t i = 1; i < places.size(); ++i) {
      const ValuePlace& at = places[i].place;
      if (!at.at_controller || at.owner != tag.controller) continue;
      if (at.bits == own) return arrived(index, value, end, places, i);
      const bool other_bit =
          at.bits.end - at.bits.first == 1 && own.end - own.first == 1 && in_bits(tag);
      if (!other_bit && at.bits.store == own.store &&
          at.bits.first / bits_per_word == own.first / bits_per_word &&
          overlaps_in_kind(at.bits, own)) {
        covering = i;
      }
      if (!nearest || distance(at.bits, own) < distance(places[*nearest].place.bits, own)) {
        nearest = i;
      }
    }
    if (places.size() >= model::most_traced) return;  // it goes further than was looked
    if (covering) return arrived(index, value, end, places, *covering);
    if (ends_.is_unsure(tag, end)) return;
    if (nearest) return elsewhere(index, places, *nearest);
    if (!in_part(index, end, value)) report_nothing(index, end);
  }

  // Bits of an area of bits have no word: the one beside is another, as a word beside is.
  [[nodiscard]] bool in_bits(const ResolvedTag& tag) const {
    return plan_.plan.controllers[tag.controller].memory[tag.memory->area].kind ==
           model::MemoryKind::bit;
  }

  // One begins where the other does, or is a bit of it: then they disagree about what it is.
  [[nodiscard]] static bool overlaps_in_kind(const BitRange& value, const BitRange& own) {
    const bool bit = value.end - value.first == 1 || own.end - own.first == 1;
    return bit ? value.first / bits_per_word == own.first / bits_per_word
               : value.first == own.first;
  }

  [[nodiscard]] static std::uint64_t distance(const BitRange& a, const BitRange& b) {
    constexpr std::uint64_t other_store = std::uint64_t{1} << 62U;
    const std::uint64_t d = a.first > b.first ? a.first - b.first : b.first - a.first;
    return a.store == b.store ? d : other_store + d;
  }

  // It is there; V02 and V04 say whether it is what the tag takes it for.
  void arrived(std::size_t index, ValueEnd value, const TagEnd& end,
               const std::vector<TracedPlace>& places, std::size_t at) {
    const ResolvedTag& tag = plan_.tags[index];
    const Tag& declared = plan_.declared(tag);
    const ValueEnd taken = end_of_tag(plan_, tag);
    const TracedPlace& here = places[at];
    value.order = here.order;
    if (here.place.bits == tag.memory->bits) blocks_.exact(here.by, tag.controller, true);
    const bool one_bit = here.place.bits.end - here.place.bits.first == 1;
    const bool tag_is_bit = tag.memory->bits.end - tag.memory->bits.first == 1;
    const std::vector<model::Related> related{
        {ends_.step_place(here.by), "it is brought from here"},
        {ends_.end_place(end), "the other end"}};
    if (one_bit && tag_is_bit && here.place.bits != tag.memory->bits) {
      Finding& finding = ends_.add(
          RuleCode::V02, Severity::error, tag, declared.address.place,
          fmt::format("'{}' arrives in {}, the tag is {}", ends_.end_name(end),
                      ends_.name_at(tag.controller, here.place.bits), ends_.memory_name(tag)),
          {}, related);
      add_fix(finding, model::write_instead(declared.address.place,
                                            ends_.name_at(tag.controller, here.place.bits), false));
      return ends_.concern_steps(finding, places, at, end);
    }
    const bool bit_of_bits = tag_is_bit && !one_bit && value.type.raw &&
                             declared.type.type.kind == model::TypeKind::boolean &&
                             here.place.bits.first <= tag.memory->bits.first &&
                             tag.memory->bits.end <= here.place.bits.end;
    if (bit_of_bits) return;
    const TypeFit fit = fit_of(value, declared.type);
    if (fit != TypeFit::fits) {
      Finding& finding = ends_.add(
          RuleCode::V02, fit == TypeFit::wrong ? Severity::error : Severity::warning, tag,
          place_of(declared, TagCell::type),
          fmt::format(
              "'{}' arrives in {} as {}, the tag takes {} for {}{}", ends_.end_name(end),
              ends_.name_at(tag.controller, here.place.bits), to_text(value.type.type),
              ends_.memory_name(tag), to_text(declared.type),
              fit == TypeFit::perhaps ? ", and no range says that its sign never matters" : ""),
          {}, related);
      if (registers_of(value.type.type) == registers_of(declared.type.type) ||
          one_bit == tag_is_bit) {
        add_fix(finding, model::write_instead(place_of(declared, TagCell::type),
                                              to_text(value.type), false));
      }
      if (finding.remedy.empty()) {
        finding.remedy = fmt::format("take it for {} in the program, or name another point",
                                     to_text(value.type));
      }
      return ends_.concern_steps(finding, places, at, end);
    }
    if (value.order && taken.order && is_multi_register(value.type.type)) {
      if (orders_differ(value.type, *value.order, *taken.order)) {
        OrderSlip slip{index, true, here.by, *value.order, *taken.order, {}};
        for (std::optional<std::size_t> i = at; i && places[*i].before; i = places[*i].before) {
          slip.concerns.push_back(ends_.step_concern(places, *i));
        }
        return orders_.add(std::move(slip));
      }
      orders_.exact(here.by);
    }
    ends_.check_scale(tag, end, value, taken, places, at);
  }

  void elsewhere(std::size_t index, const std::vector<TracedPlace>& places, std::size_t at) {
    const ResolvedTag& tag = plan_.tags[index];
    Shift shift{index, true, places[at].by, places[at].place.bits, {}};
    for (std::optional<std::size_t> i = at; i && places[*i].before; i = places[*i].before) {
      shift.concerns.push_back(ends_.step_concern(places, *i));
    }
    if (!tag.from->is_tag) {
      shift.concerns.push_back({subject_of(plan_.plan.slaves[tag.from->owner])});
    }
    blocks_.add(std::move(shift));
  }

  // V02: some of its registers arrive.
  bool in_part(std::size_t index, const TagEnd& end, const ValueEnd& value) {
    const ResolvedTag& tag = plan_.tags[index];
    const std::uint64_t registers = (end.place.bits.end - end.place.bits.first) / bits_per_word;
    if (registers < 2) return false;
    const Tag& declared = plan_.declared(tag);
    std::size_t count = 0;
    std::optional<TracedPlace> part;
    std::vector<model::Concern> steps;
    for (std::uint64_t k = 0; k < registers; ++k) {
      ValuePlace word = end.place;
      word.bits.first += k * bits_per_word;
      word.bits.end = word.bits.first + bits_per_word;
      const auto places = trace_value(plan_, word, value.order);
      for (std::size_t i = 1; i < places.size(); ++i) {
        const TracedPlace& at = places[i];
        if (!at.place.at_controller || at.place.owner != tag.controller) continue;
        ++count;
        part = at;
        for (std::optional<std::size_t> j = i; places[*j].before; j = places[*j].before) {
          steps.push_back(ends_.step_concern(places, *j));
        }
        break;
      }
    }
    if (!part) return false;
    Finding& finding = ends_.add(
        RuleCode::V02, Severity::error, tag, declared.place,
        count == registers ? fmt::format("the {} registers of '{}' do not arrive together",
                                         registers, ends_.end_name(end))
                           : fmt::format("only {} of the {} registers of '{}' arrive", count,
                                         registers, ends_.end_name(end)),
        fmt::format("let {} carry the whole value", ends_.step_name(part->by)),
        {{ends_.step_place(part->by), "it is cut here"}, {ends_.end_place(end), "the other end"}});
    finding.concerns = std::move(steps);
    ends_.concern_all(finding, end);
    ends_.failed(index, ends_.last_finding(), true);
    return true;
  }

  // V01: nothing comes at all.
  void report_nothing(std::size_t index, const TagEnd& end) {
    const ResolvedTag& tag = plan_.tags[index];
    if (!end.is_tag && is_wanted(tag, end)) return;
    const Tag& declared = plan_.declared(tag);
    const std::string& controller = plan_.plan.controllers[tag.controller].name;
    const auto near = end.is_tag ? std::nullopt : block_before(tag, end);
    Finding& finding = ends_.add(
        RuleCode::V01, Severity::error, tag, declared.place,
        fmt::format("nothing brings '{}' to controller {}{}", ends_.end_name(end), controller,
                    near ? fmt::format(": {} ends {} register{} before it",
                                       plan_.transaction_name(near->transaction), near->gap,
                                       near->gap == 1 ? "" : "s")
                         : std::string()),
        {}, {{ends_.end_place(end), "the other end"}});
    if (near) offer_longer(finding, *near, end);
    if (finding.remedy.empty()) {
      finding.remedy = tag.by_name ? fmt::format(
                                         "add a transaction that reads it, or write \"{}\" in the "
                                         "column `from` if the tag only has its name",
                                         model::program_alone)
                                   : "add a transaction that brings it, or correct `from`";
    }
    ends_.concern_all(finding, end);
    lost_.add(index, true, ends_.last_finding());
    ends_.failed(index, ends_.last_finding(), true);
  }

  // Requests for it are still to be made.
  [[nodiscard]] bool is_wanted(const ResolvedTag& tag, const TagEnd& end) const {
    return std::any_of(plan_.wants.begin(), plan_.wants.end(), [&](const auto& want) {
      return !plan_.plan.wants[want.declared].writes() && want.slave && *want.slave == end.owner &&
             (!want.controller || *want.controller == tag.controller) &&
             std::find(want.points.begin(), want.points.end(), end.point) != want.points.end();
    });
  }

  // A block of the tag's controller that ends a little before the point, where the tag would get
  // it if it were longer.
  struct BlockBefore {
    std::size_t transaction = 0;
    std::uint32_t gap = 0;  // registers or bits between them, and of the value that are missing
  };
  [[nodiscard]] std::optional<BlockBefore> block_before(const ResolvedTag& tag,
                                                        const TagEnd& end) const {
    constexpr std::uint32_t most_missing = 4;
    const model::Extent wanted = extent_of(plan_.point_of(end));
    for (const model::DeviceUse& use : ends_.uses_of(end.owner)) {
      const ResolvedTransaction& t = plan_.transactions[use.transaction];
      if (!use.is_read || use.area != end.place.area || t.controller != tag.controller || !t.into) {
        continue;
      }
      if (use.extent.end > wanted.first || wanted.first - use.extent.end >= most_missing) continue;
      const std::uint64_t unit = is_bit_area(use.area) ? 1 : bits_per_word;
      const std::uint64_t would = t.into->bits.first + (wanted.first - use.extent.first) * unit;
      if (t.into->bits.store != tag.memory->bits.store || would != tag.memory->bits.first) continue;
      return BlockBefore{use.transaction, wanted.first - use.extent.end + 1};
    }
    return std::nullopt;
  }

  void offer_longer(Finding& finding, const BlockBefore& near, const TagEnd& end) const {
    const ResolvedTransaction& t = plan_.transactions[near.transaction];
    const model::Transaction& declared = plan_.declared(t);
    if (declared.read || declared.write || !declared.block.count || !t.read) return;
    const std::uint32_t count = extent_of(plan_.point_of(end)).end - t.read->offset;
    add_fix(finding,
            {fmt::format("write count = {} at {}", count, declared.name),
             {{declared.place, {}, model::EditKind::set_keys, {{"count", std::to_string(count)}}}},
             false});
  }

  TagEnds& ends_;
  const model::ResolvedPlan& plan_;
  ShiftedBlocks& blocks_;
  SwappedBlocks& orders_;
  LostBlocks& lost_;
};

}  // namespace

void check_arrival(TagEnds& ends, const model::ResolvedPlan& plan, std::size_t tag,
                   ShiftedBlocks& blocks, SwappedBlocks& orders, LostBlocks& lost) {
  Arrival(ends, plan, blocks, orders, lost).check_from(tag);
}

}  // namespace greymet::checks::internal
