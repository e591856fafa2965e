// The command line: which command takes which options.
#include <algorithm>
#include <functional>
#include <optional>

#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include "cli/commands.h"
#include "model/nearest_name.h"

namespace greymet::cli {
namespace {

constexpr const char* plan_help = "the plan, a TOML file";

void add_format(CLI::App& command, std::string& format) {
  command.add_option("--format", format, "text or json")
      ->check(CLI::IsMember({"text", "json"}))
      ->type_name("FORMAT");
  command.add_flag_callback(
      "--json", [&format] { format = "json"; }, "the same as --format json");
}

void add_output(CLI::App& command, std::string& out, bool& force, bool required) {
  auto* option =
      command.add_option("-o,--out", out, "folder for results and figures")->type_name("DIR");
  if (required) option->required();
  command.add_flag("--force", force, "overwrite files that greymet did not write");
}

// One row a command: its name, what it is for, its options, what runs it.
class CommandLine {
 public:
  explicit CommandLine(const Terminal& terminal) : terminal_(terminal) {
    app_.require_subcommand(1);
    app_.set_version_flag("--version", "greymet " GREYMET_VERSION);
    app_.set_help_flag("-h,--help", "print this help");
    app_.footer(
        "Exit status: 0 fine; 1 findings of severity error; 2 wrong usage, or a plan that\n"
        "cannot be read; 3 a file or device could not be reached or written.");
    add_check();
    add_timing();
    add_export();
    add_demo();
  }

  int run(int argc, const char* const* argv) {
    if (const auto problem = wrong_command(argc, argv)) {
      terminal_.err << fmt::format("greymet: {}\n  try: greymet --help\n", *problem);
      return exit_usage;
    }
    try {
      app_.parse(argc, argv);
    } catch (const CLI::CallForHelp&) {
      terminal_.out << app_.help() << '\n';
      return exit_fine;
    } catch (const CLI::CallForAllHelp&) {
      terminal_.out << app_.help("", CLI::AppFormatMode::All) << '\n';
      return exit_fine;
    } catch (const CLI::CallForVersion& version) {
      terminal_.out << version.what() << '\n';
      return exit_fine;
    } catch (const CLI::ParseError& error) {
      terminal_.err << fmt::format("greymet: {}\n  try: greymet {}--help\n", error.what(),
                                   chosen_name());
      return exit_usage;
    }
    return action_();
  }

 private:
  // What is wrong with the first word, if it should be a command and is none.
  std::optional<std::string> wrong_command(int argc, const char* const* argv) {
    std::vector<std::string> names;
    for (const CLI::App* command : app_.get_subcommands({})) names.push_back(command->get_name());
    if (argc < 2) return fmt::format("a command is needed: {}", fmt::join(names, ", "));
    const std::string_view word = argv[1];
    if (word.starts_with('-') || std::find(names.begin(), names.end(), word) != names.end()) {
      return std::nullopt;
    }
    const std::vector<std::string_view> known(names.begin(), names.end());
    return fmt::format("unknown command '{}'{}", word.substr(0, 40),
                       model::did_you_mean(word, known));
  }

  std::string chosen_name() {
    const auto chosen = app_.get_subcommands();
    return chosen.empty() ? std::string() : chosen.front()->get_name() + " ";
  }

  CLI::App& add(const char* name, const char* help, std::function<int()> action) {
    CLI::App* command = app_.add_subcommand(name, help);
    command->callback([this, action = std::move(action)] { action_ = action; });
    return *command;
  }

  void add_check() {
    auto& c = add("check", "find what is wrong in a plan, where, and how to cure it",
                  [this] { return run_check(check_, terminal_); });
    c.add_option("PLAN", check_.plan, plan_help)->required();
    c.add_option("--rules", check_.rules, "families and rules to run, e.g. F,M02")
        ->type_name("LIST");
    add_format(c, check_.format);
  }
  void add_timing() {
    auto& c =
        add("timing", "time every transaction: durations, bounds, simulation, use of the lines",
            [this] { return run_timing(timing_, terminal_); });
    c.add_option("PLAN", timing_.plan, plan_help)->required();
    add_format(c, timing_.format);
    add_output(c, timing_.out, timing_.force, false);
  }
  void add_export() {
    auto& c = add("export", "write the exchange for download: exchange.json and exchange.csv",
                  [this] { return run_export(export_, terminal_); });
    c.add_option("PLAN", export_.plan, plan_help)->required();
    add_output(c, export_.out, export_.force, true);
  }
  void add_demo() {
    auto& c = add("demo", "write the demo plans and maps, and go through every step on them",
                  [this] { return run_demo(demo_, terminal_); });
    c.add_option("DIR", demo_.folder, "folder for the demo")->capture_default_str();
    c.add_flag("--force", demo_.force, "overwrite files that greymet did not write");
  }

  const Terminal& terminal_;
  CLI::App app_{"Plan, check and time the Modbus exchange between controllers and slaves",
                "greymet"};
  std::function<int()> action_;
  CheckOptions check_;
  TimingOptions timing_;
  ExportOptions export_;
  DemoOptions demo_;
};

}  // namespace

int run(int argc, const char* const* argv, const Terminal& terminal) {
  return CommandLine(terminal).run(argc, argv);
}

}  // namespace greymet::cli
