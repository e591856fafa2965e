// N13: what the plan declares and nobody uses.
#include <algorithm>
#include <set>

#include "checks/rules.h"
#include "model/resolved_plan.h"
#include "rule_text.h"
#include "use_index.h"

namespace greymet::checks {

using internal::report;
using model::Findings;
using model::RuleCode;
using model::Severity;

namespace {

// Names that stand somewhere, also in transactions that could not be resolved.
std::set<std::string> names_asked(const model::Plan& plan) {
  std::set<std::string> names;
  for (const model::Transaction& t : plan.transactions) {
    if (t.slave) names.insert(t.slave->value);
  }
  for (const model::Want& w : plan.wants) {
    if (w.slave) names.insert(w.slave->value);
  }
  return names;
}

void check_slaves(const model::Plan& plan, Findings& out) {
  const std::set<std::string> asked = names_asked(plan);
  for (const model::Slave& slave : plan.slaves) {
    if (asked.contains(slave.name)) continue;
    report(out, RuleCode::N13, Severity::note, slave.place, subject_of(slave),
           "nobody asks it: no transaction and no want names it",
           "ask it, or leave it out of the plan until somebody does");
  }
}

void check_lines(const model::Plan& plan, Findings& out) {
  std::set<std::string> used;
  for (const model::Slave& slave : plan.slaves) {
    if (slave.line) used.insert(slave.line->value);
  }
  for (const model::Controller& controller : plan.controllers) {
    for (const model::Answer& answer : controller.answers) {
      if (answer.line) used.insert(answer.line->value);
    }
  }
  for (const model::Line& line : plan.lines) {
    if (used.contains(line.name)) continue;
    report(out, RuleCode::N13, Severity::note, line.place, subject_of(line), "no slave hangs on it",
           "name it at its slaves, or leave it out of the plan");
  }
}

void check_memory_areas(const model::ResolvedPlan& in, Findings& out) {
  // what could not be resolved may use any of them
  const bool all_known = std::all_of(
      in.transactions.begin(), in.transactions.end(), [&](const model::ResolvedTransaction& t) {
        const model::Transaction& d = in.declared(t);
        return (!d.into || t.into) && (!d.from || t.from) && (!d.only_if || t.gate) && t.trigger;
      });
  if (!all_known) return;
  const auto uses = memory_uses(in);
  for (std::size_t c = 0; c < uses.size(); ++c) {
    const internal::UseIndex index(uses[c]);
    const model::Controller& controller = in.plan.controllers[c];
    for (std::size_t a = 0; a < controller.memory.size(); ++a) {
      const model::MemoryArea& area = controller.memory[a];
      const auto range = in.layouts[c].range(a, area.first, area.count);
      if (!range) continue;  // its keys have findings
      const auto anything = [](const model::MemoryUse&) { return true; };
      if (index.any(range->bits, anything) != nullptr) continue;
      report(out, RuleCode::N13, Severity::note, area.place, subject_of(controller),
             fmt::format("nothing uses any of {}", in.layouts[c].name_of(*range)),
             "leave the area out of the plan, unless the program alone uses it");
    }
  }
}

}  // namespace

void check_unused(const RuleInput& in, Findings& out) {
  check_slaves(in.plan.plan, out);
  check_lines(in.plan.plan, out);
  check_memory_areas(in.plan, out);
}

}  // namespace greymet::checks
