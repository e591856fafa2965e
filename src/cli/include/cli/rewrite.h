// Showing and writing changes of the plan's files.
#pragma once

#include <vector>

#include "cli/terminal.h"
#include "files/cures.h"

namespace greymet::cli {

// As unified diffs.
void print_changes(const std::vector<files::ChangedFile>& changed, const Terminal& terminal);

// Writes all of them, or none: where one cannot be written the others are put back. Returns the
// exit status.
[[nodiscard]] int write_files(const std::vector<files::ChangedFile>& changed,
                              const Terminal& terminal);

}  // namespace greymet::cli
