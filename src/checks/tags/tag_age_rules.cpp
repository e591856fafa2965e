// Family V, what ages: tags whose value is older than the program can stand (V08).
#include <algorithm>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"
#include "timing/report.h"

namespace greymet::checks {

using timing::Hop;
using timing::PathVerdict;

namespace {

std::string name_of_hop(const model::ResolvedPlan& plan, const Hop& hop) {
  return plan.move_name(hop.kind, hop.index);
}

model::Range place_of_hop(const model::ResolvedPlan& plan, const Hop& hop) {
  if (hop.kind == model::MoveKind::copy) {
    return plan.plan.copies[plan.copies[hop.index].declared].place;
  }
  return plan.declared(plan.transactions[hop.index]).place;
}

}  // namespace

void check_tag_ages(const RuleInput& in, Findings& out) {
  const model::ResolvedPlan& plan = in.plan;
  for (const timing::TagAge& age : in.timing().tag_ages) {
    const timing::PathReport& path = age.path;
    if (path.verdict == PathVerdict::good || path.verdict == PathVerdict::no_way) continue;
    const model::ResolvedTag& tag = plan.tags[age.tag];
    const model::Tag& declared = plan.declared(tag);
    const std::string limit = to_text(declared.max_age->value);
    std::string message;
    std::string remedy = fmt::format("max_age {} if the program can stand it", limit);
    std::vector<model::Related> related;
    if (path.verdict == PathVerdict::not_bounded) {
      const auto hop = std::find_if(path.hops.begin(), path.hops.end(),
                                    [](const Hop& h) { return !h.bound.has_value(); });
      if (hop == path.hops.end() || (hop->kind != model::MoveKind::copy && !hop->job)) continue;
      message = fmt::format(
          "nothing bounds its age, and {} is allowed: nothing says how often {} "
          "runs",
          limit, name_of_hop(plan, *hop));
      remedy = fmt::format("give {} a period", name_of_hop(plan, *hop));
      related.push_back({place_of_hop(plan, *hop), "this step"});
    } else {
      const bool seen = path.verdict == PathVerdict::too_old;
      message = seen
                    ? fmt::format(
                          "the value is up to {} old in the simulation, the program needs "
                          "it within {}",
                          in_ms(*path.simulated), limit)
                    : fmt::format(
                          "that it is no older than {} is not guaranteed: it may get {} "
                          "old{}",
                          limit, in_ms(*path.bound),
                          path.simulated
                              ? fmt::format("; {} was the oldest simulated", in_ms(*path.simulated))
                              : std::string());
      const std::string stands =
          path.bound
              ? fmt::format("max_age {} if the program can stand it",
                            to_text(model::rounded_up(*path.bound, std::chrono::milliseconds(100))))
              : std::string("a larger max_age");
      remedy = stands;
      if (path.dominating) {
        const Hop& hop = path.hops[*path.dominating];
        if (hop.kind != model::MoveKind::copy) {
          remedy = fmt::format("a shorter period at {}, or {}", name_of_hop(plan, hop), stands);
        }
        related.push_back(
            {place_of_hop(plan, hop), fmt::format("{} takes the largest share, up to {}",
                                                  name_of_hop(plan, hop), in_ms(*hop.bound))});
      }
    }
    report(out, RuleCode::V08,
           path.verdict == PathVerdict::too_old ? Severity::error : Severity::warning,
           declared.max_age->place, subject_of(plan, tag), std::move(message), std::move(remedy),
           std::move(related));
  }
}

}  // namespace greymet::checks
