// The rule catalogue: what every rule of `check` is about.
#pragma once

#include <span>
#include <string_view>

#include "model/finding.h"

namespace greymet::checks {

// One line of the catalogue. A rule may report lower severities than its own where the case is
// milder; its text says so.
struct RuleEntry {
  model::RuleCode code;
  model::Severity severity;
  std::string_view title;
  std::string_view why;
  std::string_view clause;  // of the open standard; empty where there is none
};

// A family: its letter and what it is about.
struct RuleFamily {
  char letter;
  std::string_view title;
};

[[nodiscard]] std::span<const RuleEntry> catalogue();
[[nodiscard]] std::span<const RuleFamily> families();
[[nodiscard]] const RuleEntry& entry_of(model::RuleCode code);

// docs/rules.md, generated from the catalogue.
[[nodiscard]] std::string rules_document();

}  // namespace greymet::checks
