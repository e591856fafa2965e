// Family T: releases that coincide (T06).
#include <algorithm>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/line_text.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"
#include "model/unfold_alike.h"
#include "timing/phases.h"

namespace greymet::checks {

namespace {

model::Range trigger_place(const model::ResolvedPlan& plan, std::size_t declared) {
  const auto& trigger = plan.transactions[declared].trigger;
  if (trigger) return trigger->place;
  return plan.plan.transactions[declared].place;
}

}  // namespace

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
    const model::Plan& plan = in.plan.plan;
    model::Plan changed;
    changed.transactions = plan.transactions;
    for (std::size_t j = 0; j < queue.jobs.size(); ++j) {
      if (proposal->phases[j] == queue.jobs[j].phase) continue;
      const std::size_t declared = in.plan.transactions[queue.jobs[j].transaction].declared;
      changed.transactions[declared].phase =
          model::Located<model::Duration>{proposal->phases[j], {}};
    }
    bool exact = true;  // rows of slaves that are alike can say it
    std::vector<model::Edit> edits;
    for (const auto& row : model::rows_written(plan)) {
      std::vector<model::Duration> old;
      std::vector<model::Duration> now;
      for (const std::size_t i : row) {
        old.push_back(value_or(plan.transactions[i].phase, model::Duration{}));
        now.push_back(value_or(changed.transactions[i].phase, model::Duration{}));
      }
      if (old == now) continue;
      const auto phases = model::phases_of_row(now);
      exact = exact && phases.exact;
      std::vector<model::KeyText> keys;
      if (old.front() != phases.phase) keys.push_back({"phase", internal::toml_text(phases.phase)});
      if (phases.step && phases.step != model::phases_of_row(old).step) {
        keys.push_back({"phase_step", internal::toml_text(*phases.step)});
      }
      edits.push_back({trigger_place(in.plan, row.front()), {}, model::EditKind::set_keys, keys});
    }
    report(
        out, RuleCode::T06, Severity::note, internal::line_place(in.plan, timing, line),
        internal::line_subject(in.plan, timing, line),
        fmt::format("transactions are released at the same instant and wait for each other up to "
                    "{}; with other phases it would be {}",
                    in_ms(proposal->longest_wait_before), in_ms(proposal->longest_wait_after)),
        exact ? fmt::format("write {}", fmt::join(model::phase_texts(plan, changed), ", "))
              : "give the rows other phases; of slaves that are alike phase_step moves each behind "
                "the one before");
    if (exact)
      add_fix(out.back(), {out.back().remedy, std::move(edits), false, true});  // a comfort
  }
}

}  // namespace greymet::checks
