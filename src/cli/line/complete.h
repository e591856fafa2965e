// What the shell may put behind what has been typed. Not for use outside this folder.
#pragma once

#include <string>
#include <vector>

#include <CLI/CLI.hpp>

namespace greymet::cli {

// `words`: behind "greymet", the last one begun and perhaps empty. Commands, options, values of
// options, rules, words, and names of the plan that has been named; what is left to the shell, such
// as names of files, is not among them. Reads the plan; says nothing, whatever is wrong with it.
[[nodiscard]] std::vector<std::string> completions(const CLI::App& app,
                                                   const std::vector<std::string>& words);

}  // namespace greymet::cli
