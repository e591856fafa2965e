// What holds for all rules together: silence, acceptance, selection, order, the catalogue.
#include "checks/check.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <algorithm>
#include <fstream>
#include <set>
#include <sstream>

#include <fmt/format.h>

#include "checks/catalogue.h"
#include "plans.h"

using namespace greymet;
using test::findings_of;
using test::with_rows;

namespace {

std::string file_text(const std::string& path) {
  std::ostringstream text;
  text << std::ifstream(path).rdbuf();
  return text.str();
}

const std::string broken =
    R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 9, into = "%MW0", every = "1s" })";

}  // namespace

TEST_CASE("the demo plan is clean, the draft has many different mistakes") {
  const std::string folder = GREYMET_EXAMPLES;
  const auto clean = files::load_plan(folder + "/maltings.toml", files::disk_files());
  for (const auto& f : checks::check(clean.plan, clean.findings)) {
    FAIL_CHECK(f.subject << ": " << f.message);
  }
  CHECK(clean.plan.plan.slaves.size() >= 14);
  CHECK(clean.plan.plan.transactions.size() >= 45);
  std::set<std::string> maps;
  for (const auto& map : clean.plan.plan.maps) {
    maps.insert(map.file());
    CHECK(map.points().size() >= 20);
    CHECK(map.points().size() <= 120);
  }
  CHECK(maps.size() >= 8);
  const auto draft = files::load_plan(folder + "/draft.toml", files::disk_files());
  std::set<std::string> rules;
  for (const auto& f : checks::check(draft.plan, draft.findings)) rules.emplace(to_string(f.rule));
  CHECK(rules.size() >= 25);
}

TEST_CASE("the catalogue has every code once, and docs/rules.md is made from it") {
  std::set<model::RuleCode> codes;
  for (const auto& entry : checks::catalogue()) {
    CHECK(codes.insert(entry.code).second);
    CHECK(model::rule_code_from(to_string(entry.code)) == entry.code);
    CHECK_FALSE(entry.title.empty());
    CHECK_FALSE(entry.why.empty());
    CHECK(checks::entry_of(entry.code).title == entry.title);
  }
  CHECK(codes.size() == 43);
  CHECK(file_text(std::string(GREYMET_SOURCE) + "/docs/rules.md") == checks::rules_document());
}

TEST_CASE("an accepted finding is left out, an idle accept is reported") {
  const std::string plan = with_rows({broken});
  const auto accepting = [&](const char* rule, const char* at) {
    return findings_of(plan + "[review]\naccepts = [ { rule = \"" + rule + "\", at = \"" + at +
                       "\", why = \"known\" } ]\n");
  };
  CHECK(findings_of(plan).size() == 1);
  CHECK(accepting("F11", "transaction t").empty());
  const auto idle = accepting("F11", "transaction x");
  REQUIRE(idle.size() == 2);
  CHECK(idle[1] ==
        "warning P09 28:13 transaction x: this accept silences nothing: F11 does not speak about "
        "'transaction x'");
  // rules of families that are not checked yet say nothing, and neither does their acceptance
  CHECK(accepting("T08", "transaction t").size() == 1);
}

TEST_CASE("families and rules can be picked") {
  const auto selection = checks::parse_rule_selection("F,M02");
  REQUIRE(selection.has_value());
  CHECK(selection->includes(model::RuleCode::F11));
  CHECK(selection->includes(model::RuleCode::M02));
  CHECK_FALSE(selection->includes(model::RuleCode::M01));
  CHECK(checks::parse_rule_selection("F,Q").error() ==
        "'Q' is neither a family nor a rule; write e.g. --rules F,M02");
  CHECK_FALSE(checks::parse_rule_selection("").has_value());
  CHECK_FALSE(checks::parse_rule_selection("F,").has_value());
  const auto loaded = test::load(with_rows({broken}), test::base_files());
  CHECK(checks::check(loaded.plan, loaded.findings, *checks::parse_rule_selection("M")).empty());
}

TEST_CASE("ten mistakes are ten findings, in the order of the file") {
  const auto findings = findings_of(with_rows({
      R"({ name = "a", slave = "gouge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s" })",
      R"({ name = "b", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = 500 })",
      R"({ name = "c", slave = "gauge", fc = 3, at = 0, count = 140, into = "%MW20", every = "1s" })",
      R"({ name = "d", slave = "gauge", fc = 4, at = "40001", count = 4, into = "%MW200", every = "1s" })",
      R"({ name = "e", slave = "gauge", fc = 3, at = "tempp", into = "%MW220", every = "1s" })",
      R"({ name = "f", slave = "gauge", fc = 3, at = 10, count = 2, into = "%MW2000", every = "1s" })",
      R"({ name = "g", slave = "gauge", fc = 3, points = ["low"], at = 10, into = "%MW230", every = "1s" })",
      R"({ name = "h", slave = "gauge", fc = 3, at = 12, count = 2, into = "%MW240", evry = "1s" })",
      R"({ name = "a", slave = "gauge", fc = 3, at = 13, count = 1, into = "%MW250", every = "1s" })",
      R"({ name = "j", slave = "gauge", fc = 3, at = 13, count = 1, every = "1s" })",
  }));
  const std::vector<std::string> expected{"P03", "P05", "F02", "F01", "P03",
                                          "M03", "P08", "P02", "P04", "P06"};
  std::vector<std::string> rules;
  for (const std::string& f : findings) {
    const std::string rule = f.substr(f.find(' ') + 1, 3);
    if (rule != "M05") rules.push_back(rule);
  }
  CHECK(rules == expected);
}

TEST_CASE("plans made correctly have neither errors nor warnings") {
  rc::prop("no false alarms", [] {
    // slaves with maps of random runs; every block starts and ends on points; memory is assigned
    std::string plan =
        "[controller.c]\nscan = \"10ms\"\n[controller.c.memory]\n\"%MW\" = { kind = \"word\", "
        "count = 8000 }\n"
        "[line.l]\nmaster = \"c\"\nmode = \"rtu\"\nbaud = 19200\nformat = \"8E1\"\n";
    std::string rows;
    test::Files files;
    const auto slaves = *rc::gen::inRange(1, 6);
    for (int s = 0; s < slaves; ++s) {
      const auto numbering = *rc::gen::element(std::string("from-0"), std::string("from-1"));
      const int base = numbering == "from-0" ? 0 : 1;
      std::string map = "point,area,address,type\n";
      int at = *rc::gen::inRange(0, 50);
      const auto runs = *rc::gen::inRange(1, 5);
      for (int r = 0; r < runs; ++r) {
        const int first = at;
        const auto points = *rc::gen::inRange(1, 12);
        for (int p = 0; p < points; ++p) {
          const auto type = *rc::gen::element(std::string("u16"), std::string("f32"),
                                              std::string("u64"), std::string("text(5)"));
          map += fmt::format("p{}_{},hr,{},{}\n", r, p, at + base, type);
          at += static_cast<int>(model::registers_of(*model::data_type_from(type)));
        }
        rows += fmt::format(
            "  {{ name = \"t{}_{}\", slave = \"s{}\", fc = 3, at = {}, count = {}, into = \"%MW\", "
            "every = \"1s\" }},\n",
            s, r, s, first + base, at - first);
        at += *rc::gen::inRange(2, 9);
      }
      files["m" + std::to_string(s) + ".csv"] = map;
      plan += fmt::format(
          "[slave.s{0}]\nline = \"l\"\nunit = {1}\nmap = \"m{0}.csv\"\nnumbering = "
          "\"{2}\"\nmap_covers = \"all\"\nholes = \"refuse\"\n",
          s, s + 1, numbering);
    }
    const auto findings =
        findings_of(plan + "[exchange]\ntransactions = [\n" + rows + "]\n", files);
    for (const std::string& f : findings) RC_ASSERT(f == "");
  });
}
