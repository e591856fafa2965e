// What is left out because something else explains it: nothing that is true of other registers,
// nothing that an acceptance would take along, and nothing without being counted.
#include <map>
#include <utility>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::with_rows;

namespace {

using Words = std::vector<std::string>;

using Key = std::pair<std::string, std::string>;  // rule and subject

void add_all(const model::Findings& findings, std::map<Key, int>& out) {
  for (const model::Finding& f : findings) {
    if (f.rule != model::RuleCode::P09) ++out[{std::string(to_string(f.rule)), to_text(f.subject)}];
    add_all(f.explains, out);
  }
}

// Everything that was found, said or explained.
std::map<Key, int> all_found(const model::ResolvedPlan& plan, const model::Findings& reading) {
  std::map<Key, int> out;
  add_all(checks::check(plan, reading), out);
  return out;
}

// Accepting X hides X, once or as often as it stands there, and nothing besides.
void accept_each(files::LoadedPlan loaded) {
  const auto before = all_found(loaded.plan, loaded.findings);
  for (const auto& [key, count] : before) {
    model::Accept accept;
    accept.rule = model::Located<std::string>{key.first, {}};
    accept.at = model::Located<std::string>{key.second, {}};
    loaded.plan.plan.accepts.push_back(accept);
    auto after = all_found(loaded.plan, loaded.findings);
    loaded.plan.plan.accepts.pop_back();
    INFO("accepted: " << key.first << " at " << key.second);
    CHECK(after.find(key) == after.end());
    after[key] = count;
    // joined with its like it counts for several
    for (const auto& [other, number] : before) {
      INFO("hidden with it: " << other.first << " at " << other.second << ", " << number);
      CHECK(after.find(other) != after.end());
    }
  }
}

const std::string tagged = "word_order = \"CDAB\"\ntags = \"tags.csv\"\n";
test::Files with_tags(const std::string& rows) {
  auto files = test::base_files();
  files["tags.csv"] = "tag,address,type,from\n" + rows;
  return files;
}
std::string tagged_rows(const std::vector<std::string>& rows) {
  return test::replaced(with_rows(rows), "scan = \"10ms\"\n", "scan = \"10ms\"\n" + tagged);
}

}  // namespace

TEST_CASE("accepting a finding hides that one alone") {
  SECTION("of the draft, which has most of the rules") {
    accept_each(
        files::load_plan(std::string(GREYMET_EXAMPLES) + "/draft.toml", files::disk_files()));
  }
  SECTION("of blocks that are off, cut, too long, at the wrong slave and in the wrong type") {
    for (const char* at : {"at = 9, count = 5", "at = 0, count = 7", "at = 40011, count = 4",
                           "at = 0, count = 9", "at = 0, count = 130", "at = 300, count = 2"}) {
      const std::string row = fmt::format(
          "{{ name = \"t\", slave = \"gauge\", fc = 3, {}, into = \"%MW100\", every = \"1s\" }}",
          at);
      const auto files = with_tags(
          "a,%MW100,DINT,gauge.moisture\nb,%MW103,INT,gauge.temp\nc,%MW101,INT,gauge.high\n");
      accept_each(test::load(tagged_rows({row}), files));
    }
  }
}

TEST_CASE("a cut value at the edge says nothing of the types of others") {
  const std::string row =
      R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 7, into = "%MW100", every = "1s" })";
  const auto files = with_tags("a,%MW100,DINT,gauge.moisture\nb,%MW106,UDINT,gauge.count\n");
  CHECK(findings_of_rule("F12", tagged_rows({row}), files).size() == 1);
  const Words types = findings_of_rule("V02", tagged_rows({row}), files);
  REQUIRE(types.size() == 1);  // that of `b` goes with F12
  CHECK(types[0].find("tag kiln.a: 'gauge.moisture' arrives in %MW100..%MW101 as f32") !=
        std::string::npos);
}

TEST_CASE("what follows is kept by its cause, and makes it as grave") {
  const std::string row =
      R"({ name = "t", slave = "gauge", fc = 3, at = 9, count = 4, into = "%MW100", every = "1s" })";
  const auto loaded = test::load(tagged_rows({row}), with_tags("a,%MW100,UINT,gauge.low\n"));
  const auto found = checks::check(loaded.plan, loaded.findings);
  const auto off = std::find_if(found.begin(), found.end(), [](const model::Finding& f) {
    return f.rule == model::RuleCode::F10;
  });
  REQUIRE(off != found.end());
  CHECK(off->severity == model::Severity::error);
  std::vector<std::string> rules;
  for (const auto& each : off->explains) rules.emplace_back(to_string(each.rule));
  CHECK(rules == Words{"V01", "V06"});
}

TEST_CASE("half of a function 23 that is too long does not hide the other") {
  const std::string row =
      R"({ name = "t", slave = "gauge", fc = 23, read = { at = 6, count = 4, into = "%MW0" }, )"
      R"(write = { at = 10, count = 130, from = "%MW200" }, every = "1s", on_loss = "hold" })";
  CHECK(findings_of_rule("F02", with_rows({row})).size() == 1);
  CHECK(findings_of_rule("F09", with_rows({row})).size() == 1);
  const std::string other =
      R"({ name = "t", slave = "gauge", fc = 23, read = { at = 6, count = 130, into = "%MW0" }, )"
      R"(write = { at = 6, count = 4, from = "%MW200" }, every = "1s", on_loss = "hold" })";
  CHECK(findings_of_rule("F02", with_rows({other})).size() == 1);
  CHECK(findings_of_rule("F09", with_rows({other})).size() == 1);
}

TEST_CASE("a slave that nobody knows makes no type right") {
  const std::string right =
      R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW100", every = "1s" })";
  const std::string slip =
      R"({ name = "u", slave = "guage", fc = 3, at = 2, count = 2, into = "%MW102", every = "1s" })";
  const auto files = with_tags("a,%MW100,DINT,gauge.moisture\nb,%MW102,REAL,gauge.temp\n");
  CHECK(findings_of_rule("V02", tagged_rows({right, slip}), files).size() == 1);
  CHECK(findings_of_rule("V01", tagged_rows({right, slip}), files).empty());  // `u` may bring it
}

TEST_CASE("a period that cannot be kept does not excuse a line that is overloaded without it") {
  std::vector<std::string> rows;
  for (int i = 0; i < 12; ++i) {
    rows.push_back(
        fmt::format("{{ name = \"t{}\", slave = \"gauge\", fc = 3, at = 0, count = 8, "
                    "into = \"%MW{}\", every = \"50ms\" }}",
                    i, 20 * i));
  }
  const std::string impossible =
      R"({ name = "u", slave = "gauge", fc = 3, at = 0, count = 1, into = "%MW900", every = "9ms" })";
  CHECK(findings_of_rule("T01", with_rows(rows)).size() == 1);
  rows.push_back(impossible);
  CHECK(findings_of_rule("T05", with_rows(rows)).size() == 1);
  CHECK(findings_of_rule("T01", with_rows(rows)).size() == 1);
  // alone it is what is too much: then it is said once
  CHECK(findings_of_rule("T01", with_rows({impossible})).empty() !=
        findings_of_rule("T05", with_rows({impossible})).empty());
}

TEST_CASE("a mask of several registers is not turned into a write of all their bits") {
  const std::string row =
      R"({ name = "t", slave = "gauge", fc = 22, at = 12, count = 2, from = "%MW0", every = "1s" })";
  const Words found = findings_of_rule("F06", with_rows({row}));
  REQUIRE(found.size() == 1);
  CHECK(found[0] ==
        "error transaction t: function 22 writes one register, not 2 | write count = 1");
}
