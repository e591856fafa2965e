#include "checks/check.h"

#include <algorithm>
#include <unordered_map>
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

bool contains(const std::vector<RuleCode>& codes, RuleCode code) {
  return std::find(codes.begin(), codes.end(), code) != codes.end();
}

// What only follows from a finding on the same subject: the cause, and its consequences.
struct Consequence {
  std::vector<RuleCode> causes;
  std::vector<RuleCode> silenced;
};

const std::vector<Consequence>& consequences() {
  using enum RuleCode;
  static const std::vector<Consequence> table{
      {{F02, F06}, {F09, F10, F11, F12, M01, M02, M03, M06}},
      {{F01}, {F04}},
      {{F04}, {F09, F10, F11, F12, F13}},  // the area followed from the wrong function
      {{D04}, {F12}},
      {{F10, F13}, {M08}},                 // the values lie elsewhere once the block is right
      {{S04}, {M01, M02, M03, M06, M07}},  // memory of the wrong controller
  };
  return table;
}

// One cause, one finding.
void silence_consequences(Findings& findings) {
  std::unordered_map<std::string, std::vector<RuleCode>> causes;
  std::unordered_set<std::string> misspelt;  // subject and key
  for (const Finding& f : findings) {
    causes[f.subject].push_back(f.rule);
    if (f.rule == RuleCode::P02) misspelt.insert(f.subject + '\n' + f.about);
  }
  std::erase_if(findings, [&](const Finding& f) {
    if (f.rule == RuleCode::P06) return misspelt.contains(f.subject + '\n' + f.about);
    const auto& own = causes[f.subject];
    return std::any_of(consequences().begin(), consequences().end(), [&](const Consequence& c) {
      return contains(c.silenced, f.rule) &&
             std::any_of(own.begin(), own.end(),
                         [&](RuleCode rule) { return contains(c.causes, rule); });
    });
  });
}

// Leaves out what the plan accepts, and reports acceptances without an object.
void apply_accepts(const model::Plan& plan, const RuleSelection& selection, Findings& findings) {
  Findings unused;
  for (const model::Accept& accept : plan.accepts) {
    if (!accept.rule || !accept.at) continue;
    const auto code = model::rule_code_from(accept.rule->value);
    if (!code) continue;  // P05 has said so
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

// The simulation is only run for rules that use it.
bool needs_timing(const RuleSelection& selection) {
  const auto codes = model::all_rule_codes();
  return std::any_of(codes.begin(), codes.end(), [&](RuleCode code) {
    const char family = to_string(code).front();
    const bool timed = family == 'T' || family == 'H' || code == RuleCode::N05 ||
                       code == RuleCode::N06 || code == RuleCode::N11;
    return timed && selection.includes(code);
  });
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
  check_network(in, found);
  check_addresses(in, found);
  check_memory(in, found);
  check_device_memory(in, found);
  check_packing(in, found);
  check_on_loss(in, found);
  check_data(in, found);
  check_capabilities(in, found);
  if (needs_timing(selection)) {
    const timing::TimingReport timing = timing::analyse_longest(resolved);
    check_connections(in, timing, found);
    check_times(in, timing, found);
    check_stalls(in, timing, found);
    if (selection.includes(RuleCode::T06)) check_phases(in, timing, found);
    check_heartbeats(in, timing, found);
    check_watchdogs(in, timing, found);
  }
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
