#include "model/finding.h"

#include <algorithm>
#include <array>

namespace greymet::model {
namespace {

constexpr std::array all_codes{
#define GREYMET_RULE_VALUE(code) RuleCode::code,
    GREYMET_RULE_CODES(GREYMET_RULE_VALUE)
#undef GREYMET_RULE_VALUE
};

constexpr std::array<std::string_view, all_codes.size()> all_names{
#define GREYMET_RULE_TEXT(code) #code,
    GREYMET_RULE_CODES(GREYMET_RULE_TEXT)
#undef GREYMET_RULE_TEXT
};

}  // namespace

std::string_view to_string(Severity severity) {
  switch (severity) {
    case Severity::note: return "note";
    case Severity::warning: return "warning";
    case Severity::error: return "error";
  }
  return {};
}

std::string_view to_string(RuleCode code) {
  return all_names[static_cast<std::size_t>(code)];
}

std::span<const RuleCode> all_rule_codes() {
  return all_codes;
}

std::optional<RuleCode> rule_code_from(std::string_view text) {
  const auto* const at = std::find(all_names.begin(), all_names.end(), text);
  if (at == all_names.end()) return std::nullopt;
  return all_codes[static_cast<std::size_t>(at - all_names.begin())];
}

}  // namespace greymet::model
