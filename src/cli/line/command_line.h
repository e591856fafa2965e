// The command line: a row for each command, and what their options have in common. Not for use
// outside this folder.
#pragma once

#include <memory>
#include <span>
#include <string>
#include <string_view>

#include <CLI/CLI.hpp>

#include "cli/commands.h"

namespace greymet::cli {

// One command.
struct Command {
  std::string_view name;
  std::string_view about;  // one line, for help and manual page
  // Two calls, as they may be typed in a folder with the demo's files: a test does.
  std::string_view first_example;
  std::string_view second_example;
  // Adds its options and returns what runs it. The terminal outlives the action.
  Action (*declare)(CLI::App& command, const Terminal& terminal);
};

// In the order of the work.
[[nodiscard]] std::span<const Command> all_commands();
// Null where there is none.
[[nodiscard]] const Command* command_named(std::string_view name);

inline constexpr const char* plan_help = "the plan, a TOML file";
inline constexpr const char* beside_help =
    "where files are that a plan names and that do not lie beside it, as git hands over old plans";

// A format that the command knows beside text and JSON, with its explanation for the help.
struct FormatChoice {
  std::string name;
  std::string about;
};
inline const FormatChoice csv_format{"csv", "its first table, one line a row"};

void add_format(CLI::App& command, std::string& format,
                const std::vector<FormatChoice>& extra = {});
// --measured FILE
void add_measured(CLI::App& command, std::string& measured);
void add_output(CLI::App& command, std::string& out, bool& force, bool required);
void add_results(CLI::App& command, OutputOptions& output,
                 const std::vector<FormatChoice>& extra = {});

// Accepts what reads as a number, and shows one where it does not.
[[nodiscard]] CLI::Validator number_like(const std::string& example);

}  // namespace greymet::cli
