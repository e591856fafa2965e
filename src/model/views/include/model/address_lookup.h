// What an address text can mean in a plan: which point, of which slave, lies there.
#pragma once

#include <string>
#include <string_view>
#include <vector>

#include "model/address_readings.h"
#include "model/resolved_plan.h"

namespace greymet::model {

// One address that a text may stand for.
struct AddressAnswer {
  std::string how;  // "reference", "decimal, counted from 1", "point of moisture"
  Address address;
  std::optional<std::uint32_t> bit;
  std::vector<std::string> points;  // "moisture.grain_moisture", "kiln %MW200"; with a plan only
  std::vector<std::string> tags =
      {};                    // of the controller's program that lie there: "kiln.moisture"
  std::string planned = {};  // the `at` that the plan would read so for the one slave: at = 4096
};

// All answers for a text, the most literal first.
struct AddressAnswers {
  std::vector<AddressAnswer> answers;
  std::vector<std::string> doubts;  // why there are several
};

// Answers for numeric texts and, with a plan, for names of points ("grain_moisture",
// "moisture.grain_moisture") and for controllers' memory ("%MW200", where it is served to peers).
// `plan` may be null. `slave`, if not empty, is the only one looked at; it must exist. A plain
// number is held against the slaves whose manual counts that way. `area`: what the function of a
// request says; other readings are left out then, unless there is no other one.
[[nodiscard]] tl::expected<AddressAnswers, AddressError> look_up_address(
    std::string_view text, const ResolvedPlan* plan, std::string_view slave,
    std::optional<Area> area = {});

}  // namespace greymet::model
