// How many tables in the habits of makers are read as a careful person would write them: exactly,
// exactly once what only a person can tell is answered, refused aloud, or wrong in silence.
#include <cstdio>

#include "table_corpus.h"

using namespace greymet;

namespace {

int wrong = 0;

void count(const char* folder) {
  int exactly = 0;
  int asked = 0;
  int refused = 0;
  const auto tables = test::corpus_in(std::string(GREYMET_SOURCE) + "/tests/corpus/" + folder);
  for (const test::CorpusTable& table : tables) {
    const auto alone = files::import_map(table.name, table.content);
    if (!alone) {
      ++refused;
      std::printf("  refused: %s: %s\n", table.name.c_str(), alone.error().message.c_str());
      continue;
    }
    const auto map = alone->questions.empty()
                         ? alone
                         : files::import_map(table.name, table.content, {{}, table.answers, {}});
    const bool same = map && test::points_of(map->csv, map->numbering) ==
                                 test::points_of(table.expected, map->numbering);
    if (same) {
      ++(alone->questions.empty() ? exactly : asked);
    } else if (map && !map->left_out.empty()) {
      ++refused;
      std::printf("  rows left out: %s\n", table.name.c_str());
    } else {
      ++wrong;
      std::printf("  WRONG: %s\n", table.name.c_str());
    }
  }
  std::printf("%-8s %zu tables: %d exactly, %d once asked, %d refused aloud\n", folder,
              tables.size(), exactly, asked, refused);
}

}  // namespace

int main() {
  count("tables");
  count("heldout");
  std::printf("wrong in silence: %d\n", wrong);
  return wrong == 0 ? 0 : 1;
}
