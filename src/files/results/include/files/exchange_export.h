// The exchange for download: JSON with a fingerprint, and CSV. Formats: docs/exports.md.
#pragma once

#include <string>

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::files {

// "sha256:..." over the canonical form of the exchange: see docs/exports.md.
[[nodiscard]] std::string fingerprint_of(const model::ResolvedPlan& resolved);
// exchange.json. The plan must have no errors; parts that could not be resolved would be left out.
[[nodiscard]] std::string exchange_json(const model::ResolvedPlan& resolved);
// exchange.csv: one row a transaction, in list order.
[[nodiscard]] std::string exchange_csv(const model::ResolvedPlan& resolved);

}  // namespace greymet::files
