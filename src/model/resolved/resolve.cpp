// resolve(): names first, then the network, then what uses both.
#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "model/nearest_name.h"
#include "model/resolved_plan.h"
#include "model/text_slips.h"
#include "resolve_internal.h"

namespace greymet::model {

using internal::look_up;
using internal::look_up_as;
using internal::Names;
using internal::Reporter;

namespace {

template <class Things>
void index_names(const Things& things, std::string_view kind, Findings& findings,
                 std::unordered_map<std::string, std::size_t>& names) {
  for (std::size_t i = 0; i < things.size(); ++i) {
    if (things[i].name.empty() && kind != "transaction") {  // whose name is a value, judged there
      Reporter(findings, subject_of(things[i]))
          .error(RuleCode::P05, things[i].place, fmt::format("the {} has an empty name", kind),
                 "give it a name that findings and transactions can use");
      continue;
    }
    const auto [at, is_new] = names.emplace(things[i].name, i);
    if (is_new) continue;
    Reporter report(findings, subject_of(things[i]));
    report.error(RuleCode::P04, things[i].place,
                 fmt::format("{} name '{}' is used twice", kind, things[i].name),
                 "give one of them another name", {{things[at->second].place, "first used here"}});
  }
}

// "slave.point" and "controller.tag" end at their first dot.
template <class Things>
void refuse_dots(const Things& things, std::string_view what_follows, Findings& findings) {
  for (const auto& thing : things) {
    if (thing.name.find('.') == std::string::npos) continue;
    Reporter report(findings, subject_of(thing));
    std::string other = thing.name.substr(0, 60);
    std::replace(other.begin(), other.end(), '.', '-');
    report.error(RuleCode::P05, thing.place,
                 fmt::format("the name '{}' has a dot: before a {} nobody could tell where it ends",
                             thing.name.substr(0, 60), what_follows),
                 fmt::format("name it {}", other));
  }
}

Names index_all_names(const Plan& plan, Findings& findings) {
  Names names;
  refuse_dots(plan.controllers, "tag or memory", findings);
  refuse_dots(plan.slaves, "point", findings);
  index_names(plan.controllers, "controller", findings, names.controllers);
  index_names(plan.lines, "line", findings, names.lines);
  index_names(plan.gateways, "gateway", findings, names.gateways);
  index_names(plan.slaves, "slave", findings, names.slaves);
  names.targets = names.slaves;
  names.targets.insert(names.controllers.begin(), names.controllers.end());
  // A transaction names slaves and answering controllers with the same key.
  for (const Slave& slave : plan.slaves) {
    const auto peer = names.controllers.find(slave.name);
    if (peer == names.controllers.end()) continue;
    Reporter report(findings, subject_of(slave));
    report.error(RuleCode::P04, slave.place,
                 fmt::format("'{}' names both a slave and a controller", slave.name),
                 "give one of them another name: transactions name both in the same way",
                 {{plan.controllers[peer->second].place, "the controller is here"}});
  }
  std::unordered_map<std::string, std::size_t> ignored;
  index_names(plan.transactions, "transaction", findings, ignored);
  ignored.clear();
  index_names(plan.heartbeats, "heartbeat", findings, ignored);
  ignored.clear();
  index_names(plan.paths, "path", findings, ignored);
  return names;
}

void resolve_line(ResolvedPlan& resolved, const Names& names, const Line& line,
                  Findings& findings) {
  Reporter report(findings, subject_of(line));
  std::optional<ControllerIndex> master;
  std::optional<GatewayIndex> gateway;
  if (line.master) {
    master = look_up_as<ControllerIndex>(names.controllers, *line.master, "controller", report);
  }
  if (line.via) gateway = look_up_as<GatewayIndex>(names.gateways, *line.via, "gateway", report);
  if (line.refused.contains("master") || line.refused.contains("via")) {
    // said already
  } else if (!line.master && !line.via) {
    report.missing("master", line.place, "neither `master` nor `via` is given",
                   "add master = \"<controller>\", or via = \"<gateway>\" for a line behind one");
  } else if (line.master && line.via) {
    report.error(RuleCode::P05, line.via->place,
                 "a line has a `master` or is reached `via` a gateway, not both",
                 "remove one of the two", {{line.master->place, "the master is here"}});
    gateway.reset();
  }
  resolved.line_master.push_back(master);
  resolved.line_gateway.push_back(gateway);
}

void resolve_slave(ResolvedPlan& resolved, const Names& names, const Slave& slave,
                   Findings& findings) {
  Reporter report(findings, subject_of(slave));
  std::optional<LineIndex> line;
  if (slave.line) line = look_up_as<LineIndex>(names.lines, *slave.line, "line", report);
  if (slave.refused.contains("line") || slave.refused.contains("host")) {
    // said already
  } else if (!slave.line && !slave.host) {
    report.missing("line", slave.place, "neither `line` nor `host` is given",
                   "add line = \"<line>\" and unit, or host = \"10.0.0.1\"");
  } else if (slave.line && slave.host) {
    report.error(RuleCode::P05, slave.host->place,
                 "a slave is on a `line` or at a `host`, not both", "remove one of the two",
                 {{slave.line->place, "the line is here"}});
  }
  if (slave.line && !slave.unit && !slave.refused.contains("unit")) {
    report.missing("unit", slave.place, "`unit` is missing",
                   "add the slave's unit address, 1 to 247: unit = 12");
  }
  constexpr std::int64_t highest_tcp_unit = 255;  // one byte of the MBAP header
  if (slave.host && slave.unit && slave.unit->value > highest_tcp_unit) {
    report.error(RuleCode::P05, slave.unit->place, fmt::format("`unit` is {}", slave.unit->value),
                 "write a number from 0 to 255; 255 reaches the device itself");
  }
  resolved.slave_line.push_back(line);
}

void resolve_heartbeat(ResolvedPlan& resolved, const Names& names, std::size_t index,
                       Findings& findings) {
  const Heartbeat& heartbeat = resolved.plan.heartbeats[index];
  Reporter report(findings, subject_of(heartbeat));
  ResolvedHeartbeat out{index, {}, {}, {}, {}};
  const auto controller = [&](const Declared<std::string>& name) -> std::optional<ControllerIndex> {
    if (!name) return std::nullopt;
    return look_up_as<ControllerIndex>(names.controllers, *name, "controller", report);
  };
  out.from = controller(heartbeat.from);
  out.to = controller(heartbeat.to);
  if (out.from && heartbeat.bit) {
    out.bit = internal::resolve_bit(resolved.layouts[*out.from], *heartbeat.bit, report);
  }
  if (out.to && heartbeat.seen) {
    out.seen = internal::resolve_bit(resolved.layouts[*out.to], *heartbeat.seen, report);
  }
  resolved.heartbeats.push_back(out);
}

std::optional<MemoryRange> resolve_range(const MemoryLayout& layout,
                                         const Located<std::string>& text, std::int64_t count,
                                         Reporter& report) {
  const auto spot = layout.read(text.value);
  if (spot && spot->number && !spot->bit) {
    const auto range = layout.range(spot->area, *spot->number, count);
    if (range) return *range;
    internal::report_memory_failure(range.error(), text.place, report);
  } else if (spot) {
    report.error(RuleCode::P05, text.place,
                 fmt::format("'{}' names no word or bit to begin at", text.value.substr(0, 60)),
                 "write the area's name and a number, as in \"%MW200\"");
  } else {
    internal::report_memory_failure(spot.error(), text.place, report);
  }
  return std::nullopt;
}

void resolve_fingerprint_word(ResolvedPlan& resolved, const Controller& controller,
                              std::size_t index, Findings& findings) {
  resolved.fingerprint_words.emplace_back();
  if (!controller.fingerprint) return;
  Reporter report(findings, subject_of(controller));
  const auto range =
      resolve_range(resolved.layouts[ControllerIndex(index)], *controller.fingerprint, 1, report);
  if (range && controller.memory[range->area].kind == MemoryKind::bit) {
    report.error(RuleCode::P05, controller.fingerprint->place,
                 "the fingerprint takes a word, and this is a bit",
                 "name a word that nothing else uses, e.g. \"%MW900\"");
    return;
  }
  resolved.fingerprint_words.back() = range;
}

void resolve_copy(ResolvedPlan& resolved, const Names& names, std::size_t index,
                  Findings& findings) {
  const Copy& copy = resolved.plan.copies[index];
  Reporter report(findings, {SubjectKind::copy, std::to_string(index + 1)});
  ResolvedCopy out{index, {}, {}, {}};
  if (copy.controller) {
    out.controller =
        look_up_as<ControllerIndex>(names.controllers, *copy.controller, "controller", report);
  } else if (resolved.plan.controllers.size() == 1) {
    out.controller = ControllerIndex(0);
  } else {
    report.missing("controller", copy.place, "`controller` is missing and there are several",
                   "name the controller whose program copies");
  }
  if (out.controller && copy.from && copy.to && copy.count) {
    const MemoryLayout& layout = resolved.layouts[*out.controller];
    out.from = resolve_range(layout, *copy.from, copy.count->value, report);
    out.to = resolve_range(layout, *copy.to, copy.count->value, report);
  }
  resolved.copies.push_back(out);
}

// The registers or bits of one slave that a path's end names.
ValuePlace end_at_slave(std::size_t slave, Area area, Extent extent,
                        const std::optional<std::uint32_t>& bit) {
  const std::uint64_t width = is_bit_area(area) ? 1 : bits_per_word;
  ValuePlace end = slave_place(slave, area, {0, extent.first * width, extent.end * width});
  if (bit) end.bits = {0, end.bits.first + *bit, end.bits.first + *bit + 1};
  return end;
}

// "slave.point" or "controller.%MW3"
std::optional<ValuePlace> resolve_path_end(const ResolvedPlan& resolved, const Names& names,
                                           const Located<std::string>& text, Reporter& report) {
  const std::size_t dot = text.value.find('.');
  if (dot == std::string::npos || dot + 1 == text.value.size()) {
    report.error(RuleCode::P05, text.place,
                 fmt::format("'{}' is no end of a path", text.value.substr(0, 60)),
                 "write \"<slave>.<point>\" or \"<controller>.%MW3\"");
    return std::nullopt;
  }
  Range part = text.place;  // the owner is only a part of it: no cure may replace the whole
  part.end_line = part.end_column = 0;
  const Located<std::string> owner{text.value.substr(0, dot), part};
  const Located<std::string> rest{text.value.substr(dot + 1), part};
  const auto controller = names.controllers.find(owner.value);
  if (controller != names.controllers.end()) {
    const auto memory =
        internal::resolve_bit_or_word(resolved.layouts[controller->second], rest, report);
    if (!memory) return std::nullopt;
    return memory_place(controller->second, memory->bits);
  }
  const auto slave = look_up(names.slaves, owner, "slave or controller", report);
  if (!slave) return std::nullopt;
  const RegisterMap* map = resolved.map_of({false, *slave, 0});
  if (const Point* point = map != nullptr ? map->find(rest.value) : nullptr) {
    return point_place(*slave, *point);
  }
  const auto address = read_address({rest.value, false}, Numbering::from_0);
  if (address && address->area && address->offset >= 0 && address->offset < addresses_per_area) {
    const auto offset = static_cast<std::uint32_t>(address->offset);
    return end_at_slave(*slave, *address->area, {offset, offset + 1}, address->bit);
  }
  if (map != nullptr && map->may_hide(rest.value)) return std::nullopt;
  std::vector<std::string_view> known;
  if (map != nullptr) {
    for (const Point& point : map->points()) {
      if (known.size() == most_names_compared) break;
      known.push_back(point.name);
    }
  }
  report.error(RuleCode::P03, text.place,
               fmt::format("slave {} has no point '{}'{}", owner.value, rest.value.substr(0, 60),
                           did_you_mean(rest.value, known)),
               "name a point of the slave's map, or an address such as \"hr:12\"");
  return std::nullopt;
}

// Who wants it: as for a transaction, the line's master if nothing is said.
std::optional<ControllerIndex> controller_of_want(const ResolvedPlan& resolved, const Names& names,
                                                  const Want& want, std::optional<SlaveIndex> slave,
                                                  Reporter& report) {
  if (want.controller) {
    return look_up_as<ControllerIndex>(names.controllers, *want.controller, "controller", report);
  }
  if (slave && resolved.slave_line[*slave] && resolved.line_master[*resolved.slave_line[*slave]]) {
    return resolved.line_master[*resolved.slave_line[*slave]];
  }
  if (resolved.plan.controllers.size() == 1) return ControllerIndex(0);
  return std::nullopt;
}

void resolve_want(ResolvedPlan& resolved, const Names& names, std::size_t index,
                  Findings& findings) {
  const Want& want = resolved.plan.wants[index];
  Reporter report(findings, {SubjectKind::want, std::to_string(want.number)});
  ResolvedWant out{index, {}, {}, {}};
  if (want.slave) out.slave = look_up_as<SlaveIndex>(names.slaves, *want.slave, "slave", report);
  out.controller = controller_of_want(resolved, names, want, out.slave, report);
  const RegisterMap* map = out.slave ? resolved.map_of({false, *out.slave, 0}) : nullptr;
  if (out.slave && want.points) {
    std::set<std::size_t> taken;
    for (const Located<std::string>& pattern : want.points->value) {
      const auto matching =
          map != nullptr ? map->matching(pattern.value) : std::vector<std::size_t>();
      taken.insert(matching.begin(), matching.end());
      const auto matches = [&](std::string_view name) {
        return matches_pattern(pattern.value, name);
      };
      if (!matching.empty() || (map != nullptr && map->may_hide_any(matches))) continue;
      report.error(RuleCode::P03, pattern.place,
                   map == nullptr ? fmt::format("slave {} has no map", want.slave->value)
                                  : fmt::format("no point of slave {} matches '{}'",
                                                want.slave->value, pattern.value.substr(0, 60)),
                   "name points of the slave's map; '*' stands for any characters");
    }
    out.points.assign(taken.begin(), taken.end());
  }
  resolved.wants.push_back(std::move(out));
}

}  // namespace

ResolvedPlan resolve(Plan plan, Findings& findings) {
  ResolvedPlan resolved;
  resolved.plan = std::move(plan);
  const Plan& p = resolved.plan;
  const Names names = index_all_names(p, findings);
  for (const Controller& controller : p.controllers) {
    resolved.layouts.emplace_back(controller);
    resolve_fingerprint_word(resolved, controller, resolved.layouts.size() - 1, findings);
    std::vector<std::optional<LineIndex>> lines;
    for (const Answer& answer : controller.answers) {
      Reporter report(findings, subject_of(controller));
      lines.push_back(answer.line ? look_up_as<LineIndex>(names.lines, *answer.line, "line", report)
                                  : std::nullopt);
    }
    resolved.answer_lines.push_back(std::move(lines));
  }
  for (const Line& line : p.lines) resolve_line(resolved, names, line, findings);
  for (const Slave& slave : p.slaves) resolve_slave(resolved, names, slave, findings);
  resolved.exchange = effective_network(resolved);
  std::vector<internal::Unplaced> unplaced;
  internal::resolve_transactions(resolved, names, unplaced, findings);
  for (std::size_t i = 0; i < p.heartbeats.size(); ++i) {
    resolve_heartbeat(resolved, names, i, findings);
  }
  for (std::size_t i = 0; i < p.copies.size(); ++i) resolve_copy(resolved, names, i, findings);
  for (std::size_t i = 0; i < p.paths.size(); ++i) {
    const Path& path = p.paths[i];
    Reporter report(findings, subject_of(path));
    ResolvedPath out{i, {}, {}};
    if (path.from) out.from = resolve_path_end(resolved, names, *path.from, report);
    if (path.to) out.to = resolve_path_end(resolved, names, *path.to, report);
    resolved.paths.push_back(out);
  }
  for (std::size_t i = 0; i < p.wants.size(); ++i) resolve_want(resolved, names, i, findings);
  internal::assign_memory(resolved, unplaced, findings);
  add_transactions_and_heartbeats(resolved, resolved.exchange);
  resolved.flow = ValueFlow(resolved);
  internal::resolve_tags(resolved, names, findings);
  return resolved;
}

}  // namespace greymet::model
