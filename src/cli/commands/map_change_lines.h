// Differences of maps for people. Not for use outside this folder.
#pragma once

#include <string>
#include <vector>

#include "cli/print.h"
#include "tables/map_tables.h"

namespace greymet::cli {

// With who uses each point at the slaves that have this map; of slaves that are written once the
// row is named.
[[nodiscard]] std::vector<tables::MapChangeRow> with_users(
    const std::vector<model::MapChange>& changes, const model::ResolvedPlan& plan, std::size_t map);

// "moved    power: address hr:12 -> hr:14 (transaction meter-in)", line by line.
[[nodiscard]] std::string map_change_lines(const std::vector<tables::MapChangeRow>& rows,
                                           const Terminal& terminal);

}  // namespace greymet::cli
