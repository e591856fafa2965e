// Blocks of transactions: from what the plan says to area, offset and quantity.
#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"
#include "model/usual_function.h"
#include "resolve_internal.h"

namespace greymet::model::internal {
namespace {

// "A210h" and "A210": digits of a hexadecimal number that begin with a letter, so that they read as
// a name. "0xA210"; empty where it is none.
std::string hexadecimal_meant(std::string_view text) {
  if (text.size() > 1 && (text.back() == 'h' || text.back() == 'H')) text.remove_suffix(1);
  constexpr std::size_t most_digits = 4;
  const bool digits =
      !text.empty() && text.size() <= most_digits &&
      std::all_of(text.begin(), text.end(), [](char c) { return hex_digit_value(c).has_value(); });
  const bool has_number = std::any_of(text.begin(), text.end(), is_digit);
  return digits && has_number ? fmt::format("0x{}", text) : std::string();
}

// An address of a block before its quantity is known.
struct Start {
  DeviceBlock block;
  std::optional<std::uint32_t> width;  // of the point that was named
};

std::optional<Area> area_of(const ResolvedTransaction& t) {
  if (!t.function) return std::nullopt;
  return traits_of(*t.function).area;
}

void report_unknown_point(const ResolvedPlan& resolved, const Target& target,
                          const Located<std::string>& name, Reporter& report) {
  const RegisterMap* map = resolved.map_of(target);
  const std::string shown = name.value.substr(0, 60);
  if (map == nullptr) {
    report.error(RuleCode::P03, name.place,
                 fmt::format("'{}' is taken for a point, but {} has no map", shown,
                             resolved.target_name(target)),
                 "add map = \"maps/<slave>.csv\" to the slave, or write an address");
    return;
  }
  if (map->may_hide(name.value)) return;  // P07 has spoken about its row
  std::vector<std::string_view> known;
  for (const Point& point : map->points()) {
    if (known.size() == most_names_compared) break;
    known.push_back(point.name);
  }
  const auto plain = without_typography(name.value);
  auto nearest = near_name(name.value, known);
  if (plain && map->find(*plain) != nullptr) nearest = NearName{*plain, true};
  report.error(
      RuleCode::P03, name.place,
      fmt::format("slave {} has no point '{}'{}", resolved.target_name(target), shown,
                  nearest ? fmt::format(" (did you mean '{}'?)", nearest->name) : std::string()),
      nearest
          ? fmt::format("write '{}', or another point that {} lists", nearest->name, map->file())
      : !hexadecimal_meant(name.value).empty()
          ? std::string()
          : fmt::format("name a point that {} lists, or write an address", map->file()));
  if (const std::string number = hexadecimal_meant(name.value); !number.empty() && !nearest) {
    add_fix(report.last(), {fmt::format("write {}, if it is a hexadecimal number", number),
                            {{name.place, fmt::format("\"{}\"", number)}},
                            false,
                            true});
  }
  if (nearest) {
    add_fix(report.last(), {fmt::format("write '{}'", nearest->name),
                            {{name.place, fmt::format("\"{}\"", nearest->name)}},
                            nearest->only && nearest->is_slip,
                            !nearest->is_slip});
  }
}

// A row that could not be read may be one that the pattern means.
bool hides_match(const RegisterMap& map, std::string_view pattern) {
  return map.may_hide_any(
      [pattern](std::string_view name) { return matches_pattern(pattern, name); });
}

std::optional<Start> from_peer_memory(const ResolvedPlan& resolved, const Target& target,
                                      const Located<AddressText>& at, std::optional<Area> area,
                                      Reporter& report) {
  const MemoryLayout& layout = resolved.layouts[target.index];
  const auto spot = layout.read(at.value.text);
  if (!spot || !spot->number || spot->bit || !area) {
    report.error(RuleCode::P05, at.place,
                 !spot ? spot.error().message
                       : fmt::format("'{}' names no word or bit to begin at", at.value.text),
                 "write the peer's area and a number, as in \"%MW11\"");
    return std::nullopt;
  }
  const auto served = layout.served_at(spot->area, *area);
  if (!served) {
    report.error(
        RuleCode::P05, at.place,
        fmt::format("{} of controller {} is not served as {}s",
                    layout.controller().memory[spot->area].name, layout.controller().name,
                    long_name(*area)),
        fmt::format("add \"{}:<offset>\" to `serves` of that area, or use another function",
                    short_name(*area)));
    return std::nullopt;
  }
  const auto range = layout.range(spot->area, *spot->number, 1);
  if (!range) {
    report_memory_failure(range.error(), at.place, report);
    return std::nullopt;
  }
  Start start;
  const std::int64_t first = layout.controller().memory[spot->area].first;
  const std::int64_t offset = *served + (*spot->number - first);
  if (offset >= addresses_per_area) {
    report.error(RuleCode::P05, at.place,
                 fmt::format("{} would be served at offset {}, past the last one, 65535",
                             at.value.text, offset),
                 "serve the area at a lower offset");
    return std::nullopt;
  }
  start.block.area = *area;
  start.block.offset = static_cast<std::uint32_t>(offset);
  start.block.notation = Notation::memory;
  return start;
}

// A plain number past 65535 may be a reference typed as a number.
void report_past_the_end(const ResolvedPlan& resolved, const Target& target,
                         const Located<AddressText>& at, const AddressReading& reading,
                         std::optional<Area> area, Reporter& report) {
  const std::string digits = fmt::format("{}", reading.written);
  const RegisterMap* map = resolved.map_of(target);
  const auto other = reading.notation == Notation::plain ? parse_reference(digits) : std::nullopt;
  const bool is_reference = other && area && other->area == *area;
  const auto points =
      map != nullptr && is_reference
          ? map->points_touching(*area, {other->offset.value, other->offset.value + 1U})
          : std::vector<const Point*>();
  if (points.empty()) {
    report.error(RuleCode::P05, at.place,
                 fmt::format("address {} is past the last one, 65535", at.value.text),
                 is_reference ? std::string()
                              : "addresses count from 0 to 65535; write references in quotes: "
                                "\"404097\"");
    if (is_reference) {
      add_fix(report.last(), {fmt::format("write at = \"{}\" if it is a reference", digits),
                              {{at.place, {}, EditKind::set_keys, {{"at", '"' + digits + '"'}}}},
                              false,
                              true});
    }
    return;
  }
  report.error(RuleCode::P05, at.place,
               fmt::format("address {} is past the last one, 65535; read as a reference it is "
                           "{}:{}, '{}'",
                           digits, short_name(*area), other->offset.value, points.front()->name),
               {});
  add_fix(report.last(), {fmt::format("write at = \"{}\"", digits),
                          {{at.place, {}, EditKind::set_keys, {{"at", '"' + digits + '"'}}}},
                          false});
}

std::optional<Start> from_number(const ResolvedPlan& resolved, const Target& target,
                                 const Located<AddressText>& at, std::optional<Area> area,
                                 Reporter& report) {
  const auto reading = read_address(at.value, resolved.numbering_of(target));
  if (!reading) {
    const auto meant = meant_address(at.value.text);
    report.error(RuleCode::P05, at.place, reading.error().message,
                 meant ? std::string() : reading.error().remedy);
    if (meant) add_fix(report.last(), write_instead(at.place, meant->text, meant->certain));
    return std::nullopt;
  }
  if (reading->bit) {
    report.error(RuleCode::P05, at.place,
                 fmt::format("'{}' names a bit of a register; a request moves whole registers",
                             at.value.text),
                 "leave out the bit; the program picks it from the word");
    return std::nullopt;
  }
  Start start;
  if (reading->offset >= addresses_per_area) {
    report_past_the_end(resolved, target, at, *reading, area, report);
    return std::nullopt;
  }
  const auto block_area = reading->area ? reading->area : area;
  if (!block_area) return std::nullopt;  // P06 for the function code has been reported
  start.block.area = *block_area;
  start.block.offset = static_cast<std::uint32_t>(reading->offset);
  start.block.notation = reading->notation;
  start.block.written = reading->written;
  start.block.hex = reading->hex;
  return start;
}

std::optional<Start> resolve_start(const ResolvedPlan& resolved, const Target& target,
                                   const Located<AddressText>& at, std::optional<Area> area,
                                   Reporter& report) {
  const std::string& text = at.value.text;
  if (target.is_peer && resolved.layouts[target.index].read(text)) {
    return from_peer_memory(resolved, target, at, area, report);
  }
  const RegisterMap* map = resolved.map_of(target);
  if (const Point* point = map != nullptr ? map->find(text) : nullptr) {
    if (looks_like_hex_number(text)) {
      report.error(RuleCode::P05, at.place,
                   fmt::format("'{0}' is a point of {1} and also the hexadecimal number 0x{2}",
                               text, map->file(), text.substr(1)),
                   fmt::format("write \"{}\" for the point", to_text(point->address)));
      return std::nullopt;
    }
    const Extent extent = extent_of(*point);
    Start start;
    start.block.area = point->address.area;
    start.block.offset = extent.first;
    start.block.notation = Notation::point;
    start.width = extent.end - extent.first;
    return start;
  }
  const bool numeric = text.find(':') != std::string::npos || looks_like_hex_number(text);
  if (!numeric && is_point_name(text)) {
    report_unknown_point(resolved, target, {text, at.place}, report);
    return std::nullopt;
  }
  if (text.starts_with("%")) {
    const std::string owner = resolved.target_name(target);
    report.error(RuleCode::P05, at.place,
                 target.is_peer ? resolved.layouts[target.index].read(text).error().message
                                : fmt::format("'{}' is memory of a controller, and {} is none",
                                              text.substr(0, 60), owner),
                 "write a register address, such as \"hr:4096\"");
    return std::nullopt;
  }
  return from_number(resolved, target, at, area, report);
}

// The function that reads or writes `quantity` of `area`, where the plan leaves it out.
std::optional<FunctionCode> default_function(const ResolvedPlan& resolved, const Target& target,
                                             Area area, bool is_read, std::uint32_t quantity) {
  if (is_read) return reading_function(area);
  const auto many = writing_function(area, false);
  const auto single = writing_function(area, true);
  if (!many || !single) return std::nullopt;
  if (quantity != 1 || target.is_peer) return many;
  const Accepts& slave = resolved.exchange.slaves[target.index].accepts;
  return !slave.implements(number_of(*many)) && slave.implements(number_of(*single)) ? single
                                                                                     : many;
}

std::optional<DeviceBlock> block_of_points(const ResolvedPlan& resolved, const Target& target,
                                           const BlockText& text, Reporter& report) {
  const RegisterMap* map = resolved.map_of(target);
  std::optional<DeviceBlock> block;
  bool failed = text.points->value.empty();
  if (failed) {
    report.error(RuleCode::P05, text.points->place, "`points` is empty", "name at least one point");
  }
  for (const Located<std::string>& name : text.points->value) {
    std::vector<const Point*> found;
    if (map != nullptr) {
      for (const std::size_t at : map->matching(name.value)) found.push_back(&map->points()[at]);
    }
    if (found.empty()) {
      if (map == nullptr || !hides_match(*map, name.value)) {
        report_unknown_point(resolved, target, name, report);
      }
      failed = true;
    }
    for (const Point* point : found) {
      const Extent extent = extent_of(*point);
      if (!block) {
        block = DeviceBlock{point->address.area,
                            extent.first,
                            extent.end - extent.first,
                            Notation::point,
                            0,
                            false,
                            text.points->place,
                            text.points->place};
        continue;
      }
      if (block->area != point->address.area) {
        report.error(
            RuleCode::P05, name.place,
            fmt::format("point '{}' is {}, the others are {}s: one request reads one "
                        "area",
                        point->name, with_article(point->address.area), long_name(block->area)),
            "put the points of each area into a transaction of their own");
        failed = true;
        continue;
      }
      const std::uint32_t first = std::min(block->offset, extent.first);
      const std::uint32_t end = std::max(block->offset + block->quantity, extent.end);
      block->offset = first;
      block->quantity = end - first;
    }
  }
  return failed ? std::nullopt : block;
}

std::optional<std::uint32_t> quantity_of(const ResolvedTransaction& t, const BlockText& text,
                                         const Start& start, Reporter& report) {
  if (text.count) {
    if (text.count->value < 1 || text.count->value > addresses_per_area) {
      report.error(RuleCode::P05, text.count->place,
                   fmt::format("count {} is out of range: 1 to 65536", text.count->value),
                   "write how many registers or bits the request moves");
      return std::nullopt;
    }
    return static_cast<std::uint32_t>(text.count->value);
  }
  if (t.function && writes_single(*t.function)) return 1;
  if (start.width) return start.width;
  if (text.refused.contains("count")) return std::nullopt;
  report.error(RuleCode::P06, text.at->place, "`count` is missing",
               "add count = <registers or bits>; only a point as `at` brings its own width");
  return std::nullopt;
}

}  // namespace

void resolve_block(const ResolvedPlan& resolved, const Transaction& declared,
                   const BlockText& block, bool is_read, ResolvedTransaction& t, Reporter& report) {
  auto& slot = is_read ? t.read : t.write;
  if (!t.target) return;
  if (block.points) {
    slot = block_of_points(resolved, *t.target, block, report);
    if (slot && !t.function && !declared.function) {
      t.function = default_function(resolved, *t.target, slot->area, is_read, slot->quantity);
      if (!t.function) {
        report.error(RuleCode::F01, slot->at_place,
                     fmt::format("no function writes {}s", long_name(slot->area)),
                     "read them with `into`, or write holding registers or coils");
      }
    }
    return;
  }
  if (!block.at) return;
  const auto start = resolve_start(resolved, *t.target, *block.at, area_of(t), report);
  if (!start) return;
  const auto quantity = quantity_of(t, block, *start, report);
  if (!quantity) return;
  slot = start->block;
  slot->quantity = *quantity;
  slot->at_place = block.at->place;
  slot->count_place = place_or(block.count, block.at->place);
  if (!t.target->is_peer || start->block.notation == Notation::memory) return;
  const MemoryLayout& layout = resolved.layouts[t.target->index];
  if (layout.serves(slot->area) && !layout.serving(slot->area, slot->offset, slot->quantity) &&
      slot->offset + slot->quantity <= addresses_per_area) {
    report.error(
        RuleCode::P05, block.at->place,
        fmt::format("controller {} does not serve all of {}:{}..{}", layout.controller().name,
                    short_name(slot->area), slot->offset, slot->offset + slot->quantity - 1),
        "name the peer's memory instead, as in \"%MW11\", or correct `serves`");
  }
}

}  // namespace greymet::model::internal
