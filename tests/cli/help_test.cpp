// Help of every command: what it shows can be typed.
#include <fmt/format.h>
#include <fmt/ranges.h>
#include <catch2/catch.hpp>

#include <algorithm>
#include <filesystem>
#include <map>
#include <set>
#include <sstream>

#include "plans.h"
#include "process.h"

using namespace greymet;

namespace {

std::vector<std::string> words_in(const std::string& text) {
  std::istringstream in(text);
  std::vector<std::string> words;
  for (std::string word; in >> word;) words.push_back(word);
  return words;
}

std::vector<std::string> commands_of(const test::TemporaryFolder& folder) {
  std::istringstream in(test::run_program(GREYMET_PROGRAM, {"--help"}, folder.path()).out);
  std::vector<std::string> commands;
  bool below = false;
  for (std::string line; std::getline(in, line);) {
    if (below && line.starts_with("  ") && line[2] != ' ') commands.push_back(words_in(line)[0]);
    if (line.starts_with("Subcommands:")) below = true;
    if (line.empty()) below = false;
  }
  return commands;
}

}  // namespace

TEST_CASE("every command shows two examples, and they do what they should on the demo's files") {
  const test::TemporaryFolder folder;
  std::filesystem::copy(GREYMET_EXAMPLES, folder.path(), std::filesystem::copy_options::recursive);
  folder.write("old.toml",
               test::replaced(folder.read("maltings.toml"), "retry = \"10s\"", "retry = \"9s\""));
  const auto commands = commands_of(folder);
  REQUIRE(commands.size() >= 19);
  // those that do not end with 0 by what they find
  const std::map<std::string, int> statuses{{"check draft.toml --least warning", 1},
                                            {"diff old.toml maltings.toml", 1},
                                            {"diff old.toml maltings.toml --json", 1}};
  for (const std::string& command : commands) {
    const std::string help =
        test::run_program(GREYMET_PROGRAM, {command, "--help"}, folder.path()).out;
    std::istringstream in(help.substr(help.find("Examples:")));
    std::string line;
    std::getline(in, line);
    CHECK(help.find("Exit status: 0 fine") != std::string::npos);
    for (int i = 0; i < 2; ++i) {
      std::getline(in, line);
      INFO(line);
      REQUIRE(line.starts_with("  greymet " + command));
      auto words = words_in(line);
      words.erase(words.begin());
      // need a partner: wire_test.cpp, hand_test.cpp, probe_test.cpp, audit_test.cpp; has a test of
      // its own: program_test.cpp
      if (command == "run" || command == "hand" || command == "probe" || command == "audit" ||
          command == "demo")
        continue;
      const auto outcome = test::run_program(GREYMET_PROGRAM, words, folder.path());
      const auto status = statuses.find(line.substr(10));
      INFO(outcome.err);
      CHECK(outcome.status == (status == statuses.end() ? 0 : status->second));
      // nobody speaks to an editor's server here
      CHECK((command == "editor" || outcome.out + outcome.err != ""));
    }
  }
}

TEST_CASE(
    "every command that offers CSV gives a table of the same width throughout, in all it can do") {
  const test::TemporaryFolder folder;
  std::filesystem::copy(GREYMET_EXAMPLES, folder.path(), std::filesystem::copy_options::recursive);
  folder.write("old.toml",
               test::replaced(folder.read("maltings.toml"), "retry = \"10s\"", "retry = \"9s\""));
  REQUIRE(test::run_program(GREYMET_PROGRAM, {"export", "maltings.toml", "-o", "handover"},
                            folder.path())
              .status == 0);
  REQUIRE(test::run_program(GREYMET_PROGRAM,
                            {"rehearse", "maltings.toml", "--fast", "-o", "rehearsed"},
                            folder.path())
              .status == 0);
  std::vector<std::vector<std::string>> calls{
      {"timing", "maltings.toml", "--why", "burner-in"},
      {"timing", "maltings.toml", "north"},
      {"frame", "maltings.toml"},
      {"frame", "--decode", "01", "03", "00", "00", "00", "0B", "--mode", "rtu"},
      {"points", "maltings.toml", "--tags", "kiln"},
      {"export", "maltings.toml", "--compare", "handover"},
      {"trend", "rehearsed/log.csv", "--plan", "maltings.toml", "moisture.grain_temp"},
      {"value", "8000", "0", "0", "0", "--type", "u64"},
      {"explain", "F"}};
  std::set<std::string> offers;
  for (const std::string& command : commands_of(folder)) {
    const std::string help =
        test::run_program(GREYMET_PROGRAM, {command, "--help"}, folder.path()).out;
    const bool needs_partner = command == "run" || command == "probe" || command == "audit";
    if (help.find("csv (") == std::string::npos || needs_partner) continue;
    offers.insert(command);
    std::istringstream in(help.substr(help.find("Examples:")));
    std::string line;
    std::getline(in, line);
    while (std::getline(in, line) && line.starts_with("  greymet ")) {
      auto words = words_in(line);
      words.erase(words.begin());
      const bool writes =
          line.find(" -o ") != std::string::npos || line.find("--fix") != std::string::npos ||
          line.find("--write") != std::string::npos || line.find("--json") != std::string::npos ||
          line.find("--format") != std::string::npos;
      if (!writes) calls.push_back(words);
    }
  }
  CHECK(offers.size() >= 13);
  for (std::vector<std::string>& call : calls) {
    call.insert(call.end(), {"--format", "csv"});
    const auto outcome = test::run_program(GREYMET_PROGRAM, call, folder.path());
    INFO(fmt::format("{}: {}{}", fmt::join(call, " "), outcome.out.substr(0, 300), outcome.err));
    CHECK(outcome.status <= 1);
    const std::size_t commas = [&] {
      const std::string heading = outcome.out.substr(0, outcome.out.find("\r\n"));
      return static_cast<std::size_t>(std::count(heading.begin(), heading.end(), ','));
    }();
    CHECK(commas >= 1);
    std::size_t row = 0;
    bool quoted = false;
    std::size_t seen = 0;
    for (const char c : outcome.out) {
      if (c == '"') quoted = !quoted;
      if (c == ',' && !quoted) ++seen;
      if (c != '\n' || quoted) continue;
      INFO("row " << row);
      CHECK(seen == commas);
      seen = 0;
      ++row;
    }
    CHECK(row >= 1);
  }
}

TEST_CASE("the version names the commit") {
  const test::TemporaryFolder folder;
  const std::string version = test::run_program(GREYMET_PROGRAM, {"--version"}, folder.path()).out;
  CHECK(version.starts_with("greymet 0.2.0 (commit "));
  CHECK(version.ends_with(")\n"));
}

TEST_CASE("slips of the first hour are named with what to type") {
  const test::TemporaryFolder folder;
  std::filesystem::copy(GREYMET_EXAMPLES, folder.path(), std::filesystem::copy_options::recursive);
  const auto say = [&](const std::vector<std::string>& words) {
    return test::run_program(GREYMET_PROGRAM, words, folder.path());
  };
  CHECK(say({"help", "check"}).out == say({"check", "--help"}).out);
  CHECK(say({"help"}).out == say({"--help"}).out);
  const auto version = say({"-v"});
  CHECK(version.status == 2);
  CHECK(version.err == "greymet: there is no option -v; write --version; see greymet --help\n");
  const auto slave = say({"timing", "maltings.toml", "burner"});
  CHECK(slave.status == 2);
  CHECK(slave.err.find("burner is a slave on line north: write north") != std::string::npos);
}

TEST_CASE(
    "what may follow is completed: commands, options, their values, rules, names of the plan") {
  const test::TemporaryFolder folder;
  std::filesystem::copy(GREYMET_EXAMPLES, folder.path(), std::filesystem::copy_options::recursive);
  const auto complete = [&](std::vector<std::string> words) {
    words.insert(words.begin(), {"describe", "complete", "--"});
    const auto outcome = test::run_program(GREYMET_PROGRAM, words, folder.path());
    CHECK(outcome.status == 0);
    CHECK(outcome.err.empty());
    std::set<std::string> out;
    std::istringstream in(outcome.out);
    for (std::string line; std::getline(in, line);) out.insert(line);
    return out;
  };
  using NameSet = std::set<std::string>;
  CHECK(complete({"ch"}) == NameSet{"check"});
  CHECK(complete({""}).count("timing") == 1);
  CHECK(complete({"check", "--lea"}) == NameSet{"--least"});
  CHECK(complete({"check", "maltings.toml", "--least", ""}) == NameSet{"error", "note", "warning"});
  CHECK(complete({"check", "maltings.toml", "--rules", "F13"}) == NameSet{"F13"});
  CHECK(complete({"check", "maltings.toml", "--rules", "M0"}).count("M02") == 1);
  CHECK(complete({"explain", "relea"}) == NameSet{"release", "releases"});
  CHECK(complete({"explain", "off"}) == NameSet{"off by one", "off-by-one", "offset"});
  CHECK(complete({"timing", "maltings.toml", "no"}) == NameSet{"north"});
  CHECK(complete({"timing", "maltings.toml", "--why", "bridge-t"}) == NameSet{"bridge-tare"});
  CHECK(complete({"memory", "maltings.toml", "lo"}) == NameSet{"loadout"});
  CHECK(complete({"hand", "maltings.toml", "moisture.grain_m"}) ==
        NameSet{"moisture.grain_moisture"});
  CHECK(complete({"probe", "maltings.toml", "moi"}) == NameSet{"moisture"});
  CHECK(complete({"run", "maltings.toml", "--controller", "k"}) == NameSet{"kiln"});
  // files are the shell's, and what is wrong is not told here
  CHECK(complete({"check", "mal"}).empty());
  CHECK(complete({"timing", "missing.toml", "n"}).empty());
  CHECK(complete({"timing", "maps/burner.csv", "n"}).empty());
  CHECK(complete({"nonsense", "x"}).empty());
  // a row of a list stays in front of the next one
  CHECK(complete({"check", "maltings.toml", "--rules", "F,M0"}).count("F,M01") == 1);
}
