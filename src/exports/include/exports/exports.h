// Every format the exchange is exported in: one file of its own and one row in exports.cpp each.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <vector>

#include "model/finding.h"
#include "model/point_list.h"
#include "timing/report.h"

namespace greymet::exports {

// What exports are made of: a plan without errors and all that is known of it. Refers to what its
// maker keeps.
struct ExportInput {
  const model::ResolvedPlan& plan;
  const model::PointList& points;
  const std::vector<std::optional<model::Duration>>& ages;  // parallel to the rows of `points`
  const timing::TimingReport& timing;                       // analyse_longest is enough
  const model::Findings& findings;
  std::string fingerprint;
};

// A file with its place in the folder of results, "things/burner.td.json".
struct ExportedFile {
  std::string name;
  std::string content;
};

// The same input gives the same bytes. Fails only where a temporary file cannot be written.
using ExportedFiles = tl::expected<std::vector<ExportedFile>, std::string>;

// One format: a row of the registry.
struct Export {
  std::string_view name;   // "csv", as --only takes it
  std::string_view about;  // one line for help and documents
  ExportedFiles (*make)(const ExportInput& input);
};

// In the order in which they are written.
[[nodiscard]] std::span<const Export> all_exports();

}  // namespace greymet::exports
