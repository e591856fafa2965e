// The command line: which command takes which options. Not for use outside this folder.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include <CLI/CLI.hpp>

#include "cli/commands.h"

namespace greymet::cli {

inline constexpr const char* plan_help = "the plan, a TOML file";

// `extra` is a third format that the command knows beside text and JSON.
void add_format(CLI::App& command, std::string& format, const std::string& extra = {},
                const std::string& meaning = {});
void add_output(CLI::App& command, std::string& out, bool& force, bool required);
void add_results(CLI::App& command, OutputOptions& output);

// One row a command: its name, what it is for, its options, what runs it.
class CommandLine {
 public:
  explicit CommandLine(const Terminal& terminal);

  int run(int argc, const char* const* argv);

 private:
  // What is wrong with the first word, if it should be a command and is none.
  std::optional<std::string> wrong_command(int argc, const char* const* argv);

  std::string chosen_name();

  CLI::App& add(const char* name, const char* help, std::function<int()> action);

  void add_new();
  void add_check();
  void add_explain();
  void add_address();
  void add_value();
  void add_frame();
  void add_tune();
  void add_pack();
  void add_timing();
  void add_memory();
  void add_points();
  void add_serve();
  void add_run();
  void add_rehearse();
  void add_trend();
  void add_export();
  void add_report();
  void add_diff();
  void add_demo();

  // For who builds packages; not shown.
  void add_describe();
  int describe();

  const Terminal& terminal_;
  CLI::App app_{
      "Plan, check, time, rehearse and run the Modbus exchange between controllers and slaves",
      "greymet"};
  std::function<int()> action_;
  CheckOptions check_;
  ExplainOptions explain_;
  AddressOptions address_;
  ValueOptions value_;
  FrameOptions frame_;
  TimingOptions timing_;
  PackOptions pack_;
  TuneOptions tune_;
  MemoryOptions memory_;
  PointsOptions points_;
  ServeOptions serve_;
  RunOptions run_;
  RehearseOptions rehearse_;
  TrendOptions trend_;
  ExportOptions export_;
  ReportOptions report_;
  DiffOptions diff_;
  NewOptions new_;
  DemoOptions demo_;
  std::string what_;
  std::string of_;
};

}  // namespace greymet::cli
