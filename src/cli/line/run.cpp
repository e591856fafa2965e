#include <algorithm>
#include <optional>
#include <vector>

#include <fmt/format.h>

#include "cli/describe.h"
#include "cli/folding_stream.h"
#include "command_line.h"
#include "complete.h"
#include "model/nearest_name.h"

namespace greymet::cli {
namespace {

constexpr const char* exit_statuses =
    "Exit status: 0 fine; 1 findings of severity error, differences, or a rehearsal or run that\n"
    "failed; 2 wrong usage, or a plan that cannot be read; 3 a file, device or port could not be\n"
    "reached or written.";

// Parses the arguments and runs what they name.
class CommandLine {
 public:
  explicit CommandLine(const Terminal& terminal);

  int run(int argc, const char* const* argv);

 private:
  // What is wrong with the first word, if it should be a command and is none.
  std::optional<std::string> wrong_command(int argc, const char* const* argv);
  std::string chosen_name();
  bool speaks_to_programs();

  // For who builds packages; not shown.
  void add_describe();
  int describe();

  const Terminal& terminal_;
  CLI::App app_{
      "Plan, check, time, rehearse and run the Modbus exchange between controllers and slaves",
      "greymet"};
  Action action_;
  std::string what_;
  std::vector<std::string> words_;
};

}  // namespace

void add_format(CLI::App& command, std::string& format, const std::vector<FormatChoice>& extra) {
  std::vector<std::string> known{"text", "json"};
  std::string help = "text or json";
  if (!extra.empty()) {
    help = "text, json";
    for (std::size_t i = 0; i < extra.size(); ++i) {
      known.push_back(extra[i].name);
      help += fmt::format("{}{} ({})", i + 1 < extra.size() ? ", " : " or ", extra[i].name,
                          extra[i].about);
    }
  }
  command.add_option("--format", format, help)->check(CLI::IsMember(known))->type_name("FORMAT");
  command.add_flag_callback(
      "--json", [&format] { format = "json"; }, "the same as --format json");
}

void add_measured(CLI::App& command, std::string& measured) {
  command
      .add_option("--measured", measured,
                  "what `run` or `rehearse` measured (its folder or JSON): counts in place of what "
                  "the plan states of reply times, or leaves out")
      ->type_name("FILE");
}

void add_output(CLI::App& command, std::string& out, bool& force, bool required) {
  auto* option =
      command.add_option("-o,--out", out, "folder for results and figures")->type_name("DIR");
  if (required) option->required();
  command.add_flag("--force", force, "overwrite files that greymet did not write");
}

void add_results(CLI::App& command, OutputOptions& output, const std::vector<FormatChoice>& extra) {
  add_format(command, output.format, extra);
  add_output(command, output.out, output.force, false);
}

CommandLine::CommandLine(const Terminal& terminal) : terminal_(terminal) {
  app_.require_subcommand(1);
  app_.set_version_flag("--version", version_text());
  app_.set_help_flag("-h,--help", "print this help");
  app_.footer(exit_statuses);
  for (const Command& command : all_commands()) {
    CLI::App& options = *app_.add_subcommand(std::string(command.name), std::string(command.about));
    options.footer(fmt::format("Examples:\n  {}\n  {}\n\n{}", command.first_example,
                               command.second_example, exit_statuses));
    options.callback([this, action = command.declare(options, terminal_)] { action_ = action; });
  }
  add_describe();
}

int CommandLine::run(int argc, const char* const* argv) {
  // "help check" as "check --help"
  std::vector<const char*> asked;
  if (argc >= 2 && std::string_view(argv[1]) == "help") {
    asked = {argv[0]};
    if (argc > 2) asked.push_back(argv[2]);
    asked.push_back("--help");
    argc = static_cast<int>(asked.size());
    argv = asked.data();
  }
  if (const auto problem = wrong_command(argc, argv)) {
    terminal_.err << fmt::format("greymet: {}; see greymet --help\n", *problem);
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
    terminal_.err << fmt::format("greymet: {}; see greymet {}--help\n", error.what(),
                                 chosen_name());
    return exit_usage;
  }
  if (speaks_to_programs()) write_unfolded(terminal_.out);
  return action_();
}

// What goes to standard output is a document that programs read.
bool CommandLine::speaks_to_programs() {
  for (const CLI::App* chosen : app_.get_subcommands()) {
    if (chosen->get_name() == "describe") return true;
    for (const CLI::Option* option : chosen->get_options()) {
      const bool named = option->check_lname("json") ||
                         (chosen->get_name() == "points" && option->check_lname("tags"));
      const bool other = option->check_lname("format") && option->count() > 0 &&
                         option->as<std::string>() != "text";
      if ((named && option->count() > 0) || other) return true;
    }
  }
  return false;
}

std::optional<std::string> CommandLine::wrong_command(int argc, const char* const* argv) {
  std::vector<std::string> names;
  std::vector<std::string> shown_names;
  for (const CLI::App* command : app_.get_subcommands({})) {
    names.push_back(command->get_name());
    if (!command->get_group().empty()) shown_names.push_back(command->get_name());
  }
  if (argc < 2) return fmt::format("a command is needed: {}", fmt::join(shown_names, ", "));
  const std::string_view word = argv[1];
  if (word == "-v" || word == "-V")
    return fmt::format("there is no option {}; write --version", word);
  if (word.starts_with('-') || std::find(names.begin(), names.end(), word) != names.end()) {
    return std::nullopt;
  }
  const std::vector<std::string_view> known(shown_names.begin(), shown_names.end());
  return fmt::format("unknown command '{}'{}", word.substr(0, 40),
                     model::did_you_mean(word, known));
}

std::string CommandLine::chosen_name() {
  const auto chosen = app_.get_subcommands();
  return chosen.empty() ? std::string() : chosen.front()->get_name() + " ";
}

void CommandLine::add_describe() {
  CLI::App& options = *app_.add_subcommand("describe", "print manual pages and completions");
  options.group("");
  options.add_option("WHAT", what_, "man, bash, commands, or complete")
      ->required()
      ->check(CLI::IsMember({"man", "bash", "commands", "complete"}));
  options
      .add_option("WORDS", words_,
                  "the command of a manual page, the program if left out; to complete: -- and what "
                  "has been typed")
      ->expected(-1);
  options.callback([this] { action_ = [this] { return describe(); }; });
}

int CommandLine::describe() {
  if (what_ == "bash") {
    terminal_.out << bash_completion();
    return exit_fine;
  }
  if (what_ == "commands") {
    for (const Command& command : all_commands()) terminal_.out << command.name << '\n';
    return exit_fine;
  }
  if (what_ == "complete") {
    for (const std::string& each : completions(app_, words_)) terminal_.out << each << '\n';
    return exit_fine;
  }
  const std::string of = words_.empty() ? std::string() : words_.front();
  const CLI::App* command = nullptr;
  for (const CLI::App* each : app_.get_subcommands({})) {
    if (each->get_name() == of) command = each;
  }
  if (!of.empty() && command == nullptr) return usage_error(terminal_, "there is no such command");
  terminal_.out << man_page(app_, command);
  return exit_fine;
}

int run(int argc, const char* const* argv, const Terminal& terminal) {
  return CommandLine(terminal).run(argc, argv);
}

}  // namespace greymet::cli
