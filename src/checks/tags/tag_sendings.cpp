// Family V, tags with `to`: what is sent there (V03).
#include <algorithm>
#include <optional>

#include "common/words.h"
#include "tag_ends.h"

namespace greymet::checks::internal {

using model::TagCell;
using model::TracedPlace;

namespace {

class Sending {
 public:
  Sending(TagEnds& ends, const model::ResolvedPlan& plan, ShiftedBlocks& blocks,
          SwappedBlocks& orders, LostBlocks& lost)
      : ends_(ends), plan_(plan), blocks_(blocks), orders_(orders), lost_(lost) {}

  void check_to(std::size_t index) {
    const ResolvedTag& tag = plan_.tags[index];
    const TagEnd& end = *tag.to;
    const ValueEnd own = end_of_tag(plan_, tag);
    const auto places =
        trace_value(plan_, model::memory_place(tag.controller, tag.memory->bits), own.order);
    for (std::size_t i = 1; i < places.size(); ++i) {
      if (places[i].place == end.place) return sent(index, own, places, i);
      // a type of another width begins at the same register
      if (places[i].place.at_controller == end.place.at_controller &&
          places[i].place.owner == end.place.owner && places[i].place.area == end.place.area &&
          places[i].place.bits.store == end.place.bits.store &&
          places[i].place.bits.first == end.place.bits.first) {
        return sent(index, own, places, i);
      }
    }
    if (places.size() < model::most_traced && !ends_.is_unsure(tag, end)) not_sent(index);
  }

  void sent(std::size_t index, const ValueEnd& own, const std::vector<TracedPlace>& places,
            std::size_t at) {
    const ResolvedTag& tag = plan_.tags[index];
    const Tag& declared = plan_.declared(tag);
    const TagEnd& end = *tag.to;
    const ValueEnd wanted = end_of(plan_, end);
    std::size_t first = at;
    while (places[first].before && *places[first].before != 0) first = *places[first].before;
    blocks_.exact(places[first].by, tag.controller, false);
    const TypeFit fit = fit_of(wanted, declared.type);
    if (fit != TypeFit::fits || places[at].place.bits != end.place.bits) {
      return ends_.concern_steps(
          report_type(tag, end, wanted, fit, ends_.step_place(places[at].by)), places, at, end);
    }
    const auto order = places[at].order;
    if (order && wanted.order && orders_differ(wanted.type, *order, *wanted.order)) {
      OrderSlip slip{index, false, places[at].by, *order, *wanted.order, {}};
      for (std::optional<std::size_t> i = at; i && places[*i].before; i = places[*i].before) {
        slip.concerns.push_back(ends_.step_concern(places, *i));
      }
      return orders_.add(std::move(slip));
    }
    if (order && wanted.order && is_multi_register(wanted.type.type)) orders_.exact(places[at].by);
    ends_.check_scale(tag, end, wanted, own, places, at);
  }

  Finding& report_type(const ResolvedTag& tag, const TagEnd& end, const ValueEnd& wanted,
                       TypeFit fit, model::Range sent_at) {
    const Tag& declared = plan_.declared(tag);
    Finding& finding = ends_.add(
        RuleCode::V03, fit == TypeFit::perhaps ? Severity::warning : Severity::error, tag,
        place_of(declared, TagCell::type),
        fmt::format(
            "is sent to '{}' as {}, which is {}{}", ends_.end_name(end), to_text(declared.type),
            to_text(wanted.type.type),
            fit == TypeFit::perhaps ? ", and no range says that its sign never matters" : ""),
        {}, {{sent_at, "it is sent from here"}, {ends_.end_place(end), "the other end"}});
    if (registers_of(wanted.type.type) == registers_of(declared.type.type)) {
      add_fix(finding,
              model::write_instead(place_of(declared, TagCell::type), to_text(wanted.type), false));
    }
    if (finding.remedy.empty()) {
      finding.remedy =
          fmt::format("send a {} from the program, or correct `to`", to_text(wanted.type));
    }
    return finding;
  }

  // Of what is written, the registers of this end; those of a peer are not counted so.
  [[nodiscard]] std::optional<model::Part> part_of(const TagEnd& end) const {
    if (end.is_tag) return std::nullopt;
    return model::Part{false, extent_of(plan_.point_of(end))};
  }

  void not_sent(std::size_t index) {
    const ResolvedTag& tag = plan_.tags[index];
    const Tag& declared = plan_.declared(tag);
    const TagEnd& end = *tag.to;
    // what is sent there instead
    for (const std::size_t i : ends_.writes_to(end)) {
      const ResolvedTransaction& t = plan_.transactions[i];
      if (!reaches(t, end)) continue;
      if (t.function == model::FunctionCode::mask_write_register) return;  // bits of it: not judged
      const auto source = source_of(i, end);
      if (!source) continue;
      if (t.controller != tag.controller) {
        Finding& finding = ends_.add(
            RuleCode::V03, Severity::error, tag, declared.address.place,
            fmt::format("'{}' is sent by {} from {} of controller {}, and nothing takes the tag "
                        "there",
                        ends_.end_name(end), plan_.declared(t).name,
                        ends_.name_at(*t.controller, *source),
                        plan_.plan.controllers[*t.controller].name),
            fmt::format("send the tag to controller {} and copy it to {}",
                        plan_.plan.controllers[*t.controller].name,
                        ends_.name_at(*t.controller, *source)),
            {{plan_.declared(t).place, "it is sent from here"}});
        finding.concerns.push_back({subject_of(plan_.declared(t)), part_of(end)});
        return ends_.concern_slave(finding, end);
      }
      if (source->store == tag.memory->bits.store && source->first == tag.memory->bits.first) {
        Finding& finding =
            report_type(tag, end, end_of(plan_, end), TypeFit::wrong, plan_.declared(t).place);
        finding.concerns.push_back({subject_of(plan_.declared(t)), part_of(end)});
        return ends_.concern_slave(finding, end);
      }
      model::ValueMove by{MoveKind::write, i, *t.controller, 0, false, {}};
      Shift shift{index, false, by, *source, {}};
      shift.concerns.push_back({subject_of(plan_.declared(t)), part_of(end)});
      if (!end.is_tag) shift.concerns.push_back({subject_of(plan_.plan.slaves[end.owner])});
      return blocks_.add(std::move(shift));
    }
    Finding& finding = ends_.add(
        RuleCode::V03, Severity::error, tag, declared.place,
        fmt::format("nothing sends the tag to '{}'", ends_.end_name(end)),
        tag.by_name ? fmt::format("add a transaction that writes it, or write \"{}\" in the "
                                  "column `to` if the tag only has its name",
                                  model::program_alone)
                    : std::string("add a transaction that writes it, or correct `to`"),
        {{ends_.end_place(end), "the other end"}});
    ends_.concern_all(finding, end);
    lost_.add(index, false, ends_.last_finding());
  }

  // The transaction writes some of where the value should go.
  [[nodiscard]] bool reaches(const ResolvedTransaction& t, const TagEnd& end) const {
    if (t.target->is_peer != end.is_tag) return false;
    if (!end.is_tag) {
      const std::uint64_t unit = is_bit_area(t.write->area) ? 1 : bits_per_word;
      const std::uint64_t first = t.write->offset * unit;
      const std::uint64_t last = first + t.write->quantity * unit;
      return t.target->index == end.owner && t.write->area == end.place.area &&
             first <= end.place.bits.first && end.place.bits.first < last;
    }
    if (t.target->index != end.place.owner) return false;
    const auto memory =
        plan_.layouts[t.target->index].serving(t.write->area, t.write->offset, t.write->quantity);
    return memory && memory->bits.store == end.place.bits.store &&
           memory->bits.first <= end.place.bits.first && end.place.bits.first < memory->bits.end;
  }

  // Where the transaction takes from what it sends there, as long as the whole value.
  [[nodiscard]] std::optional<BitRange> source_of(std::size_t transaction,
                                                  const TagEnd& end) const {
    const ResolvedTransaction& t = plan_.transactions[transaction];
    std::uint64_t first = 0;
    if (end.is_tag) {
      const auto memory =
          plan_.layouts[t.target->index].serving(t.write->area, t.write->offset, t.write->quantity);
      if (!memory) return std::nullopt;
      first = end.place.bits.first - memory->bits.first;
    } else {
      const std::uint64_t unit = is_bit_area(t.write->area) ? 1 : bits_per_word;
      first = end.place.bits.first - t.write->offset * unit;
    }
    BitRange source = t.from->bits;
    source.first += first;
    source.end = source.first + (end.place.bits.end - end.place.bits.first);
    return source;
  }

  TagEnds& ends_;
  const model::ResolvedPlan& plan_;
  ShiftedBlocks& blocks_;
  SwappedBlocks& orders_;
  LostBlocks& lost_;
};

}  // namespace

void check_sending(TagEnds& ends, const model::ResolvedPlan& plan, std::size_t tag,
                   ShiftedBlocks& blocks, SwappedBlocks& orders, LostBlocks& lost) {
  Sending(ends, plan, blocks, orders, lost).check_to(tag);
}

}  // namespace greymet::checks::internal
