// Tables as makers print them: read as a careful person would, or asked about; never wrong in
// silence.
#include <catch2/catch.hpp>

#include <algorithm>
#include <set>
#include <sstream>

#include "table_corpus.h"

using namespace greymet;

namespace {

void check_corpus(const char* folder, std::size_t least) {
  const auto tables = test::corpus_in(std::string(GREYMET_SOURCE) + "/tests/corpus/" + folder);
  REQUIRE(tables.size() >= least);
  for (const test::CorpusTable& table : tables) {
    INFO(table.name);
    REQUIRE_FALSE(table.expected.empty());
    const auto alone = files::import_map(table.name, table.content);
    REQUIRE((alone.has_value() || alone.error().message.empty()));
    if (alone->questions.empty()) {
      CHECK(table.answers.empty());
      CHECK(alone->left_out.empty());
      CHECK(test::points_of(alone->csv, alone->numbering) ==
            test::points_of(table.expected, alone->numbering));
      continue;
    }
    CHECK(alone->csv.empty());
    for (const auto& question : alone->questions) CHECK(table.answers.contains(question.about));
    const auto map = files::import_map(table.name, table.content, {{}, table.answers, {}});
    REQUIRE(map.has_value());
    CHECK(map->questions.empty());
    CHECK(test::points_of(map->csv, map->numbering) ==
          test::points_of(table.expected, map->numbering));
  }
}

}  // namespace

TEST_CASE("tables in the habits of makers become the map that a careful person would write") {
  check_corpus("tables", 20);
}

// What a table that nobody tuned to becomes: every point that is made is one of the map that should
// be, whatever it is called; what is missing was asked, refused, or named as left out.
TEST_CASE("a table in a habit that nobody thought of is never read wrong in silence") {
  const auto without_name = [](const std::string& line) {
    // from the address on
    const std::size_t at = std::min(
        {line.find(" hr:"), line.find(" ir:"), line.find(" co:"), line.find(" di:"), line.size()});
    return line.substr(at);
  };
  const auto lines_of = [&](const std::string& text) {
    std::multiset<std::string> out;
    std::istringstream in(text);
    for (std::string line; std::getline(in, line);) out.insert(without_name(line));
    return out;
  };
  const auto tables = test::corpus_in(std::string(GREYMET_SOURCE) + "/tests/corpus/heldout");
  REQUIRE(tables.size() == 10);
  for (const test::CorpusTable& table : tables) {
    INFO(table.name);
    auto map = files::import_map(table.name, table.content);
    if (map && !map->questions.empty()) {
      map = files::import_map(table.name, table.content, {{}, table.answers, {}});
    }
    if (!map) {
      CHECK_FALSE(map.error().message.empty());
      continue;
    }
    const auto wanted = lines_of(test::points_of(table.expected, map->numbering));
    const auto made = lines_of(test::points_of(map->csv, map->numbering));
    CHECK(std::includes(wanted.begin(), wanted.end(), made.begin(), made.end()));
    CHECK(made.size() + map->left_out.size() == wanted.size());
  }
}
