// A comma or a quote that is missing is named at its place, and its fix gives the plan back: every
// single one of the demo's exchange, left out in turn.
#include <catch2/catch.hpp>

#include "files/cures.h"
#include "files/plan_loader.h"
#include "plans.h"
#include "slipped_plan.h"

using namespace greymet;
using test::demo_text;
using test::loaded_of;
using test::syntax_finding_of;

namespace {

std::string names_of(const files::LoadedPlan& loaded) {
  std::string names;
  for (const model::Transaction& t : loaded.plan.plan.transactions) {
    names += t.name + "," + (t.slave ? t.slave->value : "-") + ",";
    names += t.every ? std::to_string(t.every->value.period.count()) : "-";
    names += t.into ? t.into->value : "-";
    names += t.from ? t.from->value : "-";
    names += t.on_loss ? std::string(to_string(t.on_loss->value)) : "-";
    names += ";";
  }
  return names;
}

std::size_t syntax_errors(const files::LoadedPlan& loaded) {
  return static_cast<std::size_t>(
      std::count_if(loaded.findings.begin(), loaded.findings.end(),
                    [](const model::Finding& f) { return f.rule == model::RuleCode::P01; }));
}

// Bytes of the rows that are this mark, outside of texts or, for quotes, all.
std::vector<std::size_t> marks_of_rows(const std::string& text, char mark) {
  std::vector<std::size_t> out;
  const std::size_t begin = text.find("transactions = [");
  const std::size_t end = text.find("\n]", begin);
  bool quoted = false;
  for (std::size_t i = begin; i < end; ++i) {
    if (text[i] == '#' && !quoted) i = text.find('\n', i);
    if (text[i] == '"') quoted = !quoted;
    if (text[i] == mark && (mark == '"' || !quoted)) out.push_back(i);
  }
  return out;
}

// How many of these, left out in turn, are given back by the fix; and never is anything else.
struct GivenBack {
  std::size_t tried = 0;
  std::size_t given_back = 0;
};
GivenBack try_all(const std::string& text, const std::vector<std::size_t>& marks) {
  const std::string right = names_of(loaded_of(text));
  GivenBack out;
  for (const std::size_t at : marks) {
    std::string slipped = text;
    slipped.erase(at, 1);
    const auto loaded = loaded_of(slipped);
    ++out.tried;
    const model::Finding* finding = syntax_finding_of(loaded);
    INFO(slipped.substr(at > 60 ? at - 60 : 0, 120));
    // behind the last row the comma may be left out
    if (finding == nullptr) {
      CHECK(names_of(loaded) == right);
      continue;
    }
    if (finding->fixes.empty() || !finding->fixes.front().certain) continue;
    const auto edits = files::text_edits(loaded, finding->fixes.front());
    REQUIRE(edits);
    // what is certain is right
    const auto again = loaded_of(files::edited(slipped, *edits));
    CHECK(syntax_errors(again) == 0);
    CHECK(names_of(again) == right);
    // and all the rest was read meanwhile, but for what the mark cannot be put into
    CHECK(loaded.plan.plan.transactions.size() + 1 >= again.plan.plan.transactions.size());
    ++out.given_back;
  }
  return out;
}

std::string one_row(const std::string& row) {
  return "[exchange]\ntransactions = [\n" + row + "\n]\n";
}

}  // namespace

TEST_CASE("every comma between keys and rows that is left out is named, and given back") {
  const std::string text = demo_text();
  const GivenBack result = try_all(text, marks_of_rows(text, ','));
  CHECK(result.tried > 300);
  // the comma behind the last row may be left out as TOML allows
  CHECK(result.given_back + 5 >= result.tried);
}

TEST_CASE("every closing quote that is left out is named, and given back") {
  const std::string text = demo_text();
  std::vector<std::size_t> closing;
  const auto quotes = marks_of_rows(text, '"');
  for (std::size_t i = 1; i < quotes.size(); i += 2) closing.push_back(quotes[i]);
  const GivenBack result = try_all(text, closing);
  CHECK(result.tried > 300);
  CHECK(result.given_back * 10 >= result.tried * 9);
}

TEST_CASE("missing marks are told in words, at their place") {
  const auto told = [](const std::string& text) {
    const auto loaded = loaded_of(text);
    const model::Finding* f = syntax_finding_of(loaded);
    REQUIRE(f != nullptr);
    REQUIRE(f->fixes.size() == 1);
    return std::to_string(f->place.line) + ":" + std::to_string(f->place.column) + " " +
           f->message + " | " + f->fixes.front().title;
  };
  CHECK(told(one_row("  { name = \"a\", slave = \"g\" }\n  { name = \"b\", slave = \"g\" },")) ==
        "3:29 a comma is missing at the end of line 3 | write },");
  CHECK(told(one_row("  { name = \"a\", fc = 3 at = 0 },")) ==
        "3:22 a comma is missing before `at` | write a comma before `at`");
  CHECK(told(one_row("  { name = \"a\", slave = \"drive, fc = 3, into = \"%MW0\" },")) ==
        "3:25 the text that begins with \"drive has no closing quote | write \"drive\"");
  CHECK(told("[plan]\ntitle = \"A plan\nrevision = \"B\"\n") ==
        "2:9 the text that begins with \"A plan has no closing quote | write \"A plan\"");
  CHECK(told("[plan]\ntitle = 'A plan\nrevision = \"B\"\n") ==
        "2:9 the text that begins with 'A plan has no closing quote | write 'A plan'");
}

TEST_CASE(
    "addresses as manuals print them in hexadecimal are named, and given back where certain") {
  const auto first = [](const std::string& at) {
    const auto loaded = loaded_of(
        "[controller.plc]\nscan = \"10ms\"\n[controller.plc.memory]\n\"%MW\" = { kind = \"word\", "
        "count = 99 }\n[slave.m]\nhost = \"10.0.0.3\"\n" +
        one_row("  { name = \"a\", slave = \"m\", fc = 3, at = " + at +
                ", count = 2, into = \"%MW0\", every = \"1s\", on_loss = \"hold\" },"));
    REQUIRE_FALSE(loaded.findings.empty());
    const model::Finding& f = loaded.findings.front();
    return f.remedy + (f.fixes.empty() ? "" : f.fixes.front().certain ? " (certain)" : " (offer)");
  };
  CHECK(first("0048") ==
        "numbers have no leading zeros: write 48 if the manual counts in decimal, 0x0048 if it "
        "counts in hexadecimal");
  CHECK(first("000A") == "a hexadecimal number is written 0x000A");
  CHECK(first("\"000A\"") == "write 0x000A (certain)");
  CHECK(first("040005") ==
        "numbers have no leading zeros; a reference is written in quotes: \"040005\" (certain)");
}
