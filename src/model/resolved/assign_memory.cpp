// Placing ranges whose transaction names only the area: the lowest free numbers, in list order.
#include <map>

#include <fmt/format.h>

#include "model/free_memory.h"
#include "model/resolved_plan.h"
#include "resolve_internal.h"

namespace greymet::model::internal {

void assign_memory(ResolvedPlan& resolved, const std::vector<Unplaced>& unplaced,
                   Findings& findings) {
  if (unplaced.empty()) return;
  const auto uses = memory_uses(resolved);
  std::map<ControllerIndex, FreeMemory> free;
  for (const Unplaced& wanted : unplaced) {
    const ControllerIndex c = wanted.controller;
    FreeMemory& left = free.try_emplace(c, resolved, c, uses[c]).first->second;
    ResolvedTransaction& t = resolved.transactions[wanted.transaction];
    if (auto range = left.lowest(wanted.area, wanted.count)) {
      left.take(range->bits);
      range->assigned = true;
      (wanted.is_into ? t.into : t.from) = *range;
      continue;
    }
    const Controller& controller = resolved.plan.controllers[c];
    const MemoryArea& area = controller.memory[wanted.area];
    Reporter report(findings, subject_of(resolved.declared(t)));
    report.error(
        RuleCode::M03, wanted.place,
        fmt::format("no {} free {} in a row are left in {} of controller {}", wanted.count,
                    area.kind == MemoryKind::word ? "words" : "bits", area.name, controller.name),
        "declare a larger area, or name where it goes");
  }
}

}  // namespace greymet::model::internal
