// The catalogue's parts, one a family. Not for use outside this folder.
#pragma once

#include <span>

#include "checks/catalogue.h"
#include "words.h"

namespace greymet::checks::internal {

[[nodiscard]] std::span<const RuleEntry> plan_entries();          // P
[[nodiscard]] std::span<const RuleEntry> settings_entries();      // S
[[nodiscard]] std::span<const RuleEntry> network_entries();       // N
[[nodiscard]] std::span<const RuleEntry> functions_entries();     // F
[[nodiscard]] std::span<const RuleEntry> memory_entries();        // M
[[nodiscard]] std::span<const RuleEntry> time_entries();          // T
[[nodiscard]] std::span<const RuleEntry> heartbeats_entries();    // H
[[nodiscard]] std::span<const RuleEntry> data_entries();          // D
[[nodiscard]] std::span<const RuleEntry> capabilities_entries();  // C
[[nodiscard]] std::span<const RuleEntry> maps_entries();          // R
[[nodiscard]] std::span<const RuleEntry> tags_entries();          // V
[[nodiscard]] std::span<const RuleEntry> assumption_entries();    // A

}  // namespace greymet::checks::internal
