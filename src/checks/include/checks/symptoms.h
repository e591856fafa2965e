// What is seen at the cabinet, what it usually means in such a plan, and what to look at first.
#pragma once

#include <span>
#include <string>
#include <string_view>

namespace greymet::checks {

// One thing to look at, with the command that shows it where there is one.
struct Look {
  std::string_view at;
  std::string_view command;  // empty where no command shows it
};

// A symptom: an exception code, or what a value or slave does.
struct Symptom {
  std::string_view name;   // "02", "zeros": what `explain` takes
  std::string_view title;  // "exception 02: illegal data address"
  std::string_view meaning;
  std::span<const Look> looks;  // in this order
  std::string_view also = {};   // further words in which people tell it
};

// Exceptions first, by their codes. Lives as long as the program.
[[nodiscard]] std::span<const Symptom> symptoms();
// docs/symptoms.md: all of them, in Markdown.
[[nodiscard]] std::string symptoms_document();
// The symptom of that name, in any case, "2", "exception 2" and "off by one" included; null if
// there is none.
[[nodiscard]] const Symptom* symptom_named(std::string_view name);

}  // namespace greymet::checks
