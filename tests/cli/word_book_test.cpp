// What `explain` says of words and keys: out of the pages, every key that a plan may have, and
// nothing that breaks on a page that is none.
#include "cli/word_book.h"

#include <algorithm>
#include <set>
#include <sstream>

#include <catch2/catch.hpp>

#include "checks/symptoms.h"
#include "cli/explanations.h"
#include "files/plan_loader.h"
#include "process.h"

using namespace greymet;

namespace {

test::Outcome explain(const std::string& word) {
  const test::TemporaryFolder folder;
  return test::run_program(GREYMET_PROGRAM, {"explain", word}, folder.path());
}

}  // namespace

TEST_CASE("explain says what a word means, what a key does, and what is near to neither") {
  const auto release = explain("release");
  CHECK(release.status == 0);
  CHECK(release.out.starts_with("release\n  The instant at which a transaction becomes due"));
  CHECK(explain("Missed Release").out == release.out);  // also called
  const auto park = explain("park");
  CHECK(park.out.find("`park`, a key of [line.NAME]\n") != std::string::npos);
  CHECK(park.out.find("if it is left out: never\n") != std::string::npos);
  CHECK(explain("1-based").out.find("The wire counts from 0") != std::string::npos);
  CHECK(explain("numbering").out.find("a key of [slave.NAME]") != std::string::npos);
  const auto wrong = explain("numberin");
  CHECK(wrong.status == 2);
  CHECK(wrong.err.find("there is no rule, word or key 'numberin' (did you mean 'numbering'?)") !=
        std::string::npos);
  CHECK(explain("words").out.find("release") != std::string::npos);
  CHECK(explain("tiny").out.find("6.2e-39") != std::string::npos);
}

TEST_CASE("what is seen is explained in whatever words it is told") {
  const auto first_line = [](const std::vector<std::string>& words) {
    std::vector<std::string> call{"explain"};
    call.insert(call.end(), words.begin(), words.end());
    const test::TemporaryFolder folder;
    const auto outcome = test::run_program(GREYMET_PROGRAM, call, folder.path());
    CHECK(outcome.status == 0);
    return outcome.out.substr(0, outcome.out.find('\n'));
  };
  CHECK(first_line({"exception", "2"}) == "exception 02: illegal data address");
  CHECK(first_line({"0x0B"}) == "exception 0B: gateway target device failed to respond");
  CHECK(first_line({"Off", "by", "one"}) == "everything is one register off");
  CHECK(first_line({"off by one"}) == "everything is one register off");
  for (const char* number : {"6.2e-39", "-1.4e38", "3.4E+38"}) {
    CHECK(first_line({number}) == "a value such as 6.2e-39, or 1.4e38");
  }
  CHECK(first_line({"all", "zeros"}) == "a value that is always zero");
  CHECK(first_line({"values are always zero"}) == "a value that is always zero");
  CHECK(first_line({"no answer"}) == "no reply");
  CHECK(first_line({"one", "slave", "times", "out"}) == "one slave times out, the others answer");
  CHECK(first_line({"values jump when another device is off"}) ==
        "values jump or freeze when another device is off");
  CHECK(first_line({"ten times too large"}) == "a value that is ten times too large or too small");
  CHECK(first_line({"CRC", "errors"}) == "broken frames");
  CHECK(first_line({"swapped words"}) == "a value that makes no sense, or jumps");
  // several things may be meant
  const auto jumps = explain("jumps");
  CHECK(jumps.out ==
        "what speaks of 'jumps', with greymet explain NAME:\n"
        "  springs-back  a value that springs back\n"
        "  other-off     values jump or freeze when another device is off\n"
        "  swapped       a value that makes no sense, or jumps\n");
  // a word that has a meaning of its own has it first
  const auto timeout = explain("timeout");
  CHECK(timeout.out.starts_with("timeout\n  How long a master waits"));
  CHECK(timeout.out.ends_with("\nseen at the cabinet: greymet explain silence (no reply)\n"));
  // what none of them speaks of is said, and letters that tell nothing are no search
  for (const char* nothing : {"gibberish", "the", "77", "%%%", "zeros gibberish gobbledegook"}) {
    INFO(nothing);
    CHECK(explain(nothing).status == 2);
  }
}

TEST_CASE("whatever one or two words of a symptom's title are asked, it is among the answers") {
  for (const checks::Symptom& symptom : checks::symptoms()) {
    std::istringstream in{std::string(symptom.title)};
    for (std::string word; in >> word;) {
      std::erase_if(word, [](char c) { return c == ',' || c == ':'; });
      const auto found = cli::explanations_of(word);
      INFO(symptom.name << ": " << word);
      // words without a meaning find nothing at all
      CHECK((found.empty() || std::any_of(found.begin(), found.end(), [&](const auto& each) {
               return each.name == symptom.name;
             })));
    }
  }
}

TEST_CASE("every key that a plan may have is explained, and none that it may not") {
  // the reader tells by its own table where a key belongs; a key that is explained belongs
  // somewhere
  std::set<std::string> unknown;
  for (const std::string& word : cli::word_book().words()) {
    const auto meanings = cli::word_book().meanings_of(word);
    CHECK_FALSE(meanings.empty());
    for (const auto& each : meanings) CHECK(each.text.size() > 8);
  }
  for (const char* key : {"scan",
                          "sends",
                          "jitter",
                          "address",
                          "model",
                          "router",
                          "in_flight",
                          "answers",
                          "word_order",
                          "tags",
                          "tool_counts",
                          "tool_times",
                          "kind",
                          "first",
                          "count",
                          "serves",
                          "inside",
                          "width",
                          "radix",
                          "master",
                          "via",
                          "port",
                          "medium",
                          "mode",
                          "baud",
                          "format",
                          "timeout",
                          "retries",
                          "pause",
                          "turnaround",
                          "timeout_to",
                          "latency",
                          "character_gap",
                          "order",
                          "park",
                          "length_m",
                          "stub_m",
                          "host",
                          "connections",
                          "framing",
                          "on_silence",
                          "delay",
                          "rtt",
                          "line",
                          "unit",
                          "map",
                          "numbering",
                          "reply",
                          "scans",
                          "settings",
                          "functions",
                          "max_read",
                          "max_write",
                          "max_read_bits",
                          "max_write_bits",
                          "holes",
                          "map_covers",
                          "watchdog",
                          "watchdog_by",
                          "unit_load",
                          "assumed",
                          "connect_timeout",
                          "routed",
                          "idle",
                          "connect",
                          "retransmission",
                          "like",
                          "offset",
                          "counts",
                          "fc",
                          "at",
                          "points",
                          "into",
                          "from",
                          "read",
                          "write",
                          "every",
                          "on",
                          "phase",
                          "phase_step",
                          "alone",
                          "min_gap",
                          "only_if",
                          "on_loss",
                          "status",
                          "packing",
                          "relays",
                          "swap",
                          "value",
                          "bit",
                          "toggle",
                          "watch",
                          "react",
                          "lost",
                          "seen",
                          "budget",
                          "rule",
                          "why",
                          "fingerprint",
                          "protocols",
                          "max_words",
                          "period_step",
                          "align32",
                          "series",
                          "needs"}) {
    if (cli::word_book().meanings_of(key).empty()) unknown.insert(key);
  }
  CHECK(unknown == std::set<std::string>());
}

TEST_CASE("a page that is cut or no page at all breaks nothing") {
  const std::string page = "| **a** (b, c) | first |\n| **d | x |\n| **e** |\n|\n| |\n| ** |\n";
  for (std::size_t end = 0; end <= page.size(); ++end) {
    const cli::WordBook book(page.substr(0, end), page.substr(0, end));
    CHECK(book.meanings_of("").empty());
  }
  const cli::WordBook book("| **a** (b, c) | see [there](x.md) and `k[1]` |\n",
                           "## `[t]`\n| `k`, `l` | does | 3 |\n| `x = 1` | none |\n");
  CHECK(book.meanings_of("C").front().text == "see there and `k[1]`");
  CHECK(book.meanings_of("l").front().title == "`l`, a key of [t]");
  CHECK(book.meanings_of("`k` =").front().usual == "3");
  CHECK(book.meanings_of("x").empty());
}
