#include "tag_ends.h"

#include <algorithm>
#include <map>
#include <set>

#include "common/rule_text.h"

namespace greymet::checks::internal {

using model::TagCell;
using model::TracedPlace;

TagEnds::TagEnds(const RuleInput& in, Findings& out)
    : in_(in),
      plan_(in.plan),
      out_(out),
      uses_(device_uses(in.plan)),
      unsure_slave_(in.plan.plan.slaves.size(), false),
      unsure_controller_(in.plan.plan.controllers.size(), false) {
  find_unsure();
  writes_to_slave_.resize(plan_.plan.slaves.size());
  writes_to_controller_.resize(plan_.plan.controllers.size());
  for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
    const ResolvedTransaction& t = plan_.transactions[i];
    if (!t.write || !t.from || !t.target || !t.controller) continue;
    (t.target->is_peer ? writes_to_controller_ : writes_to_slave_)[t.target->index].push_back(i);
  }
}

const std::vector<TracedPlace>& TagEnds::trace(const ValuePlace& from,
                                               std::optional<model::WordOrder> order) {
  constexpr std::size_t most_kept = 64;
  const auto key = std::pair(from, order);
  const auto known = traces_.find(key);
  if (known != traces_.end()) return known->second;
  if (traces_.size() >= most_kept) traces_.clear();
  return traces_.emplace(key, trace_value(plan_, from, order)).first->second;
}

const std::vector<std::size_t>& TagEnds::writes_to(const TagEnd& end) const {
  return end.is_tag ? writes_to_controller_[end.place.owner] : writes_to_slave_[end.owner];
}

// A transaction or copy that could not be read may be the one that would bring the value: it has
// a finding of its own.
void TagEnds::find_unsure() {
  for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
    const ResolvedTransaction& t = plan_.transactions[i];
    const auto* whole = plan_.exchange.find(i);
    const bool placed = whole != nullptr && (!t.read || t.into) && (!t.write || t.from);
    if (placed && !in_.range_is_wrong[i].any()) continue;
    if (!t.target) {
      unsure_ = true;
    } else if (t.target->is_peer) {
      unsure_controller_[t.target->index] = true;
    } else {
      unsure_slave_[t.target->index] = true;
    }
    if (t.target && t.target->is_peer && t.controller) unsure_controller_[*t.controller] = true;
  }
  for (const model::ResolvedCopy& copy : plan_.copies) {
    if (copy.controller && copy.from && copy.to) continue;
    if (copy.controller) {
      unsure_controller_[*copy.controller] = true;
    } else {
      unsure_ = true;
    }
  }
}

bool TagEnds::is_unsure(const ResolvedTag& tag, const TagEnd& end) const {
  if (unsure_ || unsure_controller_[tag.controller]) return true;
  if (end.is_tag) return unsure_controller_[plan_.tags[end.owner].controller];
  return unsure_slave_[end.owner];
}

bool TagEnds::has_wrong_map(const TagEnd& end) const {
  return !end.is_tag && end.owner < in_.better_maps.size() && !in_.better_maps[end.owner].empty();
}

std::string TagEnds::end_name(const TagEnd& end) const {
  if (end.is_tag) return plan_.full_name(plan_.tags[end.owner]);
  return plan_.plan.slaves[end.owner].name + "." + plan_.point_of(end).name;
}
model::Range TagEnds::end_place(const TagEnd& end) const {
  return end.is_tag ? plan_.declared(plan_.tags[end.owner]).place : plan_.point_of(end).place;
}
std::string TagEnds::memory_name(const ResolvedTag& tag) const {
  return plan_.layouts[tag.controller].name_of(*tag.memory);
}
std::string TagEnds::name_at(std::size_t controller, const BitRange& bits) const {
  return plan_.layouts[controller].name_of(bits);
}
std::string TagEnds::step_name(const model::ValueMove& move) const {
  return plan_.move_name(move.kind, move.index);
}
model::Subject TagEnds::step_subject(const model::ValueMove& move) const {
  if (move.kind == MoveKind::copy) {
    return {model::SubjectKind::copy, std::to_string(plan_.copies[move.index].declared + 1)};
  }
  return subject_of(plan_.declared(plan_.transactions[move.index]));
}
model::Concern TagEnds::step_concern(const std::vector<TracedPlace>& places, std::size_t at) const {
  const model::ValueMove& move = places[at].by;
  model::Concern concern{step_subject(move)};
  if (move.kind == MoveKind::copy || !places[at].before) return concern;
  const bool is_read = move.kind == MoveKind::read;
  const ValuePlace& device = is_read ? places[*places[at].before].place : places[at].place;
  if (device.at_controller) return concern;  // registers of a peer
  const std::uint64_t unit = model::is_bit_area(device.area) ? 1 : bits_per_word;
  concern.part = {is_read,
                  {static_cast<std::uint32_t>(device.bits.first / unit),
                   static_cast<std::uint32_t>((device.bits.end + unit - 1) / unit)}};
  return concern;
}
model::Range TagEnds::step_place(const model::ValueMove& move) const {
  if (move.kind == MoveKind::copy) {
    return plan_.plan.copies[plan_.copies[move.index].declared].place;
  }
  return plan_.declared(plan_.transactions[move.index]).place;
}

Finding& TagEnds::add(RuleCode rule, Severity severity, const ResolvedTag& tag, model::Range place,
                      std::string message, std::string remedy,
                      std::vector<model::Related> related) {
  report(out_, rule, severity, place, subject_of(plan_, tag), std::move(message), std::move(remedy),
         std::move(related));
  return out_.back();
}

// Findings of the steps and of the slave may say the same.
void TagEnds::concern_steps(Finding& finding, const std::vector<TracedPlace>& places,
                            std::optional<std::size_t> at, const TagEnd& end) const {
  for (; at && places[*at].before; at = places[*at].before) {
    finding.concerns.push_back(step_concern(places, *at));
  }
  concern_slave(finding, end);
}
void TagEnds::concern_slave(Finding& finding, const TagEnd& end) const {
  if (!end.is_tag) finding.concerns.push_back({subject_of(plan_.plan.slaves[end.owner])});
}
void TagEnds::concern_all(Finding& finding, const TagEnd& end) const {
  concern_slave(finding, end);
  if (end.is_tag) return;
  const model::Extent wanted = extent_of(plan_.point_of(end));
  for (const model::DeviceUse& use : uses_[end.owner]) {
    const ResolvedTransaction& t = plan_.transactions[use.transaction];
    if (use.area != end.place.area) continue;
    if (use.extent.end + 2 < wanted.first || wanted.end + 2 < use.extent.first) continue;
    finding.concerns.push_back({subject_of(plan_.declared(t))});
  }
}

void TagEnds::check_scale(const ResolvedTag& tag, const TagEnd& end, const ValueEnd& value,
                          const ValueEnd& taken, const std::vector<TracedPlace>& places,
                          std::optional<std::size_t> at) {
  const std::string difference = internal::scale_difference(value, taken);
  if (difference.empty()) return;
  const Tag& declared = plan_.declared(tag);
  const TagCell cell = difference.starts_with("factor")   ? TagCell::factor
                       : difference.starts_with("offset") ? TagCell::offset
                                                          : TagCell::unit;
  Finding& finding =
      add(RuleCode::V04, Severity::warning, tag, place_of(declared, cell),
          fmt::format("'{}' and the tag are of different scale: {}", end_name(end), difference),
          "correct the one that is wrong, or convert the value in the program and say so in the "
          "table",
          {{end_place(end), "the other end"}});
  concern_steps(finding, places, at, end);
}

void TagEnds::concern_paths(Finding& finding, const ResolvedTag& tag, const TagEnd& end) const {
  for (const model::ResolvedPath& path : plan_.paths) {
    if (path.from && path.to && *path.from == end.place && path.to->at_controller &&
        path.to->owner == tag.controller) {
      finding.concerns.push_back({subject_of(plan_.plan.paths[path.declared])});
    }
  }
}

// The copy taken from where the value is.
std::optional<model::Fix> TagEnds::copy_from_there(std::size_t copy, const Shift& shift) const {
  const model::ResolvedCopy& resolved = plan_.copies[copy];
  const ResolvedTag& tag = plan_.tags[shift.tag];
  const model::MemoryLayout& layout = plan_.layouts[tag.controller];
  const bool words =
      layout.controller().memory[resolved.from->area].kind == model::MemoryKind::word;
  const std::int64_t unit = words ? static_cast<std::int64_t>(bits_per_word) : 1;
  const auto source = static_cast<std::int64_t>(source_of(resolved, tag).first);
  const std::int64_t bits = static_cast<std::int64_t>(shift.there.first) - source;
  if (resolved.from->bits.store != shift.there.store || bits % unit != 0) return std::nullopt;
  const auto range =
      layout.range(resolved.from->area, resolved.from->number + bits / unit, resolved.from->count);
  if (!range) return std::nullopt;
  const std::string name = layout.name_of(range->area, range->number);
  return model::Fix{fmt::format("write from = \"{}\" at copy {}", name, resolved.declared + 1),
                    {{plan_.plan.copies[resolved.declared].place,
                      {},
                      model::EditKind::set_keys,
                      {{"from", fmt::format("\"{}\"", name)}}}},
                    false};
}

void TagEnds::report_elsewhere(const Shift& shift, const ShiftedBlocks& blocks) {
  const ResolvedTag& tag = plan_.tags[shift.tag];
  const Tag& declared = plan_.declared(tag);
  const TagEnd& end = shift.is_from ? *tag.from : *tag.to;
  const std::string there = name_at(tag.controller, shift.there);
  const auto copy = shift.is_from ? copy_onto(plan_, tag) : std::nullopt;
  std::string message;
  if (!shift.is_from) {
    message = fmt::format("'{}' is sent from {}, the tag is at {}", end_name(end), there,
                          memory_name(tag));
  } else if (copy) {
    message =
        fmt::format("'{}' arrives in {}; the tag at {} gets what copy {} takes from elsewhere",
                    end_name(end), there, memory_name(tag), plan_.copies[*copy].declared + 1);
  } else {
    message =
        fmt::format("'{}' arrives in {}, the tag is at {}", end_name(end), there, memory_name(tag));
  }
  Finding& finding = add(
      shift.is_from ? RuleCode::V01 : RuleCode::V03, Severity::error, tag, declared.address.place,
      std::move(message), {},
      {{step_place(shift.by), shift.is_from ? "it is brought from here" : "it is sent from here"},
       {end_place(end), "the other end"}});
  finding.concerns = shift.concerns;
  if (!blocks.is_exact(shift.by, tag.controller, shift.is_from)) {
    finding.about =
        fmt::format("{} {} {}", static_cast<int>(shift.by.kind), shift.by.index, shift.is_from);
  }
  if (copy) {
    finding.concerns.push_back(
        {{model::SubjectKind::copy, std::to_string(plan_.copies[*copy].declared + 1)}});
    if (auto fix = copy_from_there(*copy, shift)) add_fix(finding, std::move(*fix));
  } else if (auto fix = blocks.move_block(shift)) {
    add_fix(finding, std::move(*fix));
  }
  add_fix(finding,
          model::write_instead(declared.address.place, name_of_first(tag, shift.there), false));
  if (shift.is_from) failed(shift.tag, last_finding(), true);
}

void TagEnds::report_order(const OrderSlip& slip) {
  const ResolvedTag& tag = plan_.tags[slip.tag];
  const Tag& declared = plan_.declared(tag);
  const TagEnd& end = slip.is_from ? *tag.from : *tag.to;
  std::vector<model::Related> related{
      {step_place(slip.by), slip.is_from ? "it is brought from here" : "it is sent from here"},
      {end_place(end), "the other end"}};
  const auto& own = plan_.plan.controllers[tag.controller].word_order;
  if (!declared.word_order && own) {
    related.push_back({own->place, "the controller's order is here"});
  }
  Finding& finding =
      add(slip.is_from ? RuleCode::V02 : RuleCode::V03, Severity::error, tag,
          place_of(declared, TagCell::word_order),
          slip.is_from ? fmt::format("'{}' arrives in {} in order {}, the program takes it as {}",
                                     end_name(end), memory_name(tag), to_string(slip.is),
                                     to_string(slip.wanted))
                       : fmt::format("is sent to '{}' in order {}, which expects {}", end_name(end),
                                     to_string(slip.is), to_string(slip.wanted)),
          {}, std::move(related));
  if (declared.word_order) {
    add_fix(finding, model::write_instead(
                         place_of(declared, TagCell::word_order),
                         std::string(to_string(slip.is_from ? slip.is : slip.wanted)), false));
  }
  if (auto fix = swap_fix(slip.by, slip.wanted, slip.is_from ? "takes them over" : "sends them")) {
    add_fix(finding, std::move(*fix));
  }
  if (finding.remedy.empty()) {
    finding.remedy = fmt::format(
        "give the tag word_order {} if the program has it so, or swap the words in the program",
        to_string(slip.is_from ? slip.is : slip.wanted));
  }
  finding.concerns = slip.concerns;
  concern_slave(finding, end);
}

void TagEnds::failed(std::size_t tag, std::size_t finding, bool alone) {
  failures_.push_back({tag, finding, alone});
  concern_paths(out_[finding], plan_.tags[tag], *plan_.tags[tag].from);
}

void TagEnds::drop_consequences(const std::vector<std::size_t>& explained) {
  std::map<ValuePlace, std::vector<const Failure*>> by_source;
  for (const Failure& failure : failures_) {
    by_source[plan_.tags[failure.tag].from->place].push_back(&failure);
  }
  std::set<std::size_t> dropped;
  for (const Failure& failure : failures_) {
    const bool is_explained =
        std::find(explained.begin(), explained.end(), failure.tag) != explained.end();
    if (failure.alone && is_explained) dropped.insert(failure.finding);
  }
  for (const auto& [source, failures] : by_source) {
    constexpr std::size_t most_compared = 64;  // of so many tags with one source each stands alone
    if (failures.size() < 2 || failures.size() > most_compared) continue;
    for (const Failure* cause : failures) {
      const ResolvedTag& other = plan_.tags[cause->tag];
      const auto places = trace_value(
          plan_, model::memory_place(other.controller, other.memory->bits), std::nullopt);
      for (const Failure* failure : failures) {
        const ResolvedTag& tag = plan_.tags[failure->tag];
        if (failure == cause || !failure->alone) continue;
        const ValuePlace own = model::memory_place(tag.controller, tag.memory->bits);
        if (std::any_of(places.begin() + 1, places.end(),
                        [&](const TracedPlace& at) { return at.place == own; })) {
          dropped.insert(failure->finding);
          const auto& also = out_[failure->finding].concerns;
          auto& concerns = out_[cause->finding].concerns;
          concerns.insert(concerns.end(), also.begin(), also.end());
        }
      }
    }
  }
  const std::vector<std::size_t> from_behind(dropped.rbegin(), dropped.rend());
  for (const std::size_t at : from_behind) {
    out_.erase(out_.begin() + static_cast<std::ptrdiff_t>(at));
  }
}

std::string TagEnds::name_of_first(const ResolvedTag& tag, BitRange bits) const {
  const bool words = (bits.end - bits.first) % bits_per_word == 0;
  bits.end = bits.first + (words ? bits_per_word : 1);
  return name_at(tag.controller, bits);
}

std::optional<model::Fix> TagEnds::swap_fix(const model::ValueMove& move, model::WordOrder order,
                                            std::string_view when) const {
  if (move.kind == MoveKind::copy) return std::nullopt;
  const model::Transaction& t = plan_.declared(plan_.transactions[move.index]);
  if (t.read || t.write) return std::nullopt;
  return model::Fix{
      fmt::format("write swap = \"{}\" at {} if the controller swaps the words as it {}",
                  to_string(order), t.name, when),
      {{t.place,
        {},
        model::EditKind::set_keys,
        {{"swap", fmt::format("\"{}\"", to_string(order))}}}},
      false};
}

}  // namespace greymet::checks::internal
