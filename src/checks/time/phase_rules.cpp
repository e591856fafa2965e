// Family T: releases that coincide (T06).
#include <algorithm>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/line_text.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"
#include "timing/phases.h"

namespace greymet::checks {

void check_phases(const RuleInput& in, Findings& out) {
  const timing::TimingReport& timing = in.timing();
  constexpr double worth_it = 0.8;  // less than a fifth shorter is not worth an edit
  for (const timing::LineReport& line : timing.lines) {
    if (!line.queue || line.overloaded()) continue;
    const timing::Queue& queue = timing.model.queues[*line.queue];
    if (!timing::releases_coincide(queue)) continue;
    const auto proposal = timing::propose_phases(
        timing.model, *line.queue, timing::phase_step(in.plan.plan.controllers[queue.controller]));
    if (!proposal || static_cast<double>(proposal->longest_wait_after.count()) >
                         worth_it * static_cast<double>(proposal->longest_wait_before.count())) {
      continue;
    }
    std::vector<std::string> phases;
    std::vector<model::Edit> edits;
    for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
      if (proposal->phases[j] == queue.jobs[j].phase) continue;
      phases.push_back(fmt::format("{} phase = \"{}\"",
                                   in.plan.transaction_name(queue.jobs[j].transaction),
                                   to_text(proposal->phases[j])));
      edits.push_back({in.plan.transactions[queue.jobs[j].transaction].trigger->place,
                       {},
                       model::EditKind::set_keys,
                       {{"phase", internal::toml_text(proposal->phases[j])}}});
    }
    report(
        out, RuleCode::T06, Severity::note, internal::line_place(in.plan, timing, line),
        internal::line_subject(in.plan, timing, line),
        fmt::format("transactions are released at the same instant and wait for each other up to "
                    "{}; with other phases it would be {}",
                    in_ms(proposal->longest_wait_before), in_ms(proposal->longest_wait_after)),
        fmt::format("write {}", fmt::join(phases, ", ")));
    add_fix(out.back(), {out.back().remedy, std::move(edits), false, true});  // a comfort
  }
}

}  // namespace greymet::checks
