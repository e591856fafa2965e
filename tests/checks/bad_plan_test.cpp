// docs/bad-plan-repaired.md, replayed: each change is applied to the draft, each total compared.
#include <catch2/catch.hpp>

#include <filesystem>
#include <fstream>
#include <sstream>

#include <fmt/format.h>

#include "model/resolved_plan.h"
#include "plans.h"

using namespace greymet;

namespace {

std::string file_text(const std::filesystem::path& path) {
  std::ostringstream text;
  text << std::ifstream(path).rdbuf();
  return text.str();
}

test::Files example_files() {
  test::Files files;
  const std::filesystem::path folder = GREYMET_EXAMPLES;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder)) {
    if (!entry.is_regular_file()) continue;
    files[std::filesystem::relative(entry.path(), folder)] = file_text(entry.path());
  }
  return files;
}

// One ```diff block: what stands in a file, and what is typed in its place.
struct Change {
  std::string file;
  std::string before;
  std::string after;
};

void type_in(const Change& change, test::Files& files) {
  INFO(change.before);
  std::string& text = files.at(change.file);
  // whole lines that go, go with their line break
  const std::string before = change.after.empty() ? change.before + "\n" : change.before;
  const std::size_t at = text.find(before);
  REQUIRE(at != std::string::npos);
  CHECK(text.find(before, at + 1) == std::string::npos);
  text.replace(at, before.size(), change.after);
}

std::string total(const test::Files& files) {
  const auto loaded = files::load_plan("draft.toml", files::memory_files(files));
  const checks::Tally tally = checks::tally_of(
      checks::check(loaded.plan, loaded.findings, {.picked = {}, .assumptions = true}));
  return fmt::format("{} transactions, {}, {}, {}", loaded.plan.plan.transactions.size(),
                     tally.errors, tally.warnings, tally.notes);
}

// "58 transactions, 51 errors, no warnings, 14 notes" as numbers, as total() writes them.
std::string told(const std::string& line) {
  std::istringstream words(line.substr(line.find(": ") + 2));
  std::vector<std::string> numbers;
  std::string previous;
  for (std::string word; words >> word; previous = word) {
    for (const char* unit : {"transactions", "error", "warning", "note"}) {
      if (word.starts_with(unit)) numbers.push_back(previous == "no" ? "0" : previous);
    }
  }
  REQUIRE(numbers.size() == 4);
  return fmt::format("{} transactions, {}, {}, {}", numbers[0], numbers[1], numbers[2], numbers[3]);
}

}  // namespace

TEST_CASE("the bad plan is led from the draft to a clean plan, as its page says") {
  test::Files files = example_files();
  std::istringstream page(file_text(std::string(GREYMET_SOURCE) + "/docs/bad-plan-repaired.md"));
  int changes = 0;
  int totals = 0;
  std::string last;
  for (std::string line; std::getline(page, line);) {
    if (line == "```diff") {
      Change change;
      while (std::getline(page, line) && line != "```") {
        if (line.starts_with("--- ")) {
          change.file = line.substr(4);
          continue;
        }
        std::string& side = line[0] == '-' ? change.before : change.after;
        side += (side.empty() ? "" : "\n") + line.substr(1);
      }
      type_in(change, files);
      ++changes;
    } else if (line.starts_with("    draft.toml: ")) {
      ++totals;
#ifdef GREYMET_SANITIZED
      if (totals % 5 != 0) continue;  // each takes ten seconds
#endif
      last = total(files);
      INFO(line);
      CHECK(last == told(line));
    }
  }
  CHECK(changes > 50);
  CHECK(totals == 10);
  CHECK(last.ends_with(", 0, 0, 7"));
}
