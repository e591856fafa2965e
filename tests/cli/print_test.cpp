// What is printed on a terminal: colour, folding, widths. No process needed.
#include "cli/print.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <sstream>

#include "cli/commands.h"
#include "cli/folding_stream.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::cli;

namespace {

// Prints the findings of a plan on a terminal of this width.
std::string printed(const std::string& plan, std::size_t width, bool colour, bool folds) {
  const auto loaded = test::load(plan, test::base_files());
  std::ostringstream out;
  print_findings(loaded, checks::check(loaded.plan, loaded.findings),
                 {out, out, colour, false, folds, width});
  return out.str();
}

const std::string off_by_one = test::nothing_unused(test::with_rows(
    {R"({ name = "t", slave = "gauge", fc = 3, at = 9, count = 4, into = "%MW0", every = "1s", on_loss = "hold" })"}));

std::size_t longest_line(const std::string& text) {
  std::size_t longest = 0;
  std::istringstream lines(text);
  for (std::string line; std::getline(lines, line);) longest = std::max(longest, line.size());
  return longest;
}

}  // namespace

TEST_CASE("on a terminal long findings are folded, in a pipe they stay on one line") {
  CHECK(longest_line(printed(off_by_one, 80, false, true)) <= 80);
  const std::string piped = printed(off_by_one, 80, false, false);
  CHECK(
      piped.find("plan.toml:19:47: warning F10: transaction t: looks off by one: hr:9..hr:12 does "
                 "not fit gauge.csv, hr:10..hr:13 starts and ends exactly on points\n") == 0);
}

TEST_CASE("colour appears only where it is wanted") {
  CHECK(printed(off_by_one, 100, true, false).find("\033[1;33mwarning F10\033[0m") !=
        std::string::npos);
  CHECK(printed(off_by_one, 100, false, false).find('\033') == std::string::npos);
}

TEST_CASE("a source line is cut around the caret, and control characters do not get out") {
  const std::string narrow = printed(off_by_one, 50, false, true);
  std::istringstream lines(narrow);
  std::string before;
  bool seen = false;
  for (std::string line; std::getline(lines, line); before = line) {
    const std::size_t caret = line.find('^');
    if (caret == std::string::npos) continue;
    seen = true;
    CHECK(before.at(caret) == '9');  // the value the finding speaks about
  }
  CHECK(seen);
  const std::string escape = test::replaced(off_by_one, "name = \"t\"", "name = \"t\\u001B[2J\"");
  CHECK(printed(escape, 100, false, false).find('\033') == std::string::npos);
  CHECK(printed(escape, 100, false, false).find("t\\u{1B}[2J") != std::string::npos);
}

TEST_CASE("the timing fits 80 columns, with more to see where there is room") {
  const auto loaded = test::load(
      test::with_rows(
          {R"({ name = "a transaction with a very long name", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s" })"}),
      test::base_files());
  const auto report = timing::analyse(loaded.plan, {});
  std::ostringstream ignored;
  const auto text = [&](std::size_t width) {
    return timing_text(loaded.plan, report, plain_terminal(ignored, ignored, width), true);
  };
  CHECK(longest_line(text(80)) <= 80);
  CHECK(longest_line(text(40)) <= 80);  // narrower than that nothing can be read
  CHECK(text(80).find("a transaction ~") != std::string::npos);
  // what there is no room for is named
  CHECK(text(80).find("silent  failed") == std::string::npos);
  CHECK(text(80).find("Too wide for here, and in --json: failed, except.\n") != std::string::npos);
  CHECK(text(120).find("Too wide") == std::string::npos);
  CHECK(text(120).find("failed except.") != std::string::npos);
  CHECK(longest_line(text(120)) <= 120);
}

TEST_CASE("counts are spelt as people read them") {
  CHECK(tally_text({2, 1, 0}) == "2 errors, 1 warning, no notes");
  CHECK(tally_text({0, 0, 1}) == "no errors, no warnings, 1 note");
}

TEST_CASE("lines are folded at blanks, no wider than they may be, and nothing of them is lost") {
  CHECK(cli::folded_line("short", 20) == "short");
  CHECK(cli::folded_line("a line of words that is long", 20) ==
        "a line of words that\n    is long");
  // below the column that it belongs to
  CHECK(cli::folded_line("  name   what it is for here", 24) ==
        "  name   what it is for\n         here");
  // a row of a plan is there to be copied, a cursor to be moved, a word to be whole
  const std::string row = "  { name = \"a\", slave = \"b\", fc = 3 },";
  CHECK(cli::folded_line(row, 20) == row);
  CHECK(cli::folded_line("\x1b[5;1Hsome words at a place", 20) == "\x1b[5;1Hsome words at a place");
  CHECK(cli::folded_line(std::string(30, 'x'), 20) == std::string(30, 'x'));
  CHECK(cli::folded_line(std::string(18, ' ') + "word", 20) == std::string(10, ' ') + "word");
  // colours take no room
  CHECK(cli::folded_line("\x1b[1;31merror\x1b[0m is shown red", 20) ==
        "\x1b[1;31merror\x1b[0m is shown red");
  rc::prop("of any text", [] {
    const auto words = *rc::gen::container<std::vector<std::string>>(rc::gen::nonEmpty(
        rc::gen::container<std::string>(rc::gen::elementOf(std::string("abü \x1b[m")))));
    std::string line;
    for (const std::string& word : words) line += word + " ";
    const std::size_t width = *rc::gen::inRange<std::size_t>(20, 60);
    const std::string folded = cli::folded_line(line, width);
    std::string before = line;
    std::string after = folded;
    for (std::string* text : {&before, &after}) {
      std::erase_if(*text, [](char c) { return c == ' ' || c == '\n'; });
    }
    RC_ASSERT(before == after);
  });
  // a stream on which everything is written in pieces
  std::ostringstream out;
  {
    cli::FoldingBuffer folds(out, 20);
    for (const char c : std::string("one two three four five six\nshort\n")) out << c;
    out << "asks: " << std::flush << "yes\n";
    cli::write_unfolded(out);
    out << "{\"a document\": \"as it is, however long\"}\n";
  }
  CHECK(out.str() ==
        "one two three four\n    five six\nshort\nasks: yes\n"
        "{\"a document\": \"as it is, however long\"}\n");
}
