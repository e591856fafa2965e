#include "cli/handover.h"

#include <fmt/format.h>

#include "files/exchange_export.h"
#include "timing/point_ages.h"

namespace greymet::cli {

exports::ExportInput Handover::input() const {
  return {plan, points, ages, timing, findings, files::fingerprint_of(plan)};
}

Handover handover_of(const UsablePlan& usable, std::optional<timing::TimingReport> timing) {
  const model::ResolvedPlan& plan = usable.loaded.plan;
  model::PointList points = model::point_list(plan);
  timing::TimingReport report = timing ? std::move(*timing) : timing::analyse_longest(plan);
  auto ages = timing::age_bounds(plan, points, report);
  return {std::move(points), std::move(report), std::move(ages), plan, usable.findings};
}

std::optional<int> refuse_too_many(const model::PointList& points, const Terminal& terminal) {
  if (!points.too_many) return std::nullopt;
  return usage_error(terminal,
                     fmt::format("the plan moves more than {} values, copies of them included, "
                                 "which is more than can be listed: split it into several plans",
                                 model::most_listed_values));
}

std::optional<int> refuse_too_large(const UsablePlan& usable, std::string_view what,
                                    const Terminal& terminal) {
  constexpr std::size_t most_transactions = 20'000;
  const std::size_t transactions = usable.loaded.plan.plan.transactions.size();
  if (transactions <= most_transactions) return std::nullopt;
  return usage_error(terminal, fmt::format("the plan has {} transactions, and at most {} are {}: "
                                           "split it into several plans",
                                           transactions, most_transactions, what));
}

std::optional<int> refuse_errors(const UsablePlan& usable, std::string_view what,
                                 const Terminal& terminal) {
  if (const auto refused = refuse_too_large(usable, what, terminal)) return refused;
  if (checks::tally_of(usable.findings).errors == 0) return std::nullopt;
  model::Findings errors = usable.findings;
  std::erase_if(errors, [](const auto& f) { return f.severity != model::Severity::error; });
  print_findings(usable.loaded, errors, plain_terminal(terminal.err, terminal.err, terminal.width));
  terminal.err << fmt::format("greymet: nothing is {} while check reports an error\n", what);
  return exit_findings;
}

}  // namespace greymet::cli
