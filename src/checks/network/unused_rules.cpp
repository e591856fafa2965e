// N13: what the plan declares and nobody uses.
#include <algorithm>
#include <set>
#include <string_view>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "common/use_index.h"
#include "model/nearest_name.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

namespace {

using Names = std::set<std::string_view>;

template <class Thing>
void add_names(const std::vector<Thing>& things, Names& names) {
  for (const Thing& thing : things) names.insert(thing.name);
}

// The names of whom the rows ask, also of those that could not be resolved.
template <class Row>
void add_asked(const std::vector<Row>& rows, Names& names) {
  for (const Row& row : rows) {
    if (row.slave) names.insert(row.slave->value);
  }
}

// What is declared and not named: without what an unknown name is likely to mean.
template <class Thing>
Names unused_of(const std::vector<Thing>& things, const Names& named, Names known) {
  add_names(things, known);
  Names unused;
  for (const Thing& thing : things) {
    if (!named.contains(thing.name)) unused.insert(thing.name);
  }
  const std::vector<std::string_view> candidates(unused.begin(), unused.end());
  for (const std::string_view name : named) {
    if (known.contains(name)) continue;
    if (const auto meant = model::near_name(name, candidates)) unused.erase(meant->name);
  }
  return unused;
}

void check_slaves(const model::Plan& plan, Findings& out) {
  Names asked;
  Names peers;
  add_asked(plan.transactions, asked);
  add_asked(plan.wants, asked);
  add_names(plan.controllers, peers);
  const Names unused = unused_of(plan.slaves, asked, std::move(peers));
  for (const model::Slave& slave : plan.slaves) {
    if (!unused.contains(slave.name)) continue;
    report(out, RuleCode::N13, Severity::note, slave.place, subject_of(slave),
           "nobody asks it: no transaction and no want names it",
           "ask it, or leave it out of the plan until somebody does");
  }
}

void check_lines(const model::Plan& plan, Findings& out) {
  Names used;
  for (const model::Slave& slave : plan.slaves) {
    if (slave.line) used.insert(slave.line->value);
  }
  for (const model::Controller& controller : plan.controllers) {
    for (const model::Answer& answer : controller.answers) {
      if (answer.line) used.insert(answer.line->value);
    }
  }
  const Names unused = unused_of(plan.lines, used, {});
  for (const model::Line& line : plan.lines) {
    if (!unused.contains(line.name)) continue;
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
