#include "model/finding.h"

#include <array>

namespace greymet::model {
namespace {

constexpr std::array all_codes{
    RuleCode::P01, RuleCode::P02, RuleCode::P03, RuleCode::P04, RuleCode::P05, RuleCode::P06,
    RuleCode::P07, RuleCode::P08, RuleCode::P09, RuleCode::S01, RuleCode::S02, RuleCode::S03,
    RuleCode::S04, RuleCode::S05, RuleCode::S06, RuleCode::S07, RuleCode::S08, RuleCode::S09,
    RuleCode::N01, RuleCode::N02, RuleCode::N03, RuleCode::N04, RuleCode::N05, RuleCode::N06,
    RuleCode::N07, RuleCode::N08, RuleCode::N09, RuleCode::N10, RuleCode::N11, RuleCode::F01,
    RuleCode::F02, RuleCode::F03, RuleCode::F04, RuleCode::F05, RuleCode::F06, RuleCode::F07,
    RuleCode::F08, RuleCode::F09, RuleCode::F10, RuleCode::F11, RuleCode::F12, RuleCode::F13,
    RuleCode::F14, RuleCode::M01, RuleCode::M02, RuleCode::M03, RuleCode::M04, RuleCode::M05,
    RuleCode::M06, RuleCode::M07, RuleCode::M08, RuleCode::M09, RuleCode::M10, RuleCode::T01,
    RuleCode::T02, RuleCode::T03, RuleCode::T04, RuleCode::T05, RuleCode::T06, RuleCode::T07,
    RuleCode::T08, RuleCode::T09, RuleCode::T10, RuleCode::H01, RuleCode::H02, RuleCode::H03,
    RuleCode::H04, RuleCode::H05, RuleCode::H06, RuleCode::H07, RuleCode::H08, RuleCode::H09,
    RuleCode::D01, RuleCode::D02, RuleCode::D03, RuleCode::D04, RuleCode::D05, RuleCode::D06,
    RuleCode::C01, RuleCode::C02, RuleCode::C03,
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
    case RuleCode::N01: return "N01";
    case RuleCode::N02: return "N02";
    case RuleCode::N03: return "N03";
    case RuleCode::N04: return "N04";
    case RuleCode::N05: return "N05";
    case RuleCode::N06: return "N06";
    case RuleCode::N07: return "N07";
    case RuleCode::N08: return "N08";
    case RuleCode::N09: return "N09";
    case RuleCode::N10: return "N10";
    case RuleCode::N11: return "N11";
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
    case RuleCode::T01: return "T01";
    case RuleCode::T02: return "T02";
    case RuleCode::T03: return "T03";
    case RuleCode::T04: return "T04";
    case RuleCode::T05: return "T05";
    case RuleCode::T06: return "T06";
    case RuleCode::T07: return "T07";
    case RuleCode::T08: return "T08";
    case RuleCode::T09: return "T09";
    case RuleCode::T10: return "T10";
    case RuleCode::H01: return "H01";
    case RuleCode::H02: return "H02";
    case RuleCode::H03: return "H03";
    case RuleCode::H04: return "H04";
    case RuleCode::H05: return "H05";
    case RuleCode::H06: return "H06";
    case RuleCode::H07: return "H07";
    case RuleCode::H08: return "H08";
    case RuleCode::H09: return "H09";
    case RuleCode::D01: return "D01";
    case RuleCode::D02: return "D02";
    case RuleCode::D03: return "D03";
    case RuleCode::D04: return "D04";
    case RuleCode::D05: return "D05";
    case RuleCode::D06: return "D06";
    case RuleCode::C01: return "C01";
    case RuleCode::C02: return "C02";
    case RuleCode::C03: return "C03";
  }
  return {};
}

std::span<const RuleCode> all_rule_codes() {
  return all_codes;
}

std::optional<RuleCode> rule_code_from(std::string_view text) {
  for (RuleCode code : all_codes) {
    if (to_string(code) == text) return code;
  }
  return std::nullopt;
}

}  // namespace greymet::model
