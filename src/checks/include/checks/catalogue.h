// The rule catalogue: what every rule of `check` is about.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include "model/finding.h"

namespace greymet::checks {

// One entry of the catalogue. A rule may report lower severities than its own where the case is
// milder; its text says so.
//
// The examples are pieces of a plan: sections, and rows of `transactions` (each a line in braces);
// or a register map, when the first line is a header of columns.
struct RuleEntry {
  model::RuleCode code;
  model::Severity severity;
  std::string_view title;
  std::string_view why;
  std::string_view wrong;   // an example that the rule reports
  std::string_view right;   // the same without the mistake
  std::string_view remedy;  // in general; findings give the concrete one
  std::string_view clause;  // of the open standard; empty where there is none
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

// What the abbreviations of clauses stand for, as one paragraph.
[[nodiscard]] std::string_view standards_text();

// docs/rules.md, generated from the catalogue.
[[nodiscard]] std::string rules_document();

}  // namespace greymet::checks
