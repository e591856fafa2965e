// What a check has to say: plain data, printed by others.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "model/place.h"

namespace greymet::model {

// E: will not work or is unsafe. W: will bite. N: worth knowing.
enum class Severity : std::uint8_t { note, warning, error };

// Every rule of the catalogue. Codes never change meaning and are never used again.
enum class RuleCode : std::uint8_t {
  // the plan file
  P01,
  P02,
  P03,
  P04,
  P05,
  P06,
  P07,
  P08,
  P09,
  // settings of serial lines
  S01,
  S02,
  S03,
  S04,
  S05,
  S06,
  S07,
  S08,
  S09,
  // network and identity
  N01,
  N02,
  N03,
  N04,
  N05,
  N06,
  N07,
  N08,
  N09,
  N10,
  N11,
  // function codes and addresses
  F01,
  F02,
  F03,
  F04,
  F05,
  F06,
  F07,
  F08,
  F09,
  F10,
  F11,
  F12,
  F13,
  F14,
  // memory and overlaps
  M01,
  M02,
  M03,
  M04,
  M05,
  M06,
  M07,
  M08,
  M09,
  M10,
  // time
  T01,
  T02,
  T03,
  T04,
  T05,
  T06,
  T07,
  T08,
  T09,
  T10,
  // heartbeats and supervision
  H01,
  H02,
  H03,
  H04,
  H05,
  H06,
  H07,
  H08,
  H09,
  // data
  D01,
  D02,
  D03,
  D04,
  D05,
  D06,
  // what the controller can do
  C01,
  C02,
  C03,
};

// Another spot that belongs to a finding, with what is to be seen there.
struct Related {
  Place place;
  std::string text;
};

// One finding. `message` holds the numbers that decide it, `remedy` one concrete cure.
// `subject` names what it is about: "transaction moisture-in", "slave air", "line north".
struct Finding {
  RuleCode rule = RuleCode::P01;
  Severity severity = Severity::error;
  Place place;
  std::string subject;
  std::string message;
  std::string remedy;
  std::vector<Related> related = {};
  // P02 and P06: the key that was meant, or is missing; tells a slip from its consequence.
  std::string about = {};
};

using Findings = std::vector<Finding>;

[[nodiscard]] std::string_view to_string(Severity severity);
// "F02"
[[nodiscard]] std::string_view to_string(RuleCode code);
// Every code, in the order of the catalogue.
[[nodiscard]] std::span<const RuleCode> all_rule_codes();
// The rule of that code, if there is one.
[[nodiscard]] std::optional<RuleCode> rule_code_from(std::string_view text);

}  // namespace greymet::model
