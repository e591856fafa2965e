#include "model/finding.h"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "model/ascii_text.h"

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

Fix write_instead(Range range, std::string text, bool certain) {
  std::string title = fmt::format("write {}", text);
  return {std::move(title), {{range, std::move(text)}}, certain};
}

void add_fix(Finding& finding, Fix fix) {
  if (finding.remedy.empty()) finding.remedy = fix.title;
  const bool can_be_edited = std::all_of(fix.edits.begin(), fix.edits.end(), [](const Edit& e) {
    return e.kind == EditKind::replace ? e.range.has_end() : e.range.line > 0;
  });
  if (can_be_edited) finding.fixes.push_back(std::move(fix));
}

bool overlap(const Part& a, const Part& b) {
  return a.is_read == b.is_read && a.extent.first < b.extent.end && b.extent.first < a.extent.end;
}

void add_concern(Finding& finding, const Concern& concern) {
  const bool known =
      std::any_of(finding.concerns.begin(), finding.concerns.end(), [&](const Concern& each) {
        if (each.subject != concern.subject || each.part.has_value() != concern.part.has_value()) {
          return false;
        }
        return !each.part || (each.part->is_read == concern.part->is_read &&
                              each.part->extent == concern.part->extent);
      });
  if (!known) finding.concerns.push_back(concern);
}

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
  const auto* const at =
      std::find_if(all_names.begin(), all_names.end(),
                   [text](std::string_view name) { return equal_in_any_case(name, text); });
  if (at == all_names.end()) return std::nullopt;
  return all_codes[static_cast<std::size_t>(at - all_names.begin())];
}

}  // namespace greymet::model
