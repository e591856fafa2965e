// Names and places of memory, looked up for every part of resolve().
#include <algorithm>

#include <fmt/format.h>

#include "model/ip_address.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"
#include "resolve_internal.h"

namespace greymet::model {

const RegisterMap* ResolvedPlan::map_of(const Target& t) const {
  if (t.is_peer || !plan.slaves[t.index].map) return nullptr;
  return &plan.maps[*plan.slaves[t.index].map];
}

std::optional<WordOrder> ResolvedPlan::order_of(std::size_t slave, const Point& point) const {
  if (point.word_order) return point.word_order;
  const auto& own = plan.slaves[slave].word_order;
  return own ? std::optional(own->value) : std::nullopt;
}

std::optional<WordOrder> ResolvedPlan::order_of(const ResolvedTag& tag) const {
  if (const auto& stated = declared(tag).word_order) return stated;
  const auto& own = plan.controllers[tag.controller].word_order;
  return own ? std::optional(own->value) : std::nullopt;
}

Numbering ResolvedPlan::numbering_of(const Target& t) const {
  return t.is_peer ? Numbering::from_0 : exchange.slaves[t.index].numbering;
}

namespace internal {

std::optional<std::size_t> look_up(const std::unordered_map<std::string, std::size_t>& names,
                                   const Located<std::string>& name, std::string_view kind,
                                   Reporter& report) {
  const auto found = names.find(name.value);
  if (found != names.end()) return found->second;
  std::vector<std::string_view> known;
  for (const auto& [key, index] : names) {
    if (known.size() == most_names_compared) break;
    known.push_back(key);
  }
  std::sort(known.begin(), known.end());
  const auto plain = without_typography(name.value);
  auto nearest = near_name(name.value, known);
  if (plain && names.contains(*plain)) nearest = NearName{*plain, true};
  report.error(RuleCode::P03, name.place,
               fmt::format("unknown {} '{}'", kind, name.value.substr(0, 60)),
               nearest ? fmt::format("write '{}'", nearest->name)
                       : fmt::format("declare [{}.{}], or name one that is declared",
                                     kind.substr(0, kind.find(' ')), name.value.substr(0, 60)));
  if (nearest) {
    add_fix(report.last(), {fmt::format("write '{}'", nearest->name),
                            {{name.place, fmt::format("\"{}\"", nearest->name)}},
                            nearest->only && nearest->is_slip,
                            !nearest->is_slip});
  }
  return std::nullopt;
}

void report_memory_failure(const MemoryFailure& failure, Range place, Reporter& report) {
  const bool malformed = failure.error == MemoryError::not_an_address;
  if (failure.meant) {
    report.error(RuleCode::M03, place, failure.message, {});
    report.last().about = failure.area;
    add_fix(report.last(), write_instead(place, fmt::format("\"{}\"", *failure.meant), true));
    return;
  }
  report.error(malformed ? RuleCode::P05 : RuleCode::M03, place, failure.message,
               malformed ? "write the area's name and a number, as in \"%MW200\" or \"%MW200.3\""
                         : "use an address inside a declared area, or declare a larger one");
  report.last().about = failure.area;
}

namespace {

std::optional<MemoryRange> resolve_spot(const MemoryLayout& layout,
                                        const Located<std::string>& text, bool words_allowed,
                                        Reporter& report) {
  const auto spot = layout.read(text.value);
  if (!spot) {
    report_memory_failure(spot.error(), text.place, report);
    return std::nullopt;
  }
  if (spot->bit && *spot->bit >= bits_per_word) {
    report.error(RuleCode::D03, text.place,
                 fmt::format("bit {} does not exist: a word has bits 0 to 15", *spot->bit),
                 fmt::format("bit {} of the word that follows may be meant", *spot->bit - 16));
    return std::nullopt;
  }
  const bool is_word =
      layout.controller().memory[spot->area].kind == MemoryKind::word && !spot->bit;
  const auto range = words_allowed && is_word && spot->number
                         ? layout.range(spot->area, *spot->number, 1)
                         : layout.single_bit(*spot);
  if (!range) {
    report_memory_failure(range.error(), text.place, report);
    return std::nullopt;
  }
  return *range;
}

}  // namespace

std::optional<MemoryRange> resolve_bit(const MemoryLayout& layout, const Located<std::string>& text,
                                       Reporter& report) {
  return resolve_spot(layout, text, false, report);
}

std::optional<MemoryRange> resolve_bit_or_word(const MemoryLayout& layout,
                                               const Located<std::string>& text, Reporter& report) {
  return resolve_spot(layout, text, true, report);
}

}  // namespace internal
std::string ResolvedPlan::manual_address(std::size_t slave, Address address) const {
  const Target target{false, slave, 0};
  const RegisterMap* map = map_of(target);
  AddressLook look = AddressLook::decimal;
  if (numbering_of(target) == Numbering::reference) look = AddressLook::reference6;
  if (map != nullptr && !map->points().empty()) {
    look = map->points().front().look;
    const std::uint32_t offset = address.offset.value;
    for (const Point* point : map->points_touching(address.area, {offset, offset + 1})) {
      if (point->address.offset.value == offset) look = point->look;
    }
  }
  return manual_text(address, look, numbering_of(target));
}

std::vector<ResolvedPlan::TellingPlace> ResolvedPlan::telling_places() const {
  std::vector<TellingPlace> out;
  for (std::size_t c = 0; c < fingerprint_words.size(); ++c) {
    const Controller& controller = plan.controllers[ControllerIndex(c)];
    if (!fingerprint_words[ControllerIndex(c)] || !controller.address) continue;
    const auto& answers = exchange.controllers[ControllerIndex(c)].answers;
    for (std::size_t a = 0; a < answers.size(); ++a) {
      if (answers[a].on_line) continue;
      out.push_back({host_of_address(controller.address->value), answers[a].port, {true, c, a}});
    }
  }
  return out;
}

ResolvedPlan ResolvedPlan::copy_for_trials() const {
  ResolvedPlan copy;
  copy.plan = plan;
  copy.layouts = layouts;
  copy.line_master = line_master;
  copy.line_gateway = line_gateway;
  copy.slave_line = slave_line;
  copy.answer_lines = answer_lines;
  copy.fingerprint_words = fingerprint_words;
  copy.fingerprint_word = fingerprint_word;
  copy.transactions = transactions;
  copy.heartbeats = heartbeats;
  copy.copies = copies;
  copy.paths = paths;
  copy.wants = wants;
  copy.tags = tags;
  copy.exchange = exchange;
  copy.flow = flow;
  return copy;
}

}  // namespace greymet::model
