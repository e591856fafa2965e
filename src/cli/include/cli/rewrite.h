// Showing and writing changes of the plan's files.
#pragma once

#include <string>
#include <vector>

#include "cli/terminal.h"
#include "files/rewrite_files.h"

namespace greymet::cli {

// As unified diffs.
void print_changes(const std::vector<files::ChangedFile>& changed, const Terminal& terminal);

// Writes all of them, or none, all within the plan's folder. Returns the exit status.
[[nodiscard]] int write_files(const std::string& plan,
                              const std::vector<files::ChangedFile>& changed,
                              const Terminal& terminal);

// Puts back what an interrupted run left half written in the plan's folder, and says so.
void mend(const std::string& plan, const Terminal& terminal);

}  // namespace greymet::cli
