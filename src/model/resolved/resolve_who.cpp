// Who asks whom.
#include <fmt/format.h>

#include "resolve_internal.h"

namespace greymet::model::internal {

std::optional<Target> resolve_target(const Names& names, const Transaction& declared,
                                     Reporter& report) {
  if (!declared.slave) return std::nullopt;
  const auto peer = names.controllers.find(declared.slave->value);
  const auto slave = names.slaves.find(declared.slave->value);
  if (slave != names.slaves.end()) return Target{false, slave->second, 0};
  if (peer != names.controllers.end()) return Target{true, peer->second, 0};
  (void)look_up(names.targets, *declared.slave, "slave", report);
  return std::nullopt;
}

namespace {

// The line a target hangs on, as far as it can be told before the controller is known.
std::optional<LineIndex> line_of(const ResolvedPlan& resolved, const Target& target) {
  return target.is_peer ? std::nullopt : resolved.slave_line[target.index];
}

void report_missing_controller(const ResolvedPlan& resolved, const Transaction& declared,
                               const Target& target, Reporter& report) {
  if (resolved.plan.controllers.empty()) {
    report.error(RuleCode::P06, declared.place, "the plan declares no controller",
                 "declare it as [controller.<name>] and add controller = \"<name>\"");
    return;
  }
  constexpr std::size_t most_named = 3;
  std::vector<std::string> able;  // nobody asks itself
  for (std::size_t i = 0; i < resolved.plan.controllers.size(); ++i) {
    if (!target.is_peer || i != target.index) able.push_back(resolved.plan.controllers[i].name);
  }
  const std::size_t more = able.size() > most_named ? able.size() - most_named : 0;
  const std::string name = able.size() == 1 ? able.front() : "<name>";
  able.resize(able.size() - more);
  report.error(RuleCode::P06, declared.place,
               fmt::format("`controller` is missing: {}{} can ask {}", fmt::join(able, ", "),
                           more > 0 ? fmt::format(" and {} more", more) : std::string(),
                           resolved.target_name(target)),
               fmt::format("add controller = \"{}\"", name));
}

}  // namespace

std::optional<ControllerIndex> resolve_controller(const ResolvedPlan& resolved, const Names& names,
                                                  const Transaction& declared,
                                                  const std::optional<Target>& target,
                                                  Reporter& report) {
  if (declared.controller) {
    return look_up_as<ControllerIndex>(names.controllers, *declared.controller, "controller",
                                       report);
  }
  if (target) {
    const auto line = line_of(resolved, *target);
    if (line && resolved.plan.lines[*line].master) return resolved.line_master[*line];
    if (line && !resolved.plan.lines[*line].via) return std::nullopt;  // the line's comes first
  }
  if (resolved.plan.controllers.size() == 1) return ControllerIndex(0);
  if (!target) return std::nullopt;  // the slave's finding comes first
  if (!target->is_peer && !resolved.slave_line[target->index] &&
      !resolved.plan.slaves[target->index].host) {
    return std::nullopt;  // so it does where the slave is nowhere
  }
  report_missing_controller(resolved, declared, *target, report);
  return std::nullopt;
}

}  // namespace greymet::model::internal
