// The codes of the rules.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string_view>

namespace greymet::model {

// Every rule, family by family: the one list that enumeration, texts and order are made from. Codes
// never change meaning and are never used again. What a rule is about stands in checks/catalogue.h.
// clang-format off
#define GREYMET_RULE_CODES(X) \
  X(P01) X(P02) X(P03) X(P04) X(P05) X(P06) X(P07) X(P08) X(P09) X(P10) X(P11) \
  X(S01) X(S02) X(S03) X(S04) X(S05) X(S06) X(S07) X(S08) X(S09) X(S10) \
  X(N01) X(N02) X(N03) X(N04) X(N05) X(N06) X(N07) X(N08) X(N09) X(N10) X(N11) X(N12) X(N13) \
  X(F01) X(F02) X(F03) X(F04) X(F05) X(F06) X(F07) X(F08) X(F09) X(F10) X(F11) X(F12) \
  X(F13) X(F14) X(F15) X(F16) X(F17) X(F18) \
  X(M01) X(M02) X(M03) X(M04) X(M05) X(M06) X(M07) X(M08) X(M09) X(M10) \
  X(M11) X(M12) X(M13) X(M14) X(M15) \
  X(T01) X(T02) X(T03) X(T04) X(T05) X(T06) X(T07) X(T08) X(T09) X(T10) \
  X(T11) X(T12) X(T13) X(T14) \
  X(H01) X(H02) X(H03) X(H04) X(H05) X(H06) X(H07) X(H08) X(H09) X(H10) X(H11) X(H12) X(H13) X(H14) \
  X(D01) X(D02) X(D03) X(D04) X(D05) X(D06) X(D07) X(D08) X(D09) X(D10) X(D11) \
  X(C01) X(C02) X(C03) \
  X(R01) X(R02) X(R03) X(R04) X(R05) X(R06) X(R07) X(R08) X(R09) \
  X(V01) X(V02) X(V03) X(V04) X(V05) X(V06) X(V07) X(V08) X(V09) \
  X(A01) X(A02) X(A03) X(A04) X(A05)
// clang-format on

// In the order of the catalogue.
enum class RuleCode : std::uint8_t {
#define GREYMET_RULE_NAME(code) code,
  GREYMET_RULE_CODES(GREYMET_RULE_NAME)
#undef GREYMET_RULE_NAME
};

// "F02"
[[nodiscard]] std::string_view to_string(RuleCode code);
// Every code, in the order of the catalogue.
[[nodiscard]] std::span<const RuleCode> all_rule_codes();
// The rule of that code, in any case of its letter, if there is one.
[[nodiscard]] std::optional<RuleCode> rule_code_from(std::string_view text);

}  // namespace greymet::model
