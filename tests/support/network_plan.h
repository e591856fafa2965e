// A plan with two controllers, a gateway and slaves on TCP, for rules about networks and time.
#pragma once

#include <string>
#include <vector>

namespace greymet::test {

// Controllers `kiln` (10.20.0.10/24) and `loadout` (10.20.0.12/24, answers on 502), line `north` of
// kiln with slaves `gauge` and `pump`, line `roof` behind gateway `roof-box` with `weather`, slaves
// `air` and `steam` on TCP. Maps are those of base_files(). Append rows with network_plan(rows).
[[nodiscard]] std::string network_plan(const std::vector<std::string>& rows,
                                       const std::string& behind = {});

}  // namespace greymet::test
