// The commands: options in, exit status out. Each prints to the terminal it is given, so that it
// can be tested without a process.
#pragma once

#include <string>

#include "cli/terminal.h"

namespace greymet::cli {

// greymet check PLAN
struct CheckOptions {
  std::string plan;
  std::string rules;
  std::string format = "text";
};
[[nodiscard]] int run_check(const CheckOptions& options, const Terminal& terminal);

// greymet timing PLAN
struct TimingOptions {
  std::string plan;
  std::string format = "text";
  std::string out;
  bool force = false;
};
[[nodiscard]] int run_timing(const TimingOptions& options, const Terminal& terminal);

// greymet export PLAN -o DIR
struct ExportOptions {
  std::string plan;
  std::string out;
  bool force = false;
};
[[nodiscard]] int run_export(const ExportOptions& options, const Terminal& terminal);

// greymet demo [DIR]
struct DemoOptions {
  std::string folder = "greymet-demo";
  bool force = false;
};
[[nodiscard]] int run_demo(const DemoOptions& options, const Terminal& terminal);

// Parses the arguments and runs the command they name. Never throws for what a user can do.
[[nodiscard]] int run(int argc, const char* const* argv, const Terminal& terminal);

}  // namespace greymet::cli
