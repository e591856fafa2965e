// The table of a controller's variables: CSV -> tags. The columns are described in
// docs/both-ends.md.
#pragma once

#include <string>

#include "files/csv_reader.h"
#include "model/finding.h"
#include "model/tag.h"

namespace greymet::files {

// Reads a table of tags. Bad rows are reported as P07 with their row number and left out. `file` is
// the index that places get, `name` the name to show.
[[nodiscard]] model::TagTable read_tags(const std::string& text, const std::string& name,
                                        std::uint32_t file, const model::Subject& subject,
                                        model::Findings& findings);

}  // namespace greymet::files
