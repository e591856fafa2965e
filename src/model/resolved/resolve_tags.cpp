// Tags: where each lies, and which point or peer's tag is its other end.
#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/memory_use.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "model/value_trace.h"
#include "resolve_internal.h"

namespace greymet::model::internal {
namespace {

// As a program may write the name of anything: small letters, digits and underscores.
std::string as_identifier(std::string_view name) {
  std::string out;
  for (const char c : name) {
    const bool capital = c >= 'A' && c <= 'Z';
    const bool other = !is_digit(c) && !is_letter(c) && static_cast<unsigned char>(c) < 0x80;
    out += capital ? static_cast<char>(c - 'A' + 'a') : other ? '_' : c;
  }
  return out;
}

class TagResolver {
 public:
  TagResolver(ResolvedPlan& resolved, const Names& names, Findings& findings)
      : plan_(resolved), names_(names), findings_(findings), uses_(device_uses(resolved)) {}

  void resolve() {
    for (std::size_t c = 0; c < plan_.plan.controllers.size(); ++c) {
      const auto& table = plan_.plan.controllers[c].tags;
      if (!table) continue;
      for (std::size_t i = 0; i < table->tags.size(); ++i) {
        tag_named_[c].emplace(table->tags[i].name, plan_.tags.size());
        plan_.tags.push_back({ControllerIndex(c), i, {}, {}, {}, false});
      }
    }
    for (ResolvedTag& tag : plan_.tags) {
      Reporter report(findings_, subject_of(plan_, tag));
      resolve_memory(tag, report);
    }
    for (ResolvedTag& tag : plan_.tags) {
      const Tag& declared = plan_.declared(tag);
      Reporter report(findings_, subject_of(plan_, tag));
      if (declared.from) tag.from = end_named(tag, *declared.from, report);
      if (declared.to) tag.to = end_named(tag, *declared.to, report);
      if (!declared.from && !declared.to) match_by_name(tag);
    }
  }

 private:
  // Words or bits that a tag takes, where its address is one.
  void resolve_memory(ResolvedTag& tag, Reporter& report) {
    const Tag& declared = plan_.declared(tag);
    const MemoryLayout& layout = plan_.layouts[tag.controller];
    const Located<std::string>& text = declared.address;
    const auto spot = layout.read(text.value);
    if (!spot) return report_memory_failure(spot.error(), text.place, report);
    const MemoryArea& area = layout.controller().memory[spot->area];
    const bool is_bool = declared.type.type.kind == TypeKind::boolean;
    const bool is_bit = spot->bit.has_value() || area.kind == MemoryKind::bit;
    if (!spot->number) {
      return report.error(RuleCode::P07, text.place,
                          fmt::format("'{}' names no word or bit", text.value.substr(0, 60)),
                          "write the area's name and a number, as in \"%MW200\"");
    }
    // all of an area that is of the other kind are one cause
    const std::string of_area = fmt::format("{} of {}", area.name, layout.controller().name);
    if (is_bool && !is_bit) {
      report.error(RuleCode::P07, text.place,
                   fmt::format("{} is a word, and a BOOL is one bit of it", text.value),
                   fmt::format("write {0}.0 for its lowest bit, or type WORD", text.value));
      report.last().about = of_area;
      return;
    }
    if (!is_bool && is_bit) {
      report.error(
          RuleCode::P07, text.place,
          fmt::format("{} is one bit, and a {} takes {} bits", text.value, to_text(declared.type),
                      bits_per_word * registers_of(declared.type.type)),
          "write type BOOL, or the address of a word");
      report.last().about = of_area;
      return;
    }
    if (is_bit) {
      tag.memory = resolve_bit(layout, text, report);
      return;
    }
    const auto range = layout.range(spot->area, *spot->number, registers_of(declared.type.type));
    if (!range) return report_memory_failure(range.error(), text.place, report);
    tag.memory = *range;
  }

  // "slave.point", "controller.tag", or "program".
  std::optional<TagEnd> end_named(const ResolvedTag& tag, const Located<std::string>& text,
                                  Reporter& report) {
    if (equal_in_any_case(text.value, program_alone)) return std::nullopt;
    const std::size_t dot = text.value.find('.');
    if (dot == std::string::npos || dot == 0 || dot + 1 == text.value.size()) {
      report.error(RuleCode::P05, text.place,
                   fmt::format("'{}' names no point and no tag", text.value.substr(0, 60)),
                   "write slave.point, controller.tag, or program for a value that is the "
                   "program's own");
      return std::nullopt;
    }
    Range part = text.place;  // the owner is only a part of it: no cure may replace the whole
    part.end_line = part.end_column = 0;
    const Located<std::string> owner{text.value.substr(0, dot), part};
    const std::string name = text.value.substr(dot + 1);
    const auto peer = names_.controllers.find(owner.value);
    if (peer != names_.controllers.end()) {
      return peer_tag(tag, peer->second, name, text.place, report);
    }
    const auto slave = names_.slaves.find(owner.value);
    if (slave != names_.slaves.end()) return point(slave->second, name, text.place, report);
    report_unknown_owner(owner.value, name, text.place, report);
    return std::nullopt;
  }

  void report_unknown_owner(const std::string& owner, const std::string& name, Range place,
                            Reporter& report) const {
    std::vector<std::string_view> known;
    for (const auto& [key, index] : names_.targets) {
      if (known.size() == most_names_compared) break;
      known.push_back(key);
    }
    std::sort(known.begin(), known.end());
    const auto near = near_name(owner, known);
    report.error(RuleCode::P03, place,
                 fmt::format("unknown slave or controller '{}'", owner.substr(0, 60)),
                 near ? std::string() : "name a slave or a controller of the plan");
    if (near) offer_name(near->name, name, *near, place, report);
  }

  static void offer_name(const std::string& owner, const std::string& name, const NearName& near,
                         Range place, Reporter& report) {
    Fix fix = write_instead(place, fmt::format("{}.{}", owner, name), near.only && near.is_slip);
    fix.is_question = !near.is_slip;
    add_fix(report.last(), std::move(fix));
  }

  std::optional<TagEnd> peer_tag(const ResolvedTag& tag, std::size_t controller,
                                 const std::string& name, Range place, Reporter& report) {
    const Controller& peer = plan_.plan.controllers[controller];
    if (controller == tag.controller) {
      report.error(RuleCode::P05, place,
                   fmt::format("'{}' is of this controller itself", peer.name + "." + name),
                   "name a tag of another controller; what the program moves by itself is "
                   "declared in `copies`");
      return std::nullopt;
    }
    const auto& known_tags = tag_named_[controller];
    const auto found = known_tags.find(name);
    if (found != known_tags.end()) {
      const ResolvedTag& other = plan_.tags[found->second];
      if (!other.memory) return std::nullopt;
      return TagEnd{memory_place(controller, other.memory->bits), true, found->second, 0};
    }
    if (peer.tags_files && (!peer.tags || hides(*peer.tags, name))) return std::nullopt;
    if (!peer.tags) {
      report.error(RuleCode::P03, place, fmt::format("controller {} declares no tags", peer.name),
                   fmt::format("add tags = \"tags/{0}.csv\" to [controller.{0}]", peer.name));
      return std::nullopt;
    }
    std::vector<std::string_view> known;
    for (const Tag& each : peer.tags->tags) {
      if (known.size() == most_names_compared) break;
      known.push_back(each.name);
    }
    report_unknown(fmt::format("controller {} has no tag '{}'", peer.name, name.substr(0, 60)),
                   "name a tag of its table", peer.name, name, known, place, report);
    return std::nullopt;
  }

  static bool hides(const TagTable& table, const std::string& name) {
    return table.incomplete &&
           (table.tags.empty() ||
            std::find(table.left_out.begin(), table.left_out.end(), name) != table.left_out.end());
  }

  std::optional<TagEnd> point(std::size_t slave, const std::string& name, Range place,
                              Reporter& report) {
    const RegisterMap* map = plan_.map_of({false, slave, 0});
    if (map == nullptr) {
      report.error(
          RuleCode::P03, place, fmt::format("slave {} has no map", plan_.plan.slaves[slave].name),
          fmt::format("add map = \"maps/{0}.csv\" to [slave.{0}]", plan_.plan.slaves[slave].name));
      report.last().about = fmt::format("no map of {}", plan_.plan.slaves[slave].name);
      return std::nullopt;
    }
    if (const Point* found = map->find(name)) return end_at(slave, *map, *found);
    if (map->may_hide(name)) return std::nullopt;
    std::vector<std::string_view> known;
    for (const Point& each : map->points()) {
      if (known.size() == most_names_compared) break;
      known.push_back(each.name);
    }
    const std::string& owner = plan_.plan.slaves[slave].name;
    report_unknown(fmt::format("slave {} has no point '{}'", owner, name.substr(0, 60)),
                   "name a point of the slave's map", owner, name, known, place, report);
    return std::nullopt;
  }

  static void report_unknown(std::string message, std::string remedy, const std::string& owner,
                             const std::string& name, const std::vector<std::string_view>& known,
                             Range place, Reporter& report) {
    const auto near = near_name(name, known);
    report.error(RuleCode::P03, place, std::move(message),
                 near ? std::string() : std::move(remedy));
    if (near) offer_name(owner, near->name, *near, place, report);
  }

  static TagEnd end_at(std::size_t slave, const RegisterMap& map, const Point& found) {
    return {point_place(slave, found), false, slave,
            static_cast<std::size_t>(&found - map.points().data())};
  }

  // The one point of the plan that is called as the tag is, or slave_point.
  std::optional<TagEnd> alike(const std::string& name) {
    index_points();
    const std::string wanted = as_identifier(name);
    if (const auto at = points_alike_.find(wanted); at != points_alike_.end()) {
      if (at->second.several) return std::nullopt;
      return end_at(at->second.slave, *plan_.map_of({false, at->second.slave, 0}),
                    *at->second.point);
    }
    std::optional<TagEnd> found;
    for (std::size_t at = wanted.find('_'); at != std::string::npos;
         at = wanted.find('_', at + 1)) {
      const auto slave = slaves_alike_.find(wanted.substr(0, at));
      if (slave == slaves_alike_.end()) continue;
      const RegisterMap* map = plan_.map_of({false, slave->second, 0});
      if (map == nullptr) continue;
      const std::string rest = wanted.substr(at + 1);
      const Point* point = map->find(rest);
      if (point == nullptr) {
        for (const Point& each : map->points()) {
          if (as_identifier(each.name) == rest) point = &each;
        }
      }
      if (point == nullptr) continue;
      if (found) return std::nullopt;
      found = end_at(slave->second, *map, *point);
    }
    return found;
  }

  void index_points() {
    if (indexed_) return;
    indexed_ = true;
    for (std::size_t s = 0; s < plan_.plan.slaves.size(); ++s) {
      slaves_alike_.emplace(as_identifier(plan_.plan.slaves[s].name), s);
      const RegisterMap* map = plan_.map_of({false, s, 0});
      if (map == nullptr) continue;
      for (const Point& point : map->points()) {
        const auto [at, is_new] =
            points_alike_.try_emplace(as_identifier(point.name), Alike{s, &point, false});
        if (!is_new) at->second.several = true;
      }
    }
  }

  // Which end it is depends on who moves the value: what the tag's controller reads comes from
  // there, what it writes goes there; where it does both, the tag is what lies in its place.
  void match_by_name(ResolvedTag& tag) {
    const auto end = alike(plan_.declared(tag).name);
    if (!end) return;
    tag.by_name = true;
    const Access access = plan_.point_of(*end).access;
    bool is_read = access == Access::read;
    if (access == Access::read_write) {
      const auto brings = [&] {
        const auto places = trace_value(plan_, end->place, std::nullopt);
        return std::any_of(places.begin() + 1, places.end(), [&](const TracedPlace& at) {
          return at.place.at_controller && at.place.owner == tag.controller;
        });
      };
      const auto sends = sending(tag, *end);
      is_read = !sends.any || (!sends.from_here && brings());
    }
    (is_read ? tag.from : tag.to) = *end;
  }

  struct Sends {
    bool any = false;        // some write of the tag's controller covers the point
    bool from_here = false;  // and takes it from where the tag lies
  };
  [[nodiscard]] Sends sending(const ResolvedTag& tag, const TagEnd& end) const {
    Sends out;
    const Extent extent = extent_of(plan_.point_of(end));
    for (const DeviceUse& use : uses_[end.owner]) {
      const ResolvedTransaction& t = plan_.transactions[use.transaction];
      if (use.is_read || use.area != end.place.area || t.controller != tag.controller) continue;
      if (use.extent.end <= extent.first || extent.end <= use.extent.first) continue;
      out.any = true;
      out.from_here =
          out.from_here || (tag.memory && t.from && overlap(tag.memory->bits, t.from->bits));
    }
    return out;
  }

  struct Alike {
    std::size_t slave = 0;
    const Point* point = nullptr;
    bool several = false;
  };

  ResolvedPlan& plan_;
  const Names& names_;
  Findings& findings_;
  std::vector<std::vector<DeviceUse>> uses_;
  std::unordered_map<std::size_t, std::unordered_map<std::string, std::size_t>> tag_named_;
  std::unordered_map<std::string, Alike> points_alike_;
  std::unordered_map<std::string, std::size_t> slaves_alike_;
  bool indexed_ = false;
};

}  // namespace

void resolve_tags(ResolvedPlan& resolved, const Names& names, Findings& findings) {
  TagResolver(resolved, names, findings).resolve();
}

}  // namespace greymet::model::internal
