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
#include "checks/symptoms.h"
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
    if (f.severity != model::Severity::note) FAIL_CHECK(to_text(f.subject) << ": " << f.message);
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
  CHECK(rules.size() >= 45);
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
  CHECK(codes.size() == model::all_rule_codes().size());
  const std::string readme = file_text(std::string(GREYMET_SOURCE) + "/README.md");
  CHECK(readme.find(std::to_string(codes.size()) + " rules in twelve families") !=
        std::string::npos);
  CHECK(file_text(std::string(GREYMET_SOURCE) + "/docs/rules.md") == checks::rules_document());
  CHECK(file_text(std::string(GREYMET_SOURCE) + "/docs/symptoms.md") ==
        checks::symptoms_document());
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
        "warning P09 28:13 accept 1: this accept silences nothing: F11 does not speak about "
        "'transaction x'");
  const auto unknown = accepting("X42", "transaction t");
  REQUIRE(unknown.size() == 2);
  CHECK(unknown[1] == "error P05 28:22 accept 1: 'X42' is no code of a rule");
  // well-formed, but no rule: it must not vanish in silence
  const auto well_formed = accepting("F99", "transaction t");
  REQUIRE(well_formed.size() == 2);
  CHECK(well_formed[1] == "error P05 28:22 accept 1: 'F99' is no code of a rule");
  // an accept of a rule that was not picked is neither used nor idle
  CHECK(accepting("T08", "transaction t").size() == 1);
}

TEST_CASE("of very many findings the first come back, and the gravest of the rest is not lost") {
  const auto loaded = test::load(test::base_plan(), test::base_files());
  const auto finding = [](std::uint32_t line, model::Severity severity) {
    model::Finding f{.rule = model::RuleCode::M09,
                     .severity = severity,
                     .place = {0, line, 1, line, 2},
                     .subject = {},
                     .message = "",
                     .remedy = ""};
    return f;
  };
  for (const auto last :
       {model::Severity::note, model::Severity::warning, model::Severity::error}) {
    for (const std::size_t count : {20'000U, 20'001U}) {
      model::Findings many;
      // from the last line to the first, so that they have to be sorted before they are cut
      many.push_back(finding(static_cast<std::uint32_t>(count), last));
      for (std::size_t i = count - 1; i > 0; --i) {
        many.push_back(finding(static_cast<std::uint32_t>(i), model::Severity::note));
      }
      const auto found = checks::check(loaded.plan, many, {{"P", "M09"}});
      INFO(count);
      REQUIRE(found.size() == std::min<std::size_t>(count, 20'001));
      CHECK(found.front().place.line == 1);
      CHECK(found.back().severity == last);
      if (count > 20'000) {
        CHECK(found.back().message ==
              std::to_string(count - 20'000) + " further findings are not listed");
        CHECK(found.back().place.line == 20'001);
      }
    }
  }
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

namespace {

// A slave with a map of random runs of values, and transactions that start and end on points.
struct GeneratedSlave {
  std::string map;
  std::string rows;
};

GeneratedSlave generate_slave(int index, int base, bool writes) {
  GeneratedSlave slave{"point,area,address,type\n", ""};
  int at = *rc::gen::inRange(0, 50);
  const auto runs = *rc::gen::inRange(1, 5);
  for (int r = 0; r < runs; ++r) {
    const int first = at;
    const auto points = *rc::gen::inRange(1, 12);
    for (int p = 0; p < points; ++p) {
      const auto type = *rc::gen::element(std::string("u16"), std::string("f32"),
                                          std::string("u64"), std::string("text(5)"));
      slave.map += fmt::format("p{}_{},hr,{},{}\n", r, p, at + base, type);
      at += static_cast<int>(model::registers_of(*model::data_type_from(type)));
    }
    const bool write = writes && r == 0;
    slave.rows += fmt::format(
        "  {{ name = \"t{0}_{1}\", controller = \"c\", slave = \"s{0}\", fc = {2}, at = {3}, count "
        "= "
        "{4}, {5} = \"%MW\", every = \"{6}s\", phase = \"{7}ms\"{8} }},\n",
        index, r, write ? 16 : 3, first + base, at - first, write ? "from" : "into",
        *rc::gen::element(20, 40), *rc::gen::inRange(0, 19) * 1000,
        write ? "" : ", on_loss = \"hold\"");
    at += *rc::gen::inRange(2, 9);
  }
  return slave;
}

// Two controllers that trade data, with heartbeats in both directions.
const char* const generated_head = R"([controller.c]
scan = "10ms"
address = "10.0.0.1/24"
[controller.c.memory]
"%MW" = { kind = "word", count = 8000, serves = "hr:0" }
[controller.d]
scan = "10ms"
address = "10.0.0.2/24"
answers = [ { port = 502, connections = 1, allows = ["10.0.0.1"] } ]
[controller.d.memory]
"%MW" = { kind = "word", count = 100, serves = "hr:0" }
[line.l]
master = "c"
mode = "rtu"
baud = 19200
format = "8E1"
[gateway.g]
host = "10.0.0.40"
timeout = "3s"
[line.m]
via = "g"
mode = "ascii"
baud = 9600
format = "7E1"
)";
const char* const generated_peers =
    R"(  { name = "to-d", controller = "c", slave = "d", fc = 16, at = "%MW0", count = 4, from = "%MW7000", every = "100ms" },
  { name = "from-d", controller = "c", slave = "d", fc = 3, at = "%MW10", count = 4, into = "%MW7010", every = "100ms", phase = "50ms", on_loss = "stop" },
]
[supervision]
heartbeats = [
  { name = "c-alive", from = "c", bit = "%MW7000.0", toggle = "1s", to = "d", watch = "2s", react = "3s", on_loss = "stop" },
  { name = "d-alive", from = "d", bit = "%MW10.0", toggle = "1s", to = "c", watch = "2s", react = "3s", on_loss = "stop" },
]
)";

}  // namespace

TEST_CASE("plans made correctly have neither errors nor warnings, in any family") {
  rc::prop("no false alarms", [] {
    std::string plan = generated_head;
    std::string rows;
    test::Files files;
    const auto slaves = *rc::gen::inRange(1, 6);
    for (int s = 0; s < slaves; ++s) {
      const auto numbering = *rc::gen::element(std::string("from-0"), std::string("from-1"));
      const auto where = *rc::gen::element(std::string("line = \"l\"\n"),
                                           std::string("line = \"m\"\n"), std::string("host"));
      const GeneratedSlave made =
          generate_slave(s, numbering == "from-0" ? 0 : 1, *rc::gen::arbitrary<bool>());
      rows += made.rows;
      files["m" + std::to_string(s) + ".csv"] = made.map;
      plan += fmt::format(
          "[slave.s{0}]\n{1}map = \"m{0}.csv\"\nnumbering = \"{2}\"\nmap_covers = \"all\"\nholes = "
          "\"refuse\"\nword_order = \"{3}\"\nwatchdog = \"60s\"\n",
          s,
          where == "host" ? fmt::format("host = \"10.0.0.{}\"\nidle = \"60s\"\n", 50 + s)
                          : where + fmt::format("unit = {}\n", s + 1),
          numbering, *rc::gen::element(std::string("ABCD"), std::string("DCBA")));
    }
    plan += "[exchange]\ntransactions = [\n" + rows + generated_peers;
    const auto findings = findings_of(plan, files, "P,S,N,F,M,T,H,D,C");
    for (const std::string& f : findings) RC_ASSERT(f.substr(0, 4) == "note");
  });
}

TEST_CASE("a check that is stopped begins no further rule, and no simulation") {
  std::stop_source stop;
  const auto loaded = test::load(with_rows({broken}), test::base_files());
  CHECK_FALSE(checks::check(loaded.plan, {}, {}, stop.get_token()).empty());
  stop.request_stop();
  CHECK(checks::check(loaded.plan, {}, {}, stop.get_token()).empty());
}
