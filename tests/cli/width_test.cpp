// Nothing a command says is wider than the terminal it says it on, whatever its width; and nothing
// that it says on a wide one is missing on a narrow one without a word.
#include <filesystem>
#include <sstream>

#include <catch2/catch.hpp>

#include "model/utf8_text.h"
#include "plans.h"
#include "process.h"

using namespace greymet;

namespace {

using Words = std::vector<std::string>;

struct WidthSite {
  WidthSite() {
    std::filesystem::copy(GREYMET_EXAMPLES, folder.path(),
                          std::filesystem::copy_options::recursive);
    const std::string plan = folder.read("maltings.toml");
    folder.write("old.toml", test::replaced(plan, "retry = \"10s\"", "retry = \"9s\""));
    // too much for its lines
    folder.write("busy.toml", test::replaced(plan, "baud    = 19200", "baud    = 4800"));
    (void)test::run_program(
        GREYMET_PROGRAM, {"rehearse", "maltings.toml", "--fast", "-o", "rehearsed"}, folder.path());
  }
  test::TemporaryFolder folder;
};

std::vector<Words> all_calls() {
  return {{"check", "maltings.toml"},
          {"check", "draft.toml"},
          {"check", "busy.toml"},
          {"explain"},
          {"explain", "F13"},
          {"explain", "symptoms"},
          {"explain", "zeros"},
          {"explain", "words"},
          {"explain", "park"},
          {"address", "1011h", "44114", "0048", "--plan", "maltings.toml", "--slave", "burner"},
          {"value", "CCCD", "418B", "--type", "f32", "--near", "17.4"},
          {"frame", "maltings.toml"},
          {"frame", "maltings.toml", "burner-set"},
          {"frame", "--decode", "01 03 00 00 00 0B C5 CD", "--mode", "rtu"},
          {"memory", "maltings.toml"},
          {"points", "maltings.toml"},
          {"timing", "maltings.toml"},
          {"timing", "busy.toml"},
          {"timing", "maltings.toml", "--why", "burner-in"},
          {"timing", "maltings.toml", "--pairs"},
          {"pack", "maltings.toml"},
          {"tune", "maltings.toml"},
          {"tune", "busy.toml"},
          {"rehearse", "maltings.toml", "--fast"},
          {"export", "maltings.toml", "-o", "handover", "--force"},
          {"export", "maltings.toml", "--compare", "handover"},
          {"report", "maltings.toml", "-o", "pages", "--force"},
          {"diff", "old.toml", "maltings.toml"},
          {"diff", "old.toml", "busy.toml"},
          {"trend", "rehearsed/log.csv", "--plan", "maltings.toml", "moisture.grain_temp"},
          {"new", "plant", "--force", "--line", "north=rtu,19200,8E1", "--slave",
           "meter=north,12,maps/em3-manual.txt"},
          {"--help"},
          {"timing", "--help"},
          {"probe", "--help"},
          {"new", "--help"}};
}

std::string joined_words(const Words& words) {
  std::string text;
  for (const std::string& word : words) text += (text.empty() ? "" : " ") + word;
  return text;
}

}  // namespace

TEST_CASE("no line of any command is wider than its terminal") {
  const WidthSite site;
  for (const Words& words : all_calls()) {
    for (const auto columns : std::initializer_list<unsigned short>{80, 120, 160}) {
      const auto outcome =
          test::run_on_terminal(GREYMET_PROGRAM, words, site.folder.path(), columns);
      std::istringstream lines(outcome.out);
      std::string widest;
      for (std::string line; std::getline(lines, line);) {
        // rows of a plan are there to be copied: a fold would break them
        if (line.find("{ name = ") != std::string::npos && line.find(" }") != std::string::npos) {
          continue;
        }
        if (model::code_points(line) > model::code_points(widest)) widest = line;
      }
      INFO(joined_words(words) << " at " << columns << ":\n" << widest);
      CHECK(outcome.out.size() > 10);
      CHECK(model::code_points(widest) <= columns);
    }
  }
}
