#include "files/toml_scan.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "files/source_text.h"
#include "files/toml_reader.h"
#include "model/utf8_text.h"

using namespace greymet;
using namespace greymet::files;

namespace {

// "[a.b] | k=v | k=[e,e]": the scan in the words of the text.
std::string shown(std::string_view text, const std::vector<TomlNode>& nodes) {
  const auto part = [text](const Span& s) {
    return std::string(text.substr(s.begin, s.end - s.begin));
  };
  std::string out;
  for (const TomlNode& n : nodes) {
    if (!out.empty()) out += " | ";
    switch (n.kind) {
      case TomlKind::header: out += "[" + part(n.key) + "]"; break;
      case TomlKind::array_header: out += "[[" + part(n.key) + "]]"; break;
      case TomlKind::pair: out += part(n.key) + "=" + part(n.value); break;
      case TomlKind::element: out += part(n.value); break;
    }
    if (!n.parts.empty()) out += " <" + shown(text, n.parts) + ">";
  }
  return out;
}

std::string scanned(std::string_view text) {
  return shown(text, scan_toml(text));
}

// Every node lies in the text and in the node around it, in order, and none is empty.
void check_nesting(const std::vector<TomlNode>& nodes, const Span& around) {
  std::size_t at = around.begin;
  for (const TomlNode& n : nodes) {
    RC_ASSERT(n.whole.begin >= at && n.whole.end <= around.end);
    RC_ASSERT(n.value.empty() || (n.value.begin >= n.whole.begin && n.value.end <= n.whole.end));
    if (!n.parts.empty()) check_nesting(n.parts, n.value);
    at = n.whole.end;
  }
}

}  // namespace

TEST_CASE("the structure of a text in its own words") {
  CHECK(scanned("# c\n[a.b] # d\n k = 1 # e\n\"q = x\" = 'v # w'\n[[c]]\n") ==
        "[a.b] | k=1 | \"q = x\"='v # w' | [[c]]");
  CHECK(scanned("t = [ { n = 1, m = [2, 3] }, # c\n  {n=4},\n]\nu = { }\n") ==
        "t=[ { n = 1, m = [2, 3] }, # c\n  {n=4},\n] <{ n = 1, m = [2, 3] } <n=1 | m=[2, 3] <2 | "
        "3>> | {n=4} <n=4>> | u={ }");
  CHECK(scanned("a = \"\"\"x\n[no]\n\"\"\"\nb = '''y'''\n") ==
        "a=\"\"\"x\n[no]\n\"\"\" | b='''y'''");
  CHECK(scanned("a = \"\\\"]\" \r\nb = 2\r\n") == "a=\"\\\"]\" | b=2");
  CHECK(scanned("\xEF\xBB\xBF[a]\n") == "[a]");
}

TEST_CASE("the scan finds its way through what is no TOML") {
  CHECK(scanned("a = 500ms\nb = rtu x\nc\nd =\n") == "a=500ms | b=rtu x | c= | d=");
  CHECK(scanned("a = [1, 2\n[next]\nb = 1\n") == "a=[1, 2 <1 | 2> | [next] | b=1");
  CHECK(scanned("t = [\n { a = 1\n { b = 2 },\n]\nc = 3\n") ==
        "t=[\n { a = 1\n { b = 2 },\n] <{ a = 1 <a=1> | { b = 2 } <b=2>> | c=3");
  CHECK(scanned("[open\nk = 1\n") == "[open] | k=1");
}

TEST_CASE("what is not closed ends with its last content, within what is around it") {
  check_nesting(scan_toml("={={\n"), {0, 5});
  CHECK(scanned("a = { b = [ 1,\n\n") == "a={ b = [ 1, <b=[ 1, <1>>");
}

TEST_CASE("spans nest, whatever the text") {
  rc::prop("nesting", [] {
    const auto text =
        *rc::gen::container<std::string>(rc::gen::elementOf(std::string("ab=,[]{}\"'#\n \\.1")));
    const auto nodes = scan_toml(text);
    check_nesting(nodes, {0, text.size()});
  });
  const std::string deep(300'000, '[');
  CHECK(scan_toml("x = " + deep).size() == 1);
  CHECK_FALSE(scan_toml("x = " + std::string(300'000, '{')).empty());
}

TEST_CASE("the scan and toml++ agree where values begin and end") {
  const std::string text =
      "[a]\nx = 1 # one\ns = \"\xC3\xA4 # no\"\nrows = [ { p = 0x10, q = [ 1, 2 ] },\n  { p = 3 } "
      "]\n"
      "[[b]]\ny = 2.5\n";
  model::Findings findings;
  const auto root = read_toml(text, 0, findings);
  REQUIRE(root.has_value());
  const SourceText source(text);
  const auto nodes = scan_toml(text);
  const auto range_of = [&](const TomlNode& n) {
    return source.range(n.value.begin, n.value.end, 0);
  };
  CHECK(range_of(nodes[1]) == root->find("a")->find("x")->place);
  CHECK(range_of(nodes[2]) == root->find("a")->find("s")->place);
  const Value& rows = *root->find("a")->find("rows");
  CHECK(range_of(nodes[3]) == rows.place);
  CHECK(range_of(nodes[3].parts[0]) == rows.items[0].place);
  CHECK(range_of(nodes[3].parts[0].parts[0]) == rows.items[0].find("p")->place);
  CHECK(range_of(nodes[3].parts[1].parts[0]) == rows.items[1].find("p")->place);
}

TEST_CASE("lines, columns and bytes lead to each other") {
  const std::string text =
      "\xEF\xBB\xBF"
      "a\xC3\xA4z\r\n\r\nlast";
  const SourceText source(text);
  CHECK(source.lines() == 3);
  CHECK(source.line(1) == "a\xC3\xA4z");
  CHECK(source.line(2).empty());
  CHECK(source.line(3) == "last");
  CHECK(source.line(4).empty());
  CHECK(source.offset(1, 3) == 6);  // behind the mark, a, and two bytes
  CHECK(source.offset(1, 99) == 7);
  CHECK(source.offset(9, 1) == text.size());
  CHECK(source.range(6, 7, 5) == model::Range{5, 1, 3, 1, 4});
  CHECK(line_ending(text) == "\r\n");
  CHECK(line_ending("a\nb") == "\n");
  CHECK(line_ending("") == "\n");
  CHECK(model::shortened("a\xC3\xA4\xC3\xB6z", 3) == "a\xC3\xA4~");
  CHECK(model::shortened("abc", 3) == "abc");
  CHECK(model::code_points("\xFF\xC3") == 2);
  CHECK(model::first_bad_byte("ok") == std::string::npos);
  CHECK(model::first_bad_byte(std::string("o\0k", 3)) == 1);
  CHECK(model::first_bad_byte("o\xE0\x80\x80") == 1);
  CHECK(model::first_bad_byte("\xED\xA0\x80") == 0);
}
