#include "lost_blocks.h"

#include <algorithm>

#include <fmt/format.h>

#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/usual_function.h"

namespace greymet::checks::internal {

using model::FunctionCode;

namespace {

std::int64_t unit_of(Area area) {
  return model::is_bit_area(area) ? 1 : static_cast<std::int64_t>(bits_per_word);
}

// What reads or writes that many registers or bits of this area, as the plan did before.
std::optional<FunctionCode> function_for(Area area, bool is_read, std::uint32_t quantity,
                                         FunctionCode before) {
  if (is_read) return model::reading_function(area);
  const bool single =
      before == FunctionCode::write_single_register || before == FunctionCode::write_single_coil;
  return model::writing_function(area, quantity == 1 && single);
}

}  // namespace

const TagEnd& LostBlocks::end_of(const Key& key, const Lost& lost) const {
  const ResolvedTag& tag = plan_.tags[lost.tag];
  return std::get<1>(key) ? *tag.from : *tag.to;
}

void LostBlocks::add(std::size_t tag, bool is_from, std::size_t finding) {
  const ResolvedTag& resolved = plan_.tags[tag];
  const TagEnd& end = is_from ? *resolved.from : *resolved.to;
  if (end.is_tag || end.place.at_controller || !resolved.memory) return;
  const BitRange& own = resolved.memory->bits;
  groups_[{resolved.controller, is_from, end.owner, end.place.area, own.store,
           static_cast<std::int64_t>(end.place.bits.first) - static_cast<std::int64_t>(own.first)}]
      .push_back({tag, finding});
}

std::string LostBlocks::registers_of(const Key& key, const Group& group) const {
  const auto unit = static_cast<std::uint64_t>(unit_of(std::get<3>(key)));
  Extent all{model::addresses_per_area, 0};
  for (const Lost& lost : group) {
    const BitRange& bits = end_of(key, lost).place.bits;
    all.first = std::min(all.first, static_cast<std::uint32_t>(bits.first / unit));
    all.end = std::max(all.end, static_cast<std::uint32_t>((bits.end + unit - 1) / unit));
  }
  return range_text(std::get<3>(key), all);
}

std::optional<LostBlocks::Instead> LostBlocks::instead_of(const Key& key, const Group& group,
                                                          const ShiftedBlocks& blocks) const {
  const auto& [controller, is_from, slave, area, store, delta] = key;
  std::optional<Instead> best;
  for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
    const ResolvedTransaction& t = plan_.transactions[i];
    const auto& memory = is_from ? t.into : t.from;
    const auto& block = is_from ? t.read : t.write;
    if (t.controller != controller || !memory || !block || !t.target || t.target->is_peer ||
        memory->bits.store != store || !t.function ||
        blocks.is_exact({is_from ? MoveKind::read : MoveKind::write, i, controller, 0, false, {}},
                        controller, is_from)) {
      continue;
    }
    const std::int64_t unit = unit_of(area);
    const std::int64_t first = static_cast<std::int64_t>(memory->bits.first) + delta;
    if (first < 0 || first % unit != 0 ||
        first / unit + block->quantity > model::addresses_per_area) {
      continue;
    }
    const std::uint64_t end =
        memory->bits.first + block->quantity * static_cast<std::uint64_t>(unit);
    Instead found{i, static_cast<std::uint32_t>(first / unit), {}};
    for (const Lost& lost : group) {
      const BitRange& own = plan_.tags[lost.tag].memory->bits;
      // a block that only begins a little off has been said
      const auto& known = blocks.explained();
      if (std::find(known.begin(), known.end(), lost.tag) != known.end()) continue;
      if (memory->bits.first <= own.first && own.end <= end) found.tags.push_back(lost);
    }
    if (!found.tags.empty() && (!best || best->tags.size() < found.tags.size())) best = found;
  }
  return best;
}

std::vector<model::KeyText> LostBlocks::keys_of(const Key& key, const Instead& instead) const {
  const auto& [controller, is_from, slave, area, store, delta] = key;
  const ResolvedTransaction& t = plan_.transactions[instead.transaction];
  const model::Transaction& declared = plan_.declared(t);
  DeviceBlock block = is_from ? *t.read : *t.write;
  if (declared.read || declared.write || !declared.block.at || declared.block.points) return {};
  std::vector<model::KeyText> keys;
  if (t.target->index != slave) {
    keys.push_back({"slave", toml_text(plan_.plan.slaves[slave].name)});
  }
  if (block.area != area) {
    const auto function = function_for(area, is_from, block.quantity, *t.function);
    if (!function) return {};
    keys.push_back({"fc", std::to_string(static_cast<int>(*function))});
  }
  const model::Target target{false, slave, 0};
  const std::string before = at_text(block, block.offset, plan_.numbering_of(*t.target));
  block.area = area;
  const std::string now = at_text(block, instead.first, plan_.numbering_of(target));
  if (now != before) keys.push_back({"at", now});
  return keys;
}

void LostBlocks::report_instead(const Key& key, const Instead& instead, Findings& out) const {
  const auto& [controller, is_from, slave, area, store, delta] = key;
  const ResolvedTransaction& t = plan_.transactions[instead.transaction];
  const model::Transaction& declared = plan_.declared(t);
  const DeviceBlock& block = is_from ? *t.read : *t.write;
  const ResolvedTag& first = plan_.tags[instead.tags.front().tag];
  const std::string& own = plan_.plan.slaves[t.target->index].name;
  const std::string& other = plan_.plan.slaves[slave].name;
  const bool same_slave = t.target->index == slave;
  const std::string here = range_text(block.area, block.extent());
  const std::string wanted = registers_of(key, instead.tags);
  const bool one = instead.tags.size() == 1;
  const std::string place_of_it = same_slave ? wanted : fmt::format("{} of {}", wanted, other);
  const std::string tags = one ? fmt::format("tag '{}'", plan_.declared(first).name)
                               : fmt::format("{} tags", instead.tags.size());
  const std::string which =
      one ? std::string() : fmt::format("; the first is '{}'", plan_.declared(first).name);
  const model::Range place = same_slave ? place_or(declared.block.at, declared.place)
                                        : place_or(declared.slave, declared.place);
  internal::report(
      out, RuleCode::V09, Severity::error, place, subject_of(declared),
      is_from ? fmt::format("reads {} of {} into the place of {}, which {} take{} from there{}",
                            here, own, place_of_it, tags, one ? "s" : "", which)
              : fmt::format("writes {} of {} with what {} mean{} for {}{}", here, own, tags,
                            one ? "s" : "", place_of_it, which),
      {}, {{plan_.declared(first).place, one ? "the tag" : "the first of the tags"}});
  Finding& finding = out.back();
  finding.part = {is_from, block.extent()};
  const auto keys = keys_of(key, instead);
  if (!keys.empty()) {
    std::string title;
    for (const model::KeyText& each : keys) {
      title += fmt::format("{}{} = {}", title.empty() ? "write " : ", ", each.key, each.text);
    }
    cure_by_keys(out, std::move(title), declared.place, keys, false);
    // of one tag nobody knows which end is wrong
    out.back().fixes.back().is_question = one;
  } else {
    finding.remedy = fmt::format("let it {} what the tags {}, or correct their other end",
                                 is_from ? "read" : "write", is_from ? "take" : "mean");
  }
  for (const Lost& lost : instead.tags) {
    finding.concerns.push_back({subject_of(plan_, plan_.tags[lost.tag])});
  }
}

void LostBlocks::report(const ShiftedBlocks& blocks, Findings& out) const {
  constexpr std::size_t most_sought = 256;  // of so many that fail, no one row is the cause
  // of one request, what most of its tags say
  std::map<std::size_t, std::pair<const Key*, Instead>> by_request;
  for (const auto& [key, group] : groups_) {
    if (groups_.size() > most_sought) break;
    auto instead = instead_of(key, group, blocks);
    if (!instead) continue;
    auto& best = by_request[instead->transaction];
    if (best.first == nullptr || best.second.tags.size() < instead->tags.size()) {
      best = {&key, std::move(*instead)};
    }
  }
  for (const auto& [request, best] : by_request) report_instead(*best.first, best.second, out);
  for (const auto& [key, group] : groups_) {
    if (group.size() < 2) continue;
    const bool is_from = std::get<1>(key);
    const Lost& first = group.front();
    for (const Lost& lost : group) {
      Finding& finding = out[lost.finding];
      finding.about = fmt::format("{} {}", is_from ? "from" : "to", first.tag);
      if (!finding.fixes.empty()) continue;
      finding.remedy = fmt::format("{} {} of {} here: {} tags wait for it; or correct `{}`",
                                   is_from ? "bring" : "send", registers_of(key, group),
                                   plan_.plan.slaves[std::get<2>(key)].name, group.size(),
                                   is_from ? "from" : "to");
    }
  }
}

}  // namespace greymet::checks::internal
