// A text that is read again: what comes back is what reading it for the first time gives.
#include "files/toml_memory.h"

#include <fmt/format.h>
#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "files/toml_reader.h"
#include "plans.h"

using namespace greymet;

namespace {

// The same values in the same places.
bool same_everywhere(const files::Value& a, const files::Value& b) {
  if (a.kind != b.kind || a.place != b.place || a.text != b.text || a.integer != b.integer ||
      a.items.size() != b.items.size() || a.entries.size() != b.entries.size()) {
    return false;
  }
  for (std::size_t i = 0; i < a.items.size(); ++i) {
    if (!same_everywhere(a.items[i], b.items[i])) return false;
  }
  for (std::size_t i = 0; i < a.entries.size(); ++i) {
    if (a.entries[i].key != b.entries[i].key || a.entries[i].place != b.entries[i].place ||
        !same_everywhere(a.entries[i].value, b.entries[i].value)) {
      return false;
    }
  }
  return true;
}

void check_same(files::TomlMemory& memory, const std::string& text) {
  model::Findings found;
  model::Findings wanted;
  const auto got = memory.read(text, 3, found);
  const auto fresh = files::read_toml(text, 3, wanted);
  RC_ASSERT(got.has_value() == fresh.has_value());
  if (got) RC_ASSERT(same_everywhere(*got, *fresh));
  RC_ASSERT(found.size() == wanted.size());
  for (std::size_t i = 0; i < found.size(); ++i) {
    RC_ASSERT(found[i].message == wanted[i].message);
    RC_ASSERT(found[i].place == wanted[i].place);
  }
}

// `tricky`: with a line in a text of several lines that looks like a row.
std::string many_rows(std::size_t count, bool tricky) {
  std::string text = "title = \"\xC3\xA4\"\n[exchange] # rows\ntransactions = [\n";
  for (std::size_t i = 0; i < count; ++i) {
    text += fmt::format("{}{{ name = \"t{}\xE2\x82\xAC\", at = {}, read = {{ count = 2 }} }},{}\n",
                        i % 3 == 0 ? "  " : "\t", i, i % 7, i % 5 == 0 ? " # \xC3\xA4" : "");
  }
  text += "]\n[slave.a]\nnumbers = [ 0, 0 ]\n";
  return tricky ? text + "text = \"\"\"\n{ a = 1 },\n\"\"\"\n" : text;
}

}  // namespace

TEST_CASE("reading again after any change is reading for the first time") {
  rc::prop("changes of a plan with many rows, one after the other", [] {
    files::TomlMemory memory;
    std::string text = many_rows(130, *rc::gen::arbitrary<bool>());
    check_same(memory, text);
    check_same(memory, text);
    static const std::vector<std::string> words{"\n",
                                                "{ a = 1 },\n",
                                                "\"",
                                                "]",
                                                "{",
                                                "}",
                                                ",",
                                                "#",
                                                "0",
                                                "= ",
                                                "\xC3\xA4",
                                                "at = 1, at = 2",
                                                "'''",
                                                "\"\"\"",
                                                "[[exchange.transactions]]\n",
                                                "\xFF",
                                                "  "};
    for (int i = 0; i < 6; ++i) {
      const auto at = *rc::gen::inRange<std::size_t>(0, text.size() + 1);
      const auto gone = *rc::gen::inRange<std::size_t>(0, 6);
      text.replace(at, std::min(gone, text.size() - at), *rc::gen::elementOf(words));
      check_same(memory, text);
    }
  });
}

TEST_CASE("rows that move keep what they say, and lines that only look like rows stay text") {
  files::TomlMemory memory;
  model::Findings found;
  const std::string text = many_rows(200, false);
  REQUIRE(memory.read(text, 0, found));
  CHECK(memory.rows_reused() == 0);
  const auto changed = memory.read(test::replaced(text, "at = 6", "at = 66"), 0, found);
  REQUIRE(changed);
  // all that stand alone in their line, but the one that is new
  CHECK(memory.rows_reused() == 159);
  const std::string tricky = many_rows(200, true);
  const auto moved = memory.read("# one line more\n" + tricky, 0, found);
  REQUIRE(moved);
  CHECK(memory.rows_reused() == 0);  // read as a whole
  CHECK(found.empty());
  const files::Value& rows = moved->find("exchange")->entries.front().value;
  CHECK(rows.items.size() == 200);
  CHECK(rows.items[7].place.line == 12);
  CHECK(rows.items[7].place.column == 2);
  CHECK(moved->find("slave")->find("a")->find("text")->text == "{ a = 1 },\n");
  CHECK(moved->find("slave")->find("a")->find("numbers")->items.size() == 2);
}
