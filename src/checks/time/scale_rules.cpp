// Family T: periods a thousand times their neighbours' (T14), where milliseconds became seconds.
#include <algorithm>
#include <map>

#include "checks/rules.h"
#include "common/cure_edits.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

namespace {

// Periods of one group, the shortest and the longest without one transaction.
struct Periods {
  std::vector<std::pair<Duration, std::size_t>> sorted;  // with the transaction

  void finish() { std::sort(sorted.begin(), sorted.end()); }
  [[nodiscard]] std::optional<std::pair<Duration, Duration>> without(std::size_t t) const {
    if (sorted.size() < 2) return std::nullopt;
    const auto& first = sorted.front().second == t ? sorted[1] : sorted.front();
    const auto& last = sorted.back().second == t ? sorted[sorted.size() - 2] : sorted.back();
    return std::pair(first.first, last.first);
  }
};

}  // namespace

void check_scales(const RuleInput& in, Findings& out) {
  std::map<model::Target, Periods> of_target;
  std::map<std::size_t, Periods> of_controller;
  const auto& plan = in.plan;
  for (std::size_t i = 0; i < plan.transactions.size(); ++i) {
    const ResolvedTransaction& t = plan.transactions[i];
    if (!t.trigger || t.trigger->kind != TriggerKind::cyclic || !t.target || !t.controller)
      continue;
    of_target[*t.target].sorted.emplace_back(t.trigger->period, i);
    of_controller[*t.controller].sorted.emplace_back(t.trigger->period, i);
  }
  for (auto& [target, periods] : of_target) periods.finish();
  for (auto& [controller, periods] : of_controller) periods.finish();
  for (std::size_t i = 0; i < plan.transactions.size(); ++i) {
    const ResolvedTransaction& t = plan.transactions[i];
    constexpr Duration least = std::chrono::seconds(100);
    if (!t.trigger || t.trigger->kind != TriggerKind::cyclic || t.trigger->period < least ||
        !t.target || !t.controller) {
      continue;
    }
    const Duration period = t.trigger->period;
    const auto all = of_controller.at(*t.controller).without(i);
    auto beside = of_target.at(*t.target).without(i);
    if (!beside) beside = all;
    // as milliseconds it would be one among the others
    const Duration meant = period / 1000;
    if (!all || meant < all->first || meant > all->second || period < 10 * beside->second) continue;
    report(out, RuleCode::T14, Severity::warning, t.trigger->place, subject_of(plan.declared(t)),
           fmt::format("runs every {}, and all else of {} at least every {}: {} would be one among "
                       "the others",
                       to_text(period), plan.target_name(*t.target), to_text(beside->second),
                       to_text(meant)),
           fmt::format("write every = \"{}\" if milliseconds were meant; else accept it",
                       to_text(meant)));
    internal::cure_by_keys(out, fmt::format("write every = \"{}\"", to_text(meant)),
                           t.trigger->place, {{"every", internal::toml_text(meant)}}, false);
    internal::make_question(out);
  }
}

}  // namespace greymet::checks
