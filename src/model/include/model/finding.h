// What a check has to say: plain data, printed by others.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "model/range.h"
#include "model/rule_code.h"
#include "model/subject.h"

namespace greymet::model {

// E: will not work or is unsafe. W: will bite. N: worth knowing.
enum class Severity : std::uint8_t { note, warning, error };

// Another spot that belongs to a finding, with what is to be seen there.
struct Related {
  Range place;
  std::string text;
};

// One change of a file's text: what stands in `range` becomes `text`. The range has an end.
struct Edit {
  Range range;
  std::string text;
};

// A cure as data. `certain`: there is only one meaning; else an offer.
struct Fix {
  std::string title;
  std::vector<Edit> edits;
  bool certain = false;
};

// One finding. `message` holds the numbers that decide it, `remedy` one concrete cure, `fixes` the
// same as edits where it is one.
struct Finding {
  RuleCode rule = RuleCode::P01;
  Severity severity = Severity::error;
  Range place;
  Subject subject;
  std::string message;
  std::string remedy;
  std::vector<Related> related = {};
  // P02 and P06: the key that was meant, or is missing; tells a slip from its consequence.
  std::string about = {};
  std::vector<Fix> fixes = {};
};

using Findings = std::vector<Finding>;

[[nodiscard]] std::string_view to_string(Severity severity);
}  // namespace greymet::model
