#include "checks/check.h"

#include <algorithm>
#include <array>
#include <unordered_set>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "checks/rules.h"

namespace greymet::checks {

using model::Finding;
using model::Findings;
using model::RuleCode;
using model::Severity;

namespace {

constexpr std::array silenced_by_wrong_quantity{
    RuleCode::F09, RuleCode::F10, RuleCode::F11, RuleCode::F12,
    RuleCode::M01, RuleCode::M02, RuleCode::M03, RuleCode::M06,
};

bool contains(const auto& codes, RuleCode code) {
  return std::find(codes.begin(), codes.end(), code) != codes.end();
}

// One cause, one finding: what only follows from another finding on the same subject is dropped.
void silence_consequences(Findings& findings) {
  std::unordered_set<std::string> wrong_quantity;
  std::unordered_set<std::string> wrong_area;
  for (const Finding& f : findings) {
    if (f.rule == RuleCode::F02 || f.rule == RuleCode::F06) wrong_quantity.insert(f.subject);
    if (f.rule == RuleCode::F01) wrong_area.insert(f.subject);
  }
  std::erase_if(findings, [&](const Finding& f) {
    if (f.rule == RuleCode::F04 && wrong_area.contains(f.subject)) return true;
    return contains(silenced_by_wrong_quantity, f.rule) && wrong_quantity.contains(f.subject);
  });
}

// Leaves out what the plan accepts, and reports acceptances without an object.
void apply_accepts(const model::Plan& plan, const RuleSelection& selection, Findings& findings) {
  Findings unused;
  for (const model::Accept& accept : plan.accepts) {
    if (!accept.rule || !accept.at) continue;
    const auto code = model::rule_code_from(accept.rule->value);
    if (!code) continue;  // a rule of a family that is not checked: nothing to say about it
    const auto removed = std::erase_if(findings, [&](const Finding& f) {
      return f.rule == *code && f.subject == accept.at->value;
    });
    if (removed > 0 || !selection.includes(*code)) continue;
    unused.push_back(
        {.rule = RuleCode::P09,
         .severity = Severity::warning,
         .place = accept.place,
         .subject = accept.at->value,
         .message = fmt::format("this accept silences nothing: {} does not speak about "
                                "'{}'",
                                accept.rule->value, accept.at->value.substr(0, 60)),
         .remedy = "remove it, or correct its `rule` or `at`"});
  }
  findings.insert(findings.end(), unused.begin(), unused.end());
}

}  // namespace

bool RuleSelection::includes(RuleCode code) const {
  const std::string_view name = to_string(code);
  return picked.empty() || std::any_of(picked.begin(), picked.end(), [name](const std::string& p) {
           return name == p || (p.size() == 1 && p.front() == name.front());
         });
}

tl::expected<RuleSelection, std::string> parse_rule_selection(std::string_view text) {
  RuleSelection selection;
  std::size_t from = 0;
  while (from <= text.size()) {
    const std::size_t comma = std::min(text.find(',', from), text.size());
    const std::string_view item = text.substr(from, comma - from);
    const auto all = families();
    const bool family =
        item.size() == 1 && std::any_of(all.begin(), all.end(),
                                        [item](const auto& f) { return f.letter == item.front(); });
    if (!family && !model::rule_code_from(item)) {
      return tl::unexpected(fmt::format(
          "'{}' is neither a family nor a rule; write e.g. --rules F,M02", item.substr(0, 40)));
    }
    selection.picked.emplace_back(item);
    from = comma + 1;
  }
  return selection;
}

Findings check(const model::ResolvedPlan& resolved, Findings found,
               const RuleSelection& selection) {
  RuleInput in{resolved, std::vector<bool>(resolved.transactions.size(), false)};
  check_functions(in, found);
  check_settings(in, found);
  check_addresses(in, found);
  check_memory(in, found);
  check_device_memory(in, found);
  check_packing(in, found);
  silence_consequences(found);
  apply_accepts(resolved.plan, selection, found);
  std::erase_if(found, [&](const Finding& f) { return !selection.includes(f.rule); });
  std::stable_sort(found.begin(), found.end(), [](const Finding& a, const Finding& b) {
    return a.place != b.place ? a.place < b.place : a.rule < b.rule;
  });
  return found;
}

Tally tally_of(const Findings& findings) {
  Tally tally;
  for (const Finding& f : findings) {
    switch (f.severity) {
      case Severity::error: ++tally.errors; break;
      case Severity::warning: ++tally.warnings; break;
      case Severity::note: ++tally.notes; break;
    }
  }
  return tally;
}

}  // namespace greymet::checks
