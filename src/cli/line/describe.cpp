#include "cli/describe.h"

#include <fmt/format.h>
#include <CLI/CLI.hpp>

#include "cli/build_info.h"
#include "command_line.h"

namespace greymet::cli {
namespace {

// Text as troff takes it: no requests, no escapes, hyphens that can be copied.
std::string troff(std::string_view text) {
  std::string out;
  for (const char c : text) {
    if (c == '\\') {
      out += "\\e";
    } else if (c == '-') {
      out += "\\-";
    } else if ((c == '.' || c == '\'') && (out.empty() || out.back() == '\n')) {
      out += "\\&";
      out += c;
    } else {
      out += c;
    }
  }
  return out;
}

std::string names_of(const CLI::Option& option) {
  std::string text = option.get_name(option.get_positional(), true);
  for (std::size_t at = 0; (at = text.find(',', at)) != std::string::npos; at += 2) {
    text.replace(at, 1, ", ");
  }
  return text;
}

std::string options_text(const CLI::App& app) {
  std::string text;
  for (const CLI::Option* option : app.get_options()) {
    const std::string type = option->get_items_expected() > 0 && !option->get_positional()
                                 ? " " + option->get_type_name()
                                 : "";
    text += fmt::format(".TP\n\\fB{}\\fR{}\n{}\n", troff(names_of(*option)), troff(type),
                        troff(option->get_description()));
  }
  return text;
}

constexpr std::string_view statuses =
    ".TP\n0\nfine\n.TP\n1\nfindings of severity error, differences, or a rehearsal or run that "
    "failed\n.TP\n2\nwrong usage, or a plan that cannot be read\n.TP\n3\na file, device or port "
    "could not be reached or written\n";

}  // namespace

std::string version_text() {
  return fmt::format("greymet {} (commit {})", GREYMET_VERSION, GREYMET_COMMIT);
}

std::string man_page(const CLI::App& app, const CLI::App* command) {
  const std::string name = command == nullptr ? "greymet" : "greymet-" + command->get_name();
  const CLI::App& of = command == nullptr ? app : *command;
  std::string text = fmt::format(".TH \"{}\" 1 \"\" \"greymet {}\" \"Grey Metronome\"\n",
                                 troff(name), GREYMET_VERSION);
  text += fmt::format(".SH NAME\n{} \\- {}\n", troff(name), troff(of.get_description()));
  std::string usage = command == nullptr ? "greymet COMMAND" : "greymet " + command->get_name();
  for (const CLI::Option* option : of.get_options()) {
    if (!option->get_positional()) continue;
    const std::string word = option->get_name(true);
    usage += option->get_required() ? " " + word : " [" + word + "]";
  }
  text += fmt::format(".SH SYNOPSIS\n\\fB{}\\fR [OPTIONS]\n", troff(usage));
  if (command == nullptr) {
    text += ".SH COMMANDS\n";
    for (const CLI::App* each : app.get_subcommands({})) {
      if (each->get_group().empty()) continue;
      text +=
          fmt::format(".TP\n\\fB{}\\fR\n{}; see \\fBgreymet\\-{}\\fR(1)\n", troff(each->get_name()),
                      troff(each->get_description()), troff(each->get_name()));
    }
  }
  text += ".SH OPTIONS\n" + options_text(of);
  if (command != nullptr) {
    if (const Command* known = command_named(command->get_name())) {
      text += fmt::format(".SH EXAMPLES\n.nf\n{}\n{}\n.fi\n", troff(known->first_example),
                          troff(known->second_example));
    }
  }
  text += fmt::format(".SH EXIT STATUS\n{}", statuses);
  return text +
         ".SH SEE ALSO\nThe plan format, the rules and the timing model are described in the "
         "documents of the package.\n";
}

std::string bash_completion() {
  return R"(# bash completion for greymet; what may follow says greymet itself
_greymet()
{
  local word="${COMP_WORDS[COMP_CWORD]}"
  mapfile -t COMPREPLY < <("${COMP_WORDS[0]}" describe complete -- "${COMP_WORDS[@]:1:$COMP_CWORD}" 2>/dev/null)
  if [ "${#COMPREPLY[@]}" -eq 0 ] && [[ "$word" != -* ]]; then
    mapfile -t COMPREPLY < <(compgen -f -- "$word")
  fi
}
complete -o filenames -F _greymet greymet
)";
}

}  // namespace greymet::cli
