#include "shifted_blocks.h"

#include <algorithm>
#include <cstdlib>

#include <fmt/format.h>

#include "common/rule_text.h"

namespace greymet::checks::internal {

std::optional<std::size_t> copy_onto(const model::ResolvedPlan& plan, const ResolvedTag& tag) {
  const model::BitRange& own = tag.memory->bits;
  for (std::size_t i = 0; i < plan.copies.size(); ++i) {
    const model::ResolvedCopy& copy = plan.copies[i];
    if (copy.controller == tag.controller && copy.from && copy.to &&
        copy.to->bits.store == own.store && copy.to->bits.first <= own.first &&
        own.end <= copy.to->bits.end) {
      return i;
    }
  }
  return std::nullopt;
}

model::BitRange source_of(const model::ResolvedCopy& copy, const ResolvedTag& tag) {
  const model::BitRange& own = tag.memory->bits;
  const std::uint64_t first = copy.from->bits.first + (own.first - copy.to->bits.first);
  return {copy.from->bits.store, first, first + (own.end - own.first)};
}

ShiftedBlocks::ShiftedBlocks(const model::ResolvedPlan& plan)
    : plan_(plan), tags_of_slave_(plan.plan.slaves.size()) {
  for (std::size_t i = 0; i < plan.tags.size(); ++i) {
    const auto& from = plan.tags[i].from;
    if (from && !from->is_tag) tags_of_slave_[from->owner].push_back(i);
  }
}

void ShiftedBlocks::add(Shift shift) {
  const std::size_t controller = plan_.tags[shift.tag].controller;
  Group& group = groups_[key_of(shift.by, controller, shift.is_from)];
  const bool copied = shift.is_from && shift.by.kind != MoveKind::copy &&
                      copy_onto(plan_, plan_.tags[shift.tag]).has_value();
  (copied ? group.copied : group.shifts).push_back(std::move(shift));
}

void ShiftedBlocks::exact(const model::ValueMove& by, std::size_t controller, bool is_from) {
  groups_[key_of(by, controller, is_from)].has_exact = true;
}

bool ShiftedBlocks::is_exact(const model::ValueMove& by, std::size_t controller,
                             bool is_from) const {
  const auto group = groups_.find(key_of(by, controller, is_from));
  return group != groups_.end() && group->second.has_exact;
}

std::optional<std::int64_t> ShiftedBlocks::distance(const Shift& shift) const {
  const model::BitRange& own = plan_.tags[shift.tag].memory->bits;
  if (own.store != shift.there.store) return std::nullopt;
  return static_cast<std::int64_t>(shift.there.first) - static_cast<std::int64_t>(own.first);
}

bool ShiftedBlocks::one_shift(const Group& group) const {
  if (group.has_exact || group.shifts.size() < 2) return false;
  const auto first = distance(group.shifts.front());
  return first && std::all_of(group.shifts.begin(), group.shifts.end(),
                              [&](const Shift& s) { return distance(s) == first; });
}

std::vector<std::pair<std::size_t, std::size_t>> ShiftedBlocks::report(model::Findings& out) {
  std::vector<std::pair<std::size_t, std::size_t>> tags;
  for (const auto& [key, group] : groups_) {
    if (one_shift(group)) {
      report_block(group, out);
      for (const Shift& shift : group.shifts) {
        if (shift.is_from) tags.emplace_back(shift.tag, out.size() - 1);
      }
    } else {
      lone_.insert(lone_.end(), group.shifts.begin(), group.shifts.end());
    }
    lone_.insert(lone_.end(), group.copied.begin(), group.copied.end());
    if (group.has_exact || group.shifts.empty()) continue;
    // once the block lies right the copy takes it from there
    const auto bits = distance(group.shifts.front());
    for (const Shift& shift : group.copied) {
      const ResolvedTag& tag = plan_.tags[shift.tag];
      const model::BitRange source = source_of(plan_.copies[*copy_onto(plan_, tag)], tag);
      const bool same = bits && source.store == shift.there.store &&
                        static_cast<std::int64_t>(source.first) ==
                            static_cast<std::int64_t>(shift.there.first) - *bits;
      if (same) explained_.push_back(shift.tag);
    }
  }
  std::sort(lone_.begin(), lone_.end(),
            [](const Shift& a, const Shift& b) { return a.tag < b.tag; });
  return tags;
}

namespace {

// "one word", "3 bits"
std::string amount_of(std::int64_t bits) {
  const auto word = static_cast<std::int64_t>(bits_per_word);
  const bool words = bits % word == 0;
  const std::int64_t n = std::abs(bits) / (words ? word : 1);
  return fmt::format("{} {}{}", n == 1 ? std::string("one") : std::to_string(n),
                     words ? "word" : "bit", n == 1 ? "" : "s");
}

// "one word too far"
std::string shift_text(std::int64_t bits) {
  return fmt::format("{} too {}", amount_of(bits), bits > 0 ? "far" : "early");
}

}  // namespace

void ShiftedBlocks::report_block(const Group& group, model::Findings& out) {
  const Shift& first = *std::min_element(
      group.shifts.begin(), group.shifts.end(),
      [](const Shift& a, const Shift& b) { return a.there.first < b.there.first; });
  const ResolvedTag& tag = plan_.tags[first.tag];
  const model::MemoryLayout& layout = plan_.layouts[tag.controller];
  const std::int64_t bits = *distance(first);
  model::Subject subject;
  model::Range place;
  if (first.by.kind == MoveKind::copy) {
    const std::size_t declared = plan_.copies[first.by.index].declared;
    subject = {model::SubjectKind::copy, std::to_string(declared + 1)};
    place = place_or(plan_.plan.copies[declared].to, plan_.plan.copies[declared].place);
  } else {
    const model::Transaction& declared = plan_.declared(plan_.transactions[first.by.index]);
    subject = subject_of(declared);
    place = first.is_from ? place_or(declared.into, declared.place)
                          : place_or(declared.from, declared.place);
  }
  internal::report(
      out, first.is_from ? RuleCode::V01 : RuleCode::V03, Severity::error, place, subject,
      first.is_from
          ? fmt::format("lands {}: {} tags of controller {} lie {} {}; '{}' is at {}, its value "
                        "arrives in {}",
                        shift_text(bits), group.shifts.size(), layout.controller().name,
                        amount_of(bits), bits > 0 ? "before" : "behind", plan_.declared(tag).name,
                        layout.name_of(*tag.memory), layout.name_of(first.there))
          : fmt::format("sends what lies {}: {} tags of controller {} lie {} {}; '{}' is at {}, "
                        "and {} is sent in its place",
                        shift_text(bits), group.shifts.size(), layout.controller().name,
                        amount_of(bits), bits > 0 ? "before" : "behind", plan_.declared(tag).name,
                        layout.name_of(*tag.memory), layout.name_of(first.there)),
      {}, {{plan_.declared(tag).place, "the first of the tags"}});
  auto moved = move_block(first);
  auto other = move_registers(group);
  const auto unit = static_cast<std::int64_t>(bits_per_word);
  const auto brought = other ? would_bring(group, bits / unit) : std::vector<std::size_t>();
  explained_.insert(explained_.end(), brought.begin(), brought.end());
  const bool registers_first = !brought.empty();
  model::Finding& finding = out.back();
  if (registers_first) add_fix(finding, *other);
  if (moved) add_fix(finding, std::move(*moved));
  if (other && !registers_first) add_fix(finding, std::move(*other));
  if (finding.remedy.empty()) {
    finding.remedy = "move the block, or correct the addresses of the tags";
  }
  for (const Shift& shift : group.shifts) {
    for (const model::Concern& each : shift.concerns) add_concern(finding, each);
  }
}

std::optional<model::Fix> ShiftedBlocks::move_block(const Shift& shift) const {
  const auto bits = distance(shift);
  const auto group =
      groups_.find(key_of(shift.by, plan_.tags[shift.tag].controller, shift.is_from));
  const bool others_would_move = group != groups_.end() &&
                                 (group->second.has_exact || group->second.shifts.size() > 1) &&
                                 !one_shift(group->second);
  if (!bits || others_would_move) return std::nullopt;
  const model::MemoryLayout& layout = plan_.layouts[plan_.tags[shift.tag].controller];
  const auto moved_name = [&](const model::MemoryRange& range) -> std::optional<std::string> {
    const bool words = layout.controller().memory[range.area].kind == model::MemoryKind::word;
    const std::int64_t unit = words ? static_cast<std::int64_t>(bits_per_word) : 1;
    if (range.bit || *bits % unit != 0) return std::nullopt;
    const auto at = layout.range(range.area, range.number - *bits / unit, range.count);
    if (!at) return std::nullopt;
    return layout.name_of(range.area, at->number);
  };
  const auto set_key = [](std::string_view key, const std::string& name, model::Range place,
                          std::string_view whose) {
    return model::Fix{
        fmt::format("write {} = \"{}\" at {}", key, name, whose),
        {{place, {}, model::EditKind::set_keys, {{std::string(key), fmt::format("\"{}\"", name)}}}},
        false};
  };
  if (shift.by.kind == MoveKind::copy) {
    const model::ResolvedCopy& copy = plan_.copies[shift.by.index];
    const auto name = moved_name(*copy.to);
    if (!name) return std::nullopt;
    return set_key("to", *name, plan_.plan.copies[copy.declared].place,
                   plan_.copy_name(shift.by.index));
  }
  const ResolvedTransaction& t = plan_.transactions[shift.by.index];
  const model::Transaction& declared = plan_.declared(t);
  // what a peer writes is placed by its `at`
  if (t.controller != plan_.tags[shift.tag].controller) return std::nullopt;
  if (declared.read || declared.write) return std::nullopt;
  const auto& range = shift.is_from ? t.into : t.from;
  if (!range || range->assigned) return std::nullopt;
  const auto name = moved_name(*range);
  if (!name) return std::nullopt;
  return set_key(shift.is_from ? "into" : "from", *name, declared.place, declared.name);
}

// The other reading of the same shift: the block begins at the wrong register.
std::optional<model::Fix> ShiftedBlocks::move_registers(const Group& group) const {
  const Shift& first = group.shifts.front();
  if (first.by.kind == MoveKind::copy) return std::nullopt;
  const ResolvedTransaction& t = plan_.transactions[first.by.index];
  const model::Transaction& declared = plan_.declared(t);
  const auto& block = first.by.kind == MoveKind::read ? t.read : t.write;
  if (!block || !t.target || declared.read || declared.write || !declared.block.at) {
    return std::nullopt;
  }
  const std::int64_t unit = is_bit_area(block->area) ? 1 : static_cast<std::int64_t>(bits_per_word);
  const std::int64_t bits = *distance(first);
  if (bits % unit != 0 || block->notation == model::Notation::point) return std::nullopt;
  // a value that lies too far in memory was read from too early, or written to too far
  const bool lands_here = first.is_from && first.by.kind == MoveKind::write;
  const std::int64_t at = block->offset + (lands_here ? -bits : bits) / unit;
  if (at < 0 || at + block->quantity > model::addresses_per_area) return std::nullopt;
  std::string text = at_text(*block, static_cast<std::uint32_t>(at), plan_.numbering_of(*t.target));
  if (t.target->is_peer) {
    const auto memory = plan_.layouts[t.target->index].serving(
        block->area, static_cast<std::uint32_t>(at), block->quantity);
    if (!memory) return std::nullopt;
    text =
        fmt::format("\"{}\"", plan_.layouts[t.target->index].name_of(memory->area, memory->number));
  }
  return model::Fix{fmt::format("write at = {} at {}", text, declared.name),
                    {{declared.place, {}, model::EditKind::set_keys, {{"at", text}}}},
                    false};
}

std::vector<std::size_t> ShiftedBlocks::would_bring(const Group& group,
                                                    std::int64_t registers) const {
  const Shift& first = group.shifts.front();
  if (!first.is_from || first.by.kind != MoveKind::read) return {};
  const ResolvedTransaction& t = plan_.transactions[first.by.index];
  if (!t.read || !t.into || !t.target || t.target->is_peer) return {};
  const std::int64_t begin = t.read->offset + registers;
  const std::int64_t end = begin + t.read->quantity;
  std::vector<std::size_t> brought;
  for (const std::size_t i : tags_of_slave_[t.target->index]) {
    const ResolvedTag& tag = plan_.tags[i];
    if (!tag.memory || tag.controller != *t.controller || tag.from->place.area != t.read->area) {
      continue;
    }
    const auto at = static_cast<std::int64_t>(tag.from->place.bits.first / bits_per_word);
    const auto last = static_cast<std::int64_t>(tag.from->place.bits.end / bits_per_word);
    const bool now = at >= t.read->offset && last <= t.read->offset + t.read->quantity;
    if (now || at < begin || last > end) continue;
    const std::uint64_t lands =
        t.into->bits.first + static_cast<std::uint64_t>(at - begin) * bits_per_word;
    if (lands == tag.memory->bits.first && t.into->bits.store == tag.memory->bits.store) {
      brought.push_back(i);
    }
  }
  return brought;
}

}  // namespace greymet::checks::internal
