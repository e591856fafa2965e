#include "model/finding.h"

#include <array>

namespace greymet::model {
namespace {

constexpr std::array all_codes{
    RuleCode::P01, RuleCode::P02, RuleCode::P03, RuleCode::P04, RuleCode::P05, RuleCode::P06,
    RuleCode::P07, RuleCode::P08, RuleCode::P09, RuleCode::S01, RuleCode::S02, RuleCode::S03,
    RuleCode::S04, RuleCode::S05, RuleCode::S06, RuleCode::S07, RuleCode::S08, RuleCode::S09,
    RuleCode::F01, RuleCode::F02, RuleCode::F03, RuleCode::F04, RuleCode::F05, RuleCode::F06,
    RuleCode::F07, RuleCode::F08, RuleCode::F09, RuleCode::F10, RuleCode::F11, RuleCode::F12,
    RuleCode::F13, RuleCode::F14, RuleCode::M01, RuleCode::M02, RuleCode::M03, RuleCode::M04,
    RuleCode::M05, RuleCode::M06, RuleCode::M07, RuleCode::M08, RuleCode::M09, RuleCode::M10,
    RuleCode::D03,
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
  switch (code) {
    case RuleCode::P01: return "P01";
    case RuleCode::P02: return "P02";
    case RuleCode::P03: return "P03";
    case RuleCode::P04: return "P04";
    case RuleCode::P05: return "P05";
    case RuleCode::P06: return "P06";
    case RuleCode::P07: return "P07";
    case RuleCode::P08: return "P08";
    case RuleCode::P09: return "P09";
    case RuleCode::S01: return "S01";
    case RuleCode::S02: return "S02";
    case RuleCode::S03: return "S03";
    case RuleCode::S04: return "S04";
    case RuleCode::S05: return "S05";
    case RuleCode::S06: return "S06";
    case RuleCode::S07: return "S07";
    case RuleCode::S08: return "S08";
    case RuleCode::S09: return "S09";
    case RuleCode::F01: return "F01";
    case RuleCode::F02: return "F02";
    case RuleCode::F03: return "F03";
    case RuleCode::F04: return "F04";
    case RuleCode::F05: return "F05";
    case RuleCode::F06: return "F06";
    case RuleCode::F07: return "F07";
    case RuleCode::F08: return "F08";
    case RuleCode::F09: return "F09";
    case RuleCode::F10: return "F10";
    case RuleCode::F11: return "F11";
    case RuleCode::F12: return "F12";
    case RuleCode::F13: return "F13";
    case RuleCode::F14: return "F14";
    case RuleCode::M01: return "M01";
    case RuleCode::M02: return "M02";
    case RuleCode::M03: return "M03";
    case RuleCode::M04: return "M04";
    case RuleCode::M05: return "M05";
    case RuleCode::M06: return "M06";
    case RuleCode::M07: return "M07";
    case RuleCode::M08: return "M08";
    case RuleCode::M09: return "M09";
    case RuleCode::M10: return "M10";
    case RuleCode::D03: return "D03";
  }
  return {};
}

std::optional<RuleCode> rule_code_from(std::string_view text) {
  for (RuleCode code : all_codes) {
    if (to_string(code) == text) return code;
  }
  return std::nullopt;
}

}  // namespace greymet::model
