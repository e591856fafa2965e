// docs/three-devices.md, typed: its files are written, its commands run, and what comes back is
// what the page says. GREYMET_WRITE_GOLDEN=1 writes it anew.
#include <cstdlib>
#include <fstream>
#include <sstream>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "process.h"

using namespace greymet;

namespace {

constexpr const char* tutorial_page = GREYMET_SOURCE "/docs/three-devices.md";

std::vector<std::string> lines_of_page() {
  std::ifstream in(tutorial_page);
  std::vector<std::string> lines;
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  return lines;
}

// The words of a command, as a shell takes them that knows double quotes alone.
std::vector<std::string> shell_words(const std::string& command) {
  std::vector<std::string> words;
  std::string word;
  bool quoted = false;
  bool begun = false;
  for (const char c : command) {
    if (c == '"') {
      quoted = !quoted;
      begun = true;
    } else if (c == ' ' && !quoted) {
      if (begun) words.push_back(word);
      word.clear();
      begun = false;
    } else {
      word += c;
      begun = true;
    }
  }
  if (begun) words.push_back(word);
  return words;
}

// The text between the n-th pair of marks of a line; empty where there is none.
std::string between(const std::string& line, const std::string& mark) {
  const std::size_t from = line.find(mark);
  if (from == std::string::npos) return {};
  const std::size_t end = line.find(mark, from + mark.size());
  return end == std::string::npos ? std::string()
                                  : line.substr(from + mark.size(), end - from - mark.size());
}

class Typist {
 public:
  // What the page says, with outputs as they are.
  std::string type(const std::vector<std::string>& lines) {
    std::string page;
    std::string asked;  // the line before a fence
    for (std::size_t i = 0; i < lines.size(); ++i) {
      page += lines[i] + "\n";
      if (!lines[i].starts_with("```")) {
        if (!lines[i].empty()) asked = lines[i];
        continue;
      }
      std::vector<std::string> inside;
      for (++i; i < lines.size() && lines[i] != "```"; ++i) inside.push_back(lines[i]);
      page += lines[i - inside.size() - 1] == "```console" ? run(inside) : keep(asked, inside);
      page += "```\n";
    }
    return page;
  }
  [[nodiscard]] const test::TemporaryFolder& folder() const { return folder_; }
  [[nodiscard]] std::size_t commands() const { return commands_; }

 private:
  static std::string joined(const std::vector<std::string>& lines) {
    std::string text;
    for (const std::string& line : lines) text += line + "\n";
    return text;
  }

  std::string keep(const std::string& asked, const std::vector<std::string>& inside) {
    const std::string name = between(asked, "**");
    INFO(asked);
    REQUIRE_FALSE(name.empty());
    const std::string at = between(asked, "`");
    if (at.empty()) {
      folder_.write(name, joined(inside));
      return joined(inside);
    }
    std::istringstream before(folder_.read(name));
    std::vector<std::string> lines;
    for (std::string line; std::getline(before, line);) lines.push_back(line);
    std::vector<std::string> after;
    std::size_t last = lines.size();
    for (std::size_t i = 0; i < lines.size(); ++i) {
      if (lines[i].find(at) != std::string::npos) last = i;
    }
    REQUIRE(last < lines.size());
    const bool everywhere = asked.find("in place of") != std::string::npos;
    for (std::size_t i = 0; i < lines.size(); ++i) {
      const bool here = everywhere ? lines[i].find(at) != std::string::npos : i == last;
      if (!here || !everywhere) after.push_back(lines[i]);
      if (here) after.insert(after.end(), inside.begin(), inside.end());
    }
    folder_.write(name, joined(after));
    return joined(inside);
  }

  std::string run(const std::vector<std::string>& inside) {
    std::string text;
    for (const std::string& line : inside) {
      if (!line.starts_with("$ greymet ")) continue;
      const auto words = shell_words(line.substr(10));
      const auto outcome = test::run_program(GREYMET_PROGRAM, words, folder_.path());
      INFO(line << "\n" << outcome.out << outcome.err);
      CHECK(outcome.status == 0);
      text += line + "\n" + outcome.out + outcome.err;
      ++commands_;
    }
    return text;
  }

  test::TemporaryFolder folder_;
  std::size_t commands_ = 0;
};

}  // namespace

TEST_CASE("three devices from their manuals: the page is what happens") {
  const std::vector<std::string> lines = lines_of_page();
  std::string page;
  for (const std::string& line : lines) page += line + "\n";
  Typist typist;
  const std::string typed = typist.type(lines);
  if (std::getenv("GREYMET_WRITE_GOLDEN") != nullptr) {
    std::ofstream(tutorial_page) << typed;
    return;
  }
  CHECK(page == typed);
  CHECK(typist.commands() >= 8);
  // it is a plan that is checked, and the files for the controller are there
  const auto checked = test::run_program(GREYMET_PROGRAM, {"check", "plant/plan.toml", "--json"},
                                         typist.folder().path());
  const auto found = nlohmann::json::parse(checked.out);
  CHECK(found["errors"] == 0);
  CHECK(found["warnings"] == 0);
  CHECK(typist.folder().has("handover/plc1.st"));
  CHECK(typist.folder().has("pages/commissioning.html"));
  // the meter's energy is where the manual says, the drive's registers one lower than it counts
  const std::string plan = typist.folder().read("plant/plan.toml");
  CHECK(plan.find("numbering  = \"from-1\"") != std::string::npos);
  CHECK(typist.folder().read("plant/maps/meter.csv").find("0x0048") != std::string::npos);
}
