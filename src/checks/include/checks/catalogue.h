// The rule catalogue: what every rule of `check` is about.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <initializer_list>
#include <span>
#include <string>
#include <string_view>

#include "model/finding.h"

namespace greymet::checks {

struct RuleInput;

// Appends what it finds. One function may look for several rules; none depends on another's.
using RuleFunction = void (*)(const RuleInput& in, model::Findings& out);

// What a rule looks at: the plan alone, or its timing as well (bounds, and the simulation with
// longest durations), which is only computed for rules that were asked for; or what others say when
// something that is assumed were otherwise.
enum class Needs : std::uint8_t { plan, timing, assumptions };

// A few rules, in a row of the table.
struct RuleCodes {
  constexpr RuleCodes() = default;
  constexpr RuleCodes(std::initializer_list<model::RuleCode> list) : count(list.size()) {
    std::copy(list.begin(), list.end(), codes.begin());
  }
  [[nodiscard]] constexpr const model::RuleCode* begin() const { return codes.data(); }
  [[nodiscard]] constexpr const model::RuleCode* end() const { return codes.data() + count; }

  std::array<model::RuleCode, 12> codes{};
  std::size_t count = 0;
};

// One entry of the catalogue: all there is to know of a rule. Order, selections, silences, timing,
// `explain` and docs/rules.md are made from it. A rule may report lower severities than its own
// where the case is milder; its text says so.
//
// The examples are pieces of a plan: sections, and rows of `transactions` (each a line in braces);
// or a register map, when the first line is a header of columns; then a piece of a plan may stand
// behind an empty line. Behind a piece of a plan it is a table of tags.
struct RuleEntry {
  model::RuleCode code;
  model::Severity severity;
  std::string_view title;
  std::string_view why;
  std::string_view wrong;           // an example that the rule reports
  std::string_view right;           // the same without the mistake
  std::string_view remedy;          // in general; findings give the concrete one
  std::string_view clause;          // of the open standard; empty where there is none
  RuleFunction function = nullptr;  // that looks for it; null: found while the plan is read
  Needs needs = Needs::plan;
  RuleCodes silenced_by = {};  // causes: on the same subject this would only repeat them
};

// A family: its letter and what it is about.
struct RuleFamily {
  char letter;
  std::string_view title;
};

// All entries, family by family, in the order of their codes. Lives as long as the program.
[[nodiscard]] std::span<const RuleEntry> catalogue();
[[nodiscard]] std::span<const RuleFamily> families();
[[nodiscard]] const RuleEntry& entry_of(model::RuleCode code);
[[nodiscard]] const RuleFamily& family_of(model::RuleCode code);

// Before such a finding is cured, rules about the exact range of the request say nothing of it
// (F01, F02, F03, F06): what they find then was there before.
[[nodiscard]] bool hides_its_range(model::RuleCode code);

// What the abbreviations of clauses stand for, as one paragraph.
[[nodiscard]] std::string_view standards_text();

// docs/rules.md, generated from the catalogue.
[[nodiscard]] std::string rules_document();

}  // namespace greymet::checks
