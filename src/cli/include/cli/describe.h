// What the command line says of itself: manual pages and completions, made of the very options.
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace CLI {  // NOLINT(readability-identifier-naming): the library's
class App;
}

namespace greymet::cli {

// "greymet 0.2.0 (commit 1a2b3c4)"
[[nodiscard]] std::string version_text();

// A page of section 1 (man 7 man): of the program, or of one of its commands.
[[nodiscard]] std::string man_page(const CLI::App& app, const CLI::App* command);
// Completion of commands, options and files, for bash.
[[nodiscard]] std::string bash_completion();

}  // namespace greymet::cli
