// Brackets, =, ; : and // that are missing or out of place: every single one of the demo, spoilt in
// turn, is named, and its fix gives the plan back; never is anything else certain.
#include <functional>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "files/cures.h"
#include "files/plan_loader.h"
#include "model/duration_text.h"
#include "slipped_plan.h"

using namespace greymet;
using test::demo_text;
using test::loaded_of;
using test::syntax_finding_of;

namespace {

// What the plan says, as far as these tests spoil it.
std::string said_by(const files::LoadedPlan& loaded) {
  std::string out;
  const model::Plan& plan = loaded.plan.plan;
  for (const auto& each : plan.controllers) {
    out += each.name + (each.scan ? model::to_text(each.scan->value) : "-");
    for (const auto& area : each.memory) out += fmt::format("{}{}", area.name, area.count);
    out += ";";
  }
  for (const auto& each : plan.lines) {
    out += fmt::format("{} {};", each.name, each.settings.baud ? each.settings.baud->value : -1);
  }
  for (const auto& each : plan.gateways) out += each.name + (each.host ? each.host->value : "-");
  for (const auto& each : plan.slaves) {
    out +=
        fmt::format("{} {} {} {};", each.name, each.unit ? each.unit->value : -1,
                    each.host ? each.host->value : "-", each.map_file ? each.map_file->value : "-");
  }
  for (const auto& t : plan.transactions) {
    out += fmt::format("{} {} {} {} {} {};", t.name, t.slave ? t.slave->value : "-",
                       t.every ? model::to_text(t.every->value.period) : "-",
                       t.into ? t.into->value : "-", t.from ? t.from->value : "-",
                       t.on ? t.on->value : "-");
  }
  for (const auto& each : plan.heartbeats) out += each.name + ";";
  for (const auto& each : plan.paths) out += each.name + ";";
  return out;
}

// Bytes outside of texts and comments at which `is` holds.
std::vector<std::size_t> marks(const std::string& text,
                               const std::function<bool(std::size_t)>& is) {
  std::vector<std::size_t> out;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '#' && !quoted) i = text.find('\n', i);
    if (text[i] == '"') quoted = !quoted;
    if (!quoted && is(i)) out.push_back(i);
  }
  return out;
}

struct Outcome {
  std::size_t tried = 0;
  std::size_t named = 0;       // in words of ours, with a fix
  std::size_t given_back = 0;  // by a certain fix
};

// `spoil`: changes the text at a byte.
Outcome try_all(const std::string& text, const std::vector<std::size_t>& places,
                const std::function<void(std::string&, std::size_t)>& spoil) {
  const std::string right = said_by(loaded_of(text));
  Outcome out;
  for (const std::size_t at : places) {
    std::string slipped = text;
    spoil(slipped, at);
    const auto loaded = loaded_of(slipped);
    ++out.tried;
    const model::Finding* finding = syntax_finding_of(loaded);
    INFO(slipped.substr(at > 60 ? at - 60 : 0, 120));
    if (finding == nullptr) {
      CHECK(said_by(loaded) == right);  // as TOML allows
      ++out.given_back;
      continue;
    }
    if (finding->fixes.empty()) continue;
    ++out.named;
    if (!finding->fixes.front().certain) continue;
    const auto edits = files::text_edits(loaded, finding->fixes.front());
    REQUIRE(edits);
    const auto again = loaded_of(files::edited(slipped, *edits));
    INFO(finding->message);
    CHECK(syntax_finding_of(again) == nullptr);
    CHECK(said_by(again) == right);
    ++out.given_back;
    // all the rest was read meanwhile
    CHECK(said_by(loaded).size() + 120 >= right.size());
  }
  return out;
}

void leave_out(std::string& text, std::size_t at) {
  text.erase(at, 1);
}

}  // namespace

TEST_CASE("brackets of headings that are left out are named, and given back") {
  const std::string text = demo_text();
  const auto result = try_all(text,
                              marks(text,
                                    [&](std::size_t i) {
                                      if (text[i] != '[' && text[i] != ']') return false;
                                      const std::size_t line = text.rfind('\n', i) + 1;
                                      return text[line] == '[';
                                    }),
                              leave_out);
  CHECK(result.tried > 60);
  CHECK(result.given_back == result.tried);
}

TEST_CASE("a = that is left out, or written as a colon, is named, and given back") {
  const std::string text = demo_text();
  const auto equals = marks(text, [&](std::size_t i) { return text[i] == '='; });
  REQUIRE(equals.size() > 800);
  std::vector<std::size_t> some;
  for (std::size_t i = 0; i < equals.size(); i += 7) some.push_back(equals[i]);
  const auto left_out = try_all(text, some, leave_out);
  CHECK(left_out.given_back * 100 >= left_out.tried * 98);
  const auto colons = try_all(text, some, [](std::string& in, std::size_t at) { in[at] = ':'; });
  CHECK(colons.given_back == colons.tried);
}

TEST_CASE("brackets of rows and lists that are left out are named, and given back") {
  const std::string text = demo_text();
  const auto braces = marks(text, [&](std::size_t i) { return text[i] == '{' || text[i] == '}'; });
  std::vector<std::size_t> some;
  for (std::size_t i = 0; i < braces.size(); i += 2) some.push_back(braces[i]);
  for (std::size_t i = 1; i < braces.size(); i += 4) some.push_back(braces[i]);
  const auto result = try_all(text, some, leave_out);
  CHECK(result.tried > 100);
  CHECK(result.named * 100 >= result.tried * 80);
  CHECK(result.given_back * 100 >= result.tried * 80);
  const auto lists = try_all(
      text, marks(text, [&](std::size_t i) { return text[i] == ']' && text[i - 1] == '\n'; }),
      leave_out);
  CHECK(lists.tried >= 3);
  CHECK(lists.given_back == lists.tried);
}

TEST_CASE("a semicolon at an end and slashes before a comment are named, and given back") {
  const std::string text = demo_text();
  std::vector<std::size_t> ends;
  std::vector<std::size_t> comments;
  bool quoted = false;
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] == '"') quoted = !quoted;
    if (text[i] == '#' && !quoted) {
      comments.push_back(i);
      i = text.find('\n', i) - 1;
    } else if (text[i] == '\n' && i > 0 && text[i - 1] == '"' && i % 3 == 0) {
      ends.push_back(i);
    }
  }
  const auto semicolons =
      try_all(text, ends, [](std::string& in, std::size_t at) { in.insert(at, ";"); });
  CHECK(semicolons.tried > 20);
  CHECK(semicolons.given_back == semicolons.tried);
  const auto slashes =
      try_all(text, comments, [](std::string& in, std::size_t at) { in.replace(at, 1, "//"); });
  CHECK(slashes.tried > 20);
  CHECK(slashes.given_back * 10 >= slashes.tried * 9);
}

TEST_CASE("marks out of place are told in words, at their place") {
  const auto told = [](const std::string& text) {
    const auto loaded = loaded_of(text);
    const model::Finding* f = syntax_finding_of(loaded);
    REQUIRE(f != nullptr);
    return fmt::format("{}:{} {} | {}", f->place.line, f->place.column, f->message,
                       f->fixes.empty() ? f->remedy : f->fixes.front().title);
  };
  CHECK(told("[plan\ntitle = \"x\"\n") ==
        "1:1 the heading [plan lacks a bracket at its end | write [plan]");
  CHECK(told("plan]  # ours\ntitle = \"x\"\n") ==
        "1:1 the heading plan] lacks a bracket at its begin | write [plan]");
  CHECK(told("[plan]]\ntitle = \"x\"\n") ==
        "1:1 the heading [plan]] has a bracket too many at its end | write [plan]");
  CHECK(told("[[exchange.transactions]\nname = \"x\"\n") ==
        "1:1 the heading [[exchange.transactions] lacks a bracket at its end | write "
        "[[exchange.transactions]]");
  CHECK(told("[slave.pump 1]\nunit = 3\n") ==
        "1:1 a name with a blank stands in quotes in the heading [slave.pump 1] | write "
        "[slave.\"pump 1\"]");
  CHECK(told("[plan]\ntitle \"x\"\n") ==
        "2:1 between `title` and its value an = is missing | write = behind `title`");
  CHECK(told("[plan]\ntitle: \"x\"\n") ==
        "2:6 between `title` and its value stands =, not : | write = behind `title`");
  CHECK(told("[plan]\ntitle =\n") ==
        "2:8 key-value pair: expected value, saw '\\n' | behind the = stands no value: write one, "
        "or leave the key out");
  CHECK(told("[slave.a]\nunit = 3;\n") == "2:9 a line ends without ; | leave ; out");
  CHECK(told("[exchange]\ntransactions = [\n  { name = \"a\" };\n  { name = \"b\" },\n]\n") ==
        "3:17 rows are told apart by commas, not by ; | write ,");
  CHECK(told("// ours\n[plan]\n") == "1:1 comments begin with #, not with // | write #");
  CHECK(told("[exchange]\ntransactions = [\n  name = \"a\", fc = 3\n]\n") ==
        "3:3 a row stands between { and } | write { and } around it");
  CHECK(told("[exchange]\ntransactions = [\n  name = \"a\", fc = 3 },\n]\n") ==
        "3:3 a row begins with {, this one with name | write { before name");
  CHECK(told("[exchange]\ntransactions = [\n  { name = \"a\", fc = 3\n]\n") ==
        "3:3 what begins here with { lacks its } | write }");
  CHECK(
      told("[exchange]\ntransactions = [\n  { name = \"a\" },  # last\n\n[slave.a]\nunit = 1\n") ==
      "2:16 the list that begins in line 2 lacks its ] | write ] in a line behind its last row");
  const std::string slashes = "// ours\n[plan]\n";
  const auto commented = loaded_of(slashes);
  const auto edits = files::text_edits(commented, syntax_finding_of(commented)->fixes.front());
  REQUIRE(edits);
  CHECK(files::edited(slashes, *edits) == "# ours\n[plan]\n");
  // with an = it would be no better
  const auto two_words = loaded_of("[plan]\ntitle of = \"x\"\n");
  REQUIRE(syntax_finding_of(two_words) != nullptr);
  CHECK(syntax_finding_of(two_words)->fixes.empty());
  // a row over two lines lacks nothing: TOML wants it on one
  CHECK(told("[exchange]\ntransactions = [\n  { name = \"a\",\n    fc = 3 },\n]\n")
            .find("TOML allows no line break inside { }") != std::string::npos);
}
