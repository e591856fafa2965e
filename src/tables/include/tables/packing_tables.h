// The tables of what pack and tune propose.
#pragma once

#include <vector>

#include "packing/pack.h"
#include "packing/tune.h"
#include "tables/table.h"

namespace greymet::tables {

// One row a request that pack proposes.
[[nodiscard]] Table requests_table(const packing::PackResult& result);

// One row a change that tune proposes, grouped by its line; numbered as --write takes them.
[[nodiscard]] Table changes_table(const std::vector<packing::TuneAdvice>& advice);

}  // namespace greymet::tables
