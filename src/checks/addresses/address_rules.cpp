// Family F, second half: blocks against the slave's map (F09 to F13, F15, F16), and texts cut
// (D04).
#include <algorithm>
#include <iterator>
#include <map>

#include "block_split.h"
#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "mapped_blocks.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

using internal::amount_text;
using internal::at_text;
using internal::cut_points;
using internal::MappedBlock;
using internal::range_text;
using internal::split_text;
using model::Holes;

namespace {

// How serious an unlisted register is; nothing if the map does not claim to be complete.
std::optional<Severity> severity_of_hole(const model::ExchangeSlave& slave) {
  if (slave.holes == Holes::refuse) return Severity::error;
  if (!slave.map_is_complete()) return std::nullopt;
  return slave.holes == Holes::zero ? Severity::note : Severity::warning;
}

// One of the findings F09 to F13 of a block, before it is decided which one stays.
struct Candidate {
  RuleCode rule;
  Severity severity;
  std::string message;
  std::string remedy;
  std::vector<model::Related> related;
  std::vector<model::KeyText> keys = {};  // that cure it
  std::vector<Extent> parts = {};         // or the requests to make of it
  bool certain = false;
  std::optional<Extent> extent = {};  // the registers it speaks about; else the block's
};

class AddressRules {
 public:
  AddressRules(const RuleInput& in, Findings& out)
      : plan_(in.plan),
        out_(out),
        blocks_(internal::mapped_blocks(in)),
        torn_(internal::report_torn_values(in.plan, blocks_, out)),
        names_(in.plan) {}

  void check() {
    std::map<std::size_t, std::vector<const MappedBlock*>> by_slave;
    for (const MappedBlock& b : blocks_.blocks) by_slave[b.slave_index].push_back(&b);
    for (const auto& [slave, blocks] : by_slave) {
      // Blocks named by their points cannot be off; the others may share one cause.
      std::vector<const MappedBlock*> numbered;
      std::copy_if(blocks.begin(), blocks.end(), std::back_inserter(numbered),
                   [](const auto* b) { return b->block->notation != model::Notation::point; });
      const auto common = common_shift(numbered);
      if (common) report_common_shift(numbered, *common);
      for (const MappedBlock* b : blocks) {
        if (!common || b->block->notation == model::Notation::point) check_block(*b);
      }
    }
  }

 private:
  [[nodiscard]] model::Subject subject(const MappedBlock& b) const {
    return internal::subject_of_block(plan_, b);
  }

  // F10: the shift by which the block would fit the map exactly, if as written it does not.
  [[nodiscard]] static std::optional<int> shift_of(const MappedBlock& b) {
    const Area area = b.block->area;
    const Extent block = b.block->extent();
    const bool complete = b.effective->map_is_complete();
    const bool fits =
        b.map->point_starts_at(area, block.first) && b.map->lists(area, block.end - 1);
    if (fits) return std::nullopt;
    std::optional<int> found;
    for (const int shift : {-1, 1}) {
      if (shift < 0 && block.first == 0) continue;
      const auto first = static_cast<std::uint32_t>(static_cast<std::int64_t>(block.first) + shift);
      const auto end = static_cast<std::uint32_t>(static_cast<std::int64_t>(block.end) + shift);
      if (end > model::addresses_per_area) continue;
      if (!b.map->point_starts_at(area, first) || !b.map->point_ends_at(area, end)) continue;
      if (complete) return shift;
      // of a map that may lack points only a block that then is full of them, and one way alone
      if (!b.map->holes_in(area, {first, end}).empty()) continue;
      if (found) return std::nullopt;
      found = shift;
    }
    return found;
  }

  // All blocks of the slave (two or more) shifted the same way: one cause, its numbering.
  [[nodiscard]] std::optional<int> common_shift(
      const std::vector<const MappedBlock*>& blocks) const {
    if (blocks.size() < 2) return std::nullopt;
    std::optional<int> common;
    for (const MappedBlock* b : blocks) {
      const auto shift = shift_of(*b);
      if (!shift || (common && *common != *shift) || other_reading(*b)) return std::nullopt;
      common = shift;
    }
    return common;
  }

  void report_common_shift(const std::vector<const MappedBlock*>& blocks, int shift) {
    const model::Slave& slave = *blocks.front()->slave;
    const bool plain = std::all_of(blocks.begin(), blocks.end(), [](const MappedBlock* b) {
      return b->block->notation == model::Notation::plain;
    });
    Severity severity = Severity::warning;
    for (const MappedBlock* b : blocks) {
      for (const Candidate& c : candidates(*b)) severity = std::max(severity, c.severity);
    }
    // Plain numbers in map and plan are read alike, so only the other notations can disagree
    // with the map because of `numbering`.
    const std::string remedy =
        plain ? fmt::format("{} 1 {} `at` of each of them, if the map is right",
                            shift < 0 ? "take" : "add", shift < 0 ? "off" : "to")
              : fmt::format("write numbering = \"{}\": the map seems to count from {}",
                            shift < 0 ? "from-1" : "from-0", shift < 0 ? 1 : 0);
    std::vector<model::Related> related;
    for (const MappedBlock* b : blocks) {
      if (related.size() < 3) related.push_back({b->block->at_place, to_text(subject(*b))});
    }
    report(out_, RuleCode::F10, severity, place_or(slave.numbering, slave.place), subject_of(slave),
           fmt::format("all {} blocks of {} are off by one: moved {} by 1 each starts and ends "
                       "exactly on points of {}",
                       blocks.size(), slave.name, shift < 0 ? "down" : "up",
                       blocks.front()->map->file()),
           remedy, std::move(related));
    if (!plain) {
      const std::string numbering = shift < 0 ? "\"from-1\"" : "\"from-0\"";
      internal::cure_by_keys(out_, fmt::format("write numbering = {}", numbering), slave.place,
                             {{"numbering", numbering}}, false);
      return;
    }
    std::vector<model::Edit> edits;
    for (const MappedBlock* b : blocks) {
      const auto first =
          static_cast<std::uint32_t>(static_cast<std::int64_t>(b->block->offset) + shift);
      edits.push_back({b->block->at_place,
                       {},
                       model::EditKind::set_keys,
                       {{"at", at_text(*b->block, first, internal::numbering_of(*b))}}});
    }
    add_fix(out_.back(), {remedy, std::move(edits), true});
  }

  // Candidates in the order of the rule that stays: F13, F10, F15, F12, F16, F11, F09.
  [[nodiscard]] std::vector<Candidate> candidates(const MappedBlock& b) const {
    std::vector<Candidate> found;
    if (auto c = other_reading(b)) found.push_back(std::move(*c));
    if (auto c = off_by_one(b)) found.push_back(std::move(*c));
    if (auto c = touches_nothing(b)) found.push_back(std::move(*c));
    if (auto c = cut_value(b)) found.push_back(std::move(*c));
    if (auto c = past_the_points(b)) found.push_back(std::move(*c));
    if (auto c = fence_post(b)) found.push_back(std::move(*c));
    if (auto c = hole(b)) found.push_back(std::move(*c));
    return found;
  }

  void check_block(const MappedBlock& b) {
    auto found = candidates(b);
    if (found.empty()) return;
    Severity severity = Severity::note;
    for (const Candidate& c : found) severity = std::max(severity, c.severity);
    Candidate& stays = found.front();
    report(out_, stays.rule, severity, b.block->at_place, subject(b), std::move(stays.message),
           std::move(stays.remedy), std::move(stays.related));
    out_.back().part = {b.is_read, stays.extent.value_or(b.block->extent())};
    if (!stays.keys.empty()) {
      std::string title = "write";
      for (const model::KeyText& k : stays.keys) {
        title += fmt::format("{}{} = {}", title.size() > 5 ? ", " : " ", k.key, k.text);
      }
      internal::cure_by_keys(out_, std::move(title), b.block->at_place, std::move(stays.keys),
                             stays.certain);
    }
    if (!stays.parts.empty()) {
      internal::cure_by_split(out_, out_.back().remedy, plan_, names_, b.transaction, b.is_read,
                              stays.parts, stays.certain);
    }
  }

  // F13
  [[nodiscard]] static std::optional<Candidate> other_reading(const MappedBlock& b) {
    const DeviceBlock& block = *b.block;
    if (block.notation != model::Notation::plain || block.hex) return std::nullopt;
    if (b.map->lists(block.area, block.offset)) return std::nullopt;
    const std::string digits = fmt::format("{}", block.written);
    const auto candidate = [&](std::string_view kind, std::uint32_t offset,
                               const std::string& cure) {
      const auto points = b.map->points_touching(block.area, {offset, offset + 1});
      return Candidate{RuleCode::F13,
                       Severity::warning,
                       fmt::format("{} is on no point of {}; read as {} it is {}:{}, '{}'", digits,
                                   b.map->file(), kind, short_name(block.area), offset,
                                   points.empty() ? "" : points.front()->name),
                       fmt::format("write at = {}", cure),
                       {},
                       {{"at", cure}},
                       {},
                       false};
    };
    const auto reference = model::parse_reference(digits);
    if (reference && reference->area == block.area &&
        b.map->point_starts_at(block.area, reference->offset.value)) {
      return candidate("a reference", reference->offset.value, '"' + digits + '"');
    }
    const auto hex = model::parse_plain_number("0x" + digits);
    // where the map may lack points, only if nothing of the block is listed as it is written
    const bool missed = b.effective->map_is_complete() ||
                        b.map->points_touching(block.area, block.extent()).empty();
    if (!missed || !hex || block.written < 10) return std::nullopt;
    const std::int64_t offset =
        hex->value - (internal::numbering_of(b) == model::Numbering::from_1 ? 1 : 0);
    if (offset < 0 || offset >= model::addresses_per_area ||
        !b.map->point_starts_at(block.area, static_cast<std::uint32_t>(offset))) {
      return std::nullopt;
    }
    return candidate("hexadecimal", static_cast<std::uint32_t>(offset), "0x" + digits);
  }

  // F10
  [[nodiscard]] static std::optional<Candidate> off_by_one(const MappedBlock& b) {
    const auto shift = shift_of(b);
    if (!shift || b.block->notation == model::Notation::point) return std::nullopt;
    const DeviceBlock& block = *b.block;
    const auto first = static_cast<std::uint32_t>(static_cast<std::int64_t>(block.offset) + *shift);
    return Candidate{
        RuleCode::F10,
        Severity::warning,
        fmt::format("looks off by one: {} does not fit {}, {} starts and ends exactly on points",
                    range_text(block.area, block.extent()), b.map->file(),
                    range_text(block.area, {first, first + block.quantity})),
        fmt::format("write at = {}", at_text(block, first, internal::numbering_of(b))),
        {},
        {{"at", at_text(block, first, internal::numbering_of(b))}},
        {},
        b.effective->map_is_complete()};
  }

  // F15: nothing of it is listed, or part, and all of it under another function. Complete maps have
  // F09.
  [[nodiscard]] std::optional<Candidate> touches_nothing(const MappedBlock& b) const {
    const DeviceBlock& block = *b.block;
    const Extent e = block.extent();
    if (severity_of_hole(*b.effective) || b.map->misreads("address")) return std::nullopt;
    const auto holes = b.map->holes_in(block.area, e);
    const bool from_edge_to_edge =
        b.map->point_starts_at(block.area, e.first) && b.map->point_ends_at(block.area, e.end);
    if (holes.empty() || from_edge_to_edge) return std::nullopt;
    const bool nothing = b.map->points_touching(block.area, e).empty();
    const auto fits = [&](const RegisterMap& map, Area area) {
      return map.point_starts_at(area, e.first) && map.point_ends_at(area, e.end) &&
             map.holes_in(area, e).empty();
    };
    std::vector<std::string> cures;
    for (const Area area :
         {Area::coil, Area::discrete_input, Area::input_register, Area::holding_register}) {
      if (area != block.area && fits(*b.map, area)) {
        cures.push_back(fmt::format("{} are points of it: another function", range_text(area, e)));
      }
    }
    if (!nothing && cures.empty()) return std::nullopt;
    for (std::size_t s = 0; nothing && s < plan_.plan.slaves.size() && cures.size() < 3; ++s) {
      const RegisterMap* map = plan_.map_of({false, s, 0});
      const bool other = s != b.slave_index && map != nullptr && map->file() != b.map->file();
      if (other && fits(*map, block.area)) {
        cures.push_back(
            fmt::format("it fits {}: slave = \"{}\"", map->file(), plan_.plan.slaves[s].name));
      }
    }
    return Candidate{
        RuleCode::F15,
        Severity::warning,
        nothing ? fmt::format("touches no point of {}: {} {} not listed there", b.map->file(),
                              range_text(block.area, e), block.quantity == 1 ? "is" : "are")
                : fmt::format("{} does not list {}", b.map->file(),
                              range_text(block.area, holes.front())),
        cures.empty() ? std::string("look the address, the function and the slave up "
                                    "again; or list in the map what is there")
                      : fmt::format("{}", fmt::join(cures, "; or ")),
        {}};
  }

  // F16. Of a read only what is far past them, of a write anything.
  [[nodiscard]] static std::optional<Candidate> past_the_points(const MappedBlock& b) {
    const DeviceBlock& block = *b.block;
    const Extent e = block.extent();
    if (severity_of_hole(*b.effective)) return std::nullopt;
    const auto holes = b.map->holes_in(block.area, e);
    const bool listed = holes.empty() || holes.front() != e;
    if (holes.empty() || !listed || holes.back().end != e.end) return std::nullopt;
    const std::uint32_t past = e.end - holes.back().first;
    const std::uint32_t left = holes.back().first - e.first;
    if (b.map->may_hide(block.area, holes.back())) return std::nullopt;
    constexpr std::uint32_t far = 8;
    if (b.is_read && (past < far || past < left)) return std::nullopt;
    return Candidate{RuleCode::F16,
                     Severity::warning,
                     fmt::format("{} {} behind the last point of {} that it touches{}",
                                 amount_text(block.area, past), past == 1 ? "lies" : "lie",
                                 b.map->file(), b.is_read ? "" : ", and would be written"),
                     fmt::format("count = {} ends with that point; or list in the map what is "
                                 "there",
                                 left),
                     {},
                     {},
                     {},
                     false,
                     holes.back()};
  }

  // F12
  [[nodiscard]] std::optional<Candidate> cut_value(const MappedBlock& b) const {
    for (const Point* point : cut_points(b)) {
      if (torn_.contains({b.transaction, point})) continue;
      const DeviceBlock& block = *b.block;
      const Extent value = extent_of(*point);
      const std::uint32_t first = std::min(block.offset, value.first);
      const std::uint32_t end = std::max(block.extent().end, value.end);
      const bool text = point->type.kind == model::TypeKind::text;
      return Candidate{
          text ? RuleCode::D04 : RuleCode::F12,
          Severity::error,
          text ? cut_text(*point, block)
               : fmt::format("'{}' ({}, {}) is cut in two at the edge of {}", point->name,
                             to_text(point->type), range_text(point->address.area, value),
                             range_text(block.area, block.extent())),
          fmt::format("write at = {}, count = {}", at_text(block, first, internal::numbering_of(b)),
                      end - first),
          {{point->place, "the value is listed here"}},
          {{"at", at_text(block, first, internal::numbering_of(b))},
           {"count", fmt::format("{}", end - first)}},
          {},
          false,
          value};
    }
    return std::nullopt;
  }

  // D04
  static std::string cut_text(const Point& point, const DeviceBlock& block) {
    const Extent value = extent_of(point);
    const Extent e = block.extent();
    const std::uint32_t moved = std::min(e.end, value.end) - std::max(e.first, value.first);
    return fmt::format("'{}' has {} characters in {}; {} of them {} in {}", point.name,
                       point.type.characters, amount_text(block.area, value.end - value.first),
                       moved, moved == 1 ? "is" : "are", range_text(block.area, e));
  }

  // F11
  [[nodiscard]] std::optional<Candidate> fence_post(const MappedBlock& b) const {
    const DeviceBlock& block = *b.block;
    const Extent e = block.extent();
    const auto severity = severity_of_hole(*b.effective);
    if (severity && block.quantity >= 2 && b.map->point_ends_at(block.area, e.end - 1) &&
        !b.map->lists(block.area, e.end - 1)) {
      return Candidate{RuleCode::F11,
                       *severity,
                       fmt::format("ends one past the last point: {}:{} is not in {}",
                                   short_name(block.area), e.end - 1, b.map->file()),
                       fmt::format("write count = {}", block.quantity - 1),
                       {},
                       {{"count", fmt::format("{}", block.quantity - 1)}},
                       {},
                       true};
    }
    if (!b.is_read) return std::nullopt;
    const auto run = b.map->run_around(block.area, e.first);
    if (!run || run->first != e.first || run->end != e.end + 1) return std::nullopt;
    const auto last = b.map->points_touching(block.area, {e.end, e.end + 1});
    const bool whole = std::any_of(last.begin(), last.end(), [&](const Point* p) {
      return extent_of(*p) == Extent{e.end, e.end + 1} && p->access != model::Access::write;
    });
    const bool read_elsewhere =
        blocks_.reads_anywhere(b.slave_index, block.area, {e.end, e.end + 1});
    if (!whole || read_elsewhere) return std::nullopt;
    return Candidate{
        RuleCode::F11,
        Severity::note,
        fmt::format("reads all but the last of {} listed in a row: '{}' ({}:{}) is read by nobody",
                    amount_text(block.area, run->end - run->first), last.front()->name,
                    short_name(block.area), e.end),
        fmt::format("count = {} if it is wanted", block.quantity + 1),
        {}};
  }

  // F09
  [[nodiscard]] static std::optional<Candidate> hole(const MappedBlock& b) {
    const auto severity = severity_of_hole(*b.effective);
    if (!severity) return std::nullopt;
    const DeviceBlock& block = *b.block;
    const auto holes = b.map->holes_in(block.area, block.extent());
    if (holes.empty()) return std::nullopt;
    const auto parts = internal::split_at_holes(holes, block.extent());
    const std::string behaviour = b.effective->holes == Holes::refuse
                                      ? fmt::format(", and {} refuses them", b.slave->name)
                                      : std::string();
    const std::string more =
        holes.size() > 1 ? fmt::format(" (and {} more holes)", holes.size() - 1) : std::string();
    return Candidate{
        RuleCode::F09,
        *severity,
        fmt::format("covers {}{}, which {} does not list{}", range_text(block.area, holes.front()),
                    more, b.map->file(), behaviour),
        parts.empty() ? std::string("nothing in this range is listed; look the address up again")
                      : fmt::format("{} {}", parts.size() == 1 ? "write" : "split:",
                                    split_text(block, parts, internal::numbering_of(b))),
        {},
        {},
        parts,
        true};
  }

  const ResolvedPlan& plan_;
  Findings& out_;
  internal::MappedBlocks blocks_;
  internal::TornValues torn_;
  internal::FreshNames names_;
};

}  // namespace

void check_addresses(const RuleInput& in, Findings& out) {
  AddressRules(in, out).check();
}

}  // namespace greymet::checks
