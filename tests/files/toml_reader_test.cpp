#include "files/toml_reader.h"

#include <fmt/format.h>
#include <set>

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using namespace greymet::files;

namespace {

// The tree as text, tables in the order of the file: {a=1@1:3, b=[...]}
std::string dump(const Value& v) {
  std::string out;
  switch (v.kind) {
    case ValueKind::table:
      for (const Entry& e : v.entries)
        out += fmt::format("{}{}={}", out.empty() ? "" : ", ", e.key, dump(e.value));
      return "{" + out + "}";
    case ValueKind::array:
      for (const Value& item : v.items) out += (out.empty() ? "" : ", ") + dump(item);
      return "[" + out + "]";
    case ValueKind::real: return fmt::format("{}", v.real);
    case ValueKind::boolean: return v.boolean ? "true" : "false";
    case ValueKind::date: return "date";
    case ValueKind::text: return '"' + v.text + '"';
    case ValueKind::refused: return "?";
    case ValueKind::integer:
    case ValueKind::cell: break;
  }
  return v.text;
}

// "P01 1:9: message | remedy" of the findings, one a line
std::string listed_findings(const std::string& text) {
  model::Findings findings;
  const auto root = read_toml(text, 0, findings);
  std::string out;
  for (const auto& f : findings) {
    out += fmt::format("{}{} {}:{}: {} | {}", out.empty() ? "" : "\n", to_string(f.rule),
                       f.place.line, f.place.column, f.message, f.remedy);
  }
  return out + (root ? "" : " (unreadable)");
}

}  // namespace

TEST_CASE("TOML becomes a tree in the order of the file") {
  model::Findings findings;
  const auto root = read_toml(
      "[z]\nb = 1\na = 0x1F\n[a]\nx = [1, \"two\", 3.5, true]\nd = 2026-11-23\n[z.sub]\nk = { q = "
      "1, p = 2 }\n",
      3, findings);
  REQUIRE(root.has_value());
  CHECK(findings.empty());
  CHECK(dump(*root) ==
        "{z={b=1, a=0x1F, sub={k={q=1, p=2}}}, a={x=[1, \"two\", 3.5, true], d=date}}");
  const Value* x = root->find("a")->find("x");
  CHECK(test::begin_of(x->items[1].place) == test::Spot{3, 5, 9});
  CHECK(test::begin_of(root->find("z")->entries[1].place) == test::Spot{3, 3, 1});
}

TEST_CASE("columns count characters, not bytes; BOM and CRLF are fine") {
  model::Findings findings;
  const auto root = read_toml("\xEF\xBB\xBF\"\xC3\xA4\xC3\xB6\" = 1\r\nb = 2\r\n", 0, findings);
  REQUIRE(root.has_value());
  CHECK(root->entries[0].value.place.column == 8);
  CHECK(root->entries[1].place.line == 2);
}

TEST_CASE("the usual slips get their hint") {
  CHECK(listed_findings("every = 500ms\n").find("a duration is written in quotes: \"500ms\"") !=
        std::string::npos);
  CHECK(listed_findings("at = 1000h\n")
            .find("a hexadecimal number is written \"1000h\" in quotes, or 0x1000") !=
        std::string::npos);
  CHECK(listed_findings("at = 00014\n")
            .find("numbers have no leading zeros; a reference is written in quotes: \"00014\"") !=
        std::string::npos);
  CHECK(listed_findings("x = { a = 1,\n b = 2 }\n").find("TOML allows no line break inside { }") !=
        std::string::npos);
  CHECK(listed_findings("mode = rtu\n").find("texts are written in quotes: \"rtu\"") !=
        std::string::npos);
  CHECK(listed_findings("[;\n").starts_with("P01 1:2: "));
  CHECK(
      listed_findings("at = 16#1000\n") ==
      "P05 1:6: TOML reads this as 16 and a comment: '#' follows the number | write \"16#1000\" in "
      "quotes, or put a blank before a comment");
  CHECK(listed_findings("at = 16 # sixteen\n").empty());
}

TEST_CASE("what is written twice is P04, and reading goes on") {
  CHECK(listed_findings("[slave.x]\na = 1\n[slave.y]\nb = 2\n[slave.x]\nc = 3\n") ==
        "P04 5:1: [slave.x] is written twice | join the two tables, or give one of them another "
        "name");
  CHECK(listed_findings("[a]\nbaud = 1\nbaud = 2\n") ==
        "P04 3:1: `baud` is written twice | keep one of the two");
  CHECK(listed_findings("x = [{fc=1, fc=2, at=3}]\n") ==
        "P04 1:13: `fc` is written twice | keep one of the two");
  CHECK(listed_findings("[e]\nt = [{n=1}]\n[[e.t]]\nn=2\n[[e.t]]\nn=3\n") ==
        "P04 3:1: [[e.t]] is written twice | write the transactions as rows of one list, or all of "
        "them "
        "as blocks");
  model::Findings findings;
  const auto root =
      read_toml("[a]\nbaud = 1\nbaud = 2\nother = 3\n[a]\nlost = 1\n[b]\nk = 1\n", 0, findings);
  REQUIRE(root.has_value());
  CHECK(dump(*root) == "{a={baud=1, other=3}, b={k=1}}");
  CHECK(findings.size() == 2);
}

TEST_CASE("many duplicates end in an error, not in a loop") {
  std::string text = "[a]\n";
  for (int i = 0; i < 100; ++i) text += "k = 1\n";
  CHECK(listed_findings(text).find("(unreadable)") != std::string::npos);
}

TEST_CASE("hostile texts are refused with one finding") {
  std::string key(400'000, 'a');
  for (std::size_t i = 1; i < key.size(); i += 2) key[i] = '.';
  CHECK(listed_findings(key + " = 1\n") ==
        "P01 1:402: lists, tables and keys nest more than 200 deep | no plan needs that "
        "(unreadable)");
  CHECK(listed_findings("[" + key + "]\n").starts_with("P01 1:401: lists, tables"));
  CHECK(
      listed_findings("x = " + std::string(100'000, '[')).starts_with("P01 1:205: lists, tables"));
  CHECK(listed_findings(std::string("a = \"\0\"\n", 8)).find("P01 1:") != std::string::npos);
  CHECK(listed_findings("a = \"\xFF\"\n").find("P01 1:") != std::string::npos);
  CHECK(listed_findings(std::string(1000, '\0')).find("(unreadable)") != std::string::npos);
  CHECK(listed_findings("x = 99999999999999999999\n").starts_with("P01 1:"));
  CHECK(listed_findings("").empty());
  CHECK(listed_findings("# " + std::string(300, '.') + "\n").empty());
}

TEST_CASE("several errors are told in one go, and the rest is read") {
  model::Findings findings;
  const auto root = read_toml(
      "[line.a]\nbaud = 9600x\nmode = rtu\nport = \"ok\"\n[line.b\nbaud = 1\n[slave.c]\nunit =\n"
      "rows = [\n  { n = 1, every = 500ms, at = 3 },\n  { n = 2, at = 00014 },\n  { n = 3\n  },\n"
      "  { n = 4 },\n]\nlast = 1\n",
      0, findings);
  REQUIRE(root.has_value());
  std::vector<std::uint32_t> lines;
  for (const auto& f : findings) {
    CHECK(f.rule == model::RuleCode::P01);
    lines.push_back(f.place.line);
  }
  CHECK(lines == std::vector<std::uint32_t>{2, 3, 5, 8, 10, 11, 12});
  const std::string tree = dump(*root);
  INFO(tree);
  CHECK(tree.find("baud=?, mode=?, port=\"ok\"") != std::string::npos);
  CHECK(tree.find("{n=1, every=?, at=3}, {n=2, at=?}, ?, {n=4}]") != std::string::npos);
  CHECK(tree.find("last=1") != std::string::npos);
}

TEST_CASE("wherever a value is broken, the others keep their values and places") {
  const std::string text =
      "[a]\nx = 1\ny = \"t\"\n[b.c]\nrows = [\n  { p = 2, q = \"s\" },\n  { p = 3, q = [4, 5] "
      "},\n]\n"
      "z = true\n";
  model::Findings none;
  const std::string whole = dump(*read_toml(text, 0, none));
  REQUIRE(none.empty());
  // each value in turn becomes something that TOML does not know
  for (const std::string value : {"1", "\"t\"", "2", "\"s\"", "3", "[4, 5]", "true"}) {
    const std::string key_and_value = "= " + value;
    std::string broken = text;
    broken.replace(broken.find(key_and_value) + 2, value.size(), "5oops");
    model::Findings findings;
    const auto root = read_toml(broken, 0, findings);
    INFO(broken);
    REQUIRE(root.has_value());
    REQUIRE(findings.size() == 1);
    CHECK(findings[0].rule == model::RuleCode::P01);
    std::string expected = whole;
    const std::string shown = "=" + value;
    expected.replace(expected.find(shown) + 1, value.size(), "?");
    CHECK(dump(*root) == expected);
  }
}

TEST_CASE("what is not closed is told once, and what follows it is read") {
  model::Findings findings;
  const auto root =
      read_toml("a = \"x\n[b]\nc = [1,\n2\n[d]\ne = { f = 1, g = 2\n[h]\ni = 4\n", 0, findings);
  REQUIRE(root.has_value());
  REQUIRE(findings.size() == 3);
  CHECK(findings[0].place.line == 1);
  CHECK(findings[1].remedy == "close what begins in line 3 with ]");
  CHECK(findings[2].message == "what begins here with { lacks its }");
  CHECK(dump(*root) == "{a=?, b={c=?}, d={e={f=1, g=2}}, h={i=4}}");
}

TEST_CASE("however a plan is mutilated, reading ends and each place is reported once") {
  const std::string whole =
      "[a]\nx = 1 # c\ny = \"t\"\n[b.c]\nrows = [\n  { p = 2, q = \"s\" },\n  { p = 3, q = [4, 5] "
      "},\n]\n[[e.f]]\nz = true\n[[e.f]]\nz = '''m\nn'''\n";
  rc::prop("each place once", [&] {
    std::string text = whole;
    const auto changes = *rc::gen::inRange(1, 6);
    for (int i = 0; i < changes; ++i) {
      const auto at = *rc::gen::inRange<std::size_t>(0, text.size());
      const char c = *rc::gen::elementOf(std::string("[]{}=,\"'#\n x1.\r"));
      switch (*rc::gen::inRange(0, 3)) {
        case 0: text.erase(at, 1); break;
        case 1: text.insert(at, 1, c); break;
        default: text[at] = c; break;
      }
    }
    model::Findings findings;
    (void)read_toml(text, 0, findings);
    std::set<test::Spot> places;
    for (const auto& f : findings) RC_ASSERT(places.insert(test::begin_of(f.place)).second);
    RC_ASSERT(findings.size() <= 21);
  });
}

TEST_CASE("no text has more keys or entries than the limit says, one more is refused") {
  const auto listed = [](std::size_t entries) {
    std::string text = "x = [";
    for (std::size_t i = 0; i < entries; ++i) text += "1,";
    return listed_findings(text + "]\n");
  };
  CHECK(listed(1'000'000).find("entries of lists") == std::string::npos);
  CHECK(listed(1'000'001) ==
        "P01 1:2000007: more than 1000000 keys, or entries of lists | split the plan (unreadable)");
  std::string keys;
  for (int i = 0; i < 1'000'001; ++i) keys += "a=1\n";
  CHECK(listed_findings(keys) ==
        "P01 1000001:2: more than 1000000 keys, or entries of lists | split the plan (unreadable)");
  // what stands in texts and comments does not count
  CHECK(listed_findings("x = \"" + std::string(1'000'001, ',') + "\"\n").empty());
  CHECK(listed_findings("#" + std::string(1'000'001, '[') + "\n").empty());
}

TEST_CASE("nothing nests deeper than the reader can stand, however it is spelt") {
  const auto repeated = [](const std::string& text, int times) {
    std::string all;
    for (int i = 0; i < times; ++i) all += text;
    return all;
  };
  const auto refused = [](const std::string& text) {
    return listed_findings(text).find("nest more than 200 deep") != std::string::npos;
  };
  // each way to nest, far beyond the limit and just below it
  for (const int times : {100'000, 199}) {
    const bool beyond = times > 199;
    INFO(times);
    CHECK(refused(repeated("\"a\".", times) + "a = 1\n") == beyond);
    CHECK(refused(repeated("'#=' . ", times) + "a = 1\n") == beyond);
    CHECK(refused("[" + repeated("\"]\".", times - 1) + "a]\nk = 1\n") == beyond);
    CHECK(refused("x = " + repeated("[", times) + repeated("]", times)) == beyond);
    CHECK(refused("x = " + repeated("{ a = ", times) + "1" + repeated(" }", times)) == beyond);
  }
  // ways that are harmless alone and nest together
  const std::string header = "[" + repeated("h.", 39) + "h]\n";
  const auto mixed = [&](int more) {
    return header + repeated("k.", 39) +
           "k = " + repeated("{ " + repeated("'i'.", 39) + "i = ", 2) + repeated("[", 35 + more) +
           repeated("]", 35 + more) + " } }\n";
  };
  CHECK_FALSE(refused(mixed(0)));
  CHECK(refused(mixed(10)));
  // depth is no sum over the file: what is closed is closed, in strings and comments nothing nests
  CHECK_FALSE(refused("[a.b.c]\nx.y = { z = [[1.5, 2.5], ['[[[', \"\\\"{{{\"]] } # [[[[\n"));
  CHECK_FALSE(refused("x = [\n" + repeated("  { a.b = [1] }, # {{{\n", 500) + "]\n"));
  CHECK_FALSE(refused("x = \"\"\"" + repeated("[{.", 400) + "\"\"\"\ny = '''" +
                      repeated("[{.", 400) + "'''\n"));
}
