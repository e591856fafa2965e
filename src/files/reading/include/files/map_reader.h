// Register map: CSV -> points. The columns are described in docs/register-maps.md.
#pragma once

#include <string>

#include "files/csv_reader.h"
#include "model/finding.h"
#include "model/register_map.h"

namespace greymet::files {

// Reads a map whose addresses count as `numbering` says. Bad rows are reported as P07 with their
// row number and left out. `file` is the index that places get, `name` the name to show.
[[nodiscard]] model::RegisterMap read_map(const std::string& text, const std::string& name,
                                          std::uint32_t file, model::Numbering numbering,
                                          const model::Subject& subject, model::Findings& findings);

}  // namespace greymet::files
