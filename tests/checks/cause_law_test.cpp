// One cause, one finding, at the cause: requests in the place of others (V09), what one missing row
// takes along, what leaves one area, and a row that contradicts its own direction.
#include <algorithm>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "network_plan.h"
#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::replaced;

namespace {

using CauseWords = std::vector<std::string>;

const std::string tags_of_gauge =
    "moisture,%MW100,REAL,gauge.moisture,\ntemp,%MW102,REAL,gauge.temp,\n"
    "count,%MW106,UDINT,gauge.count,\n";

std::string tagged_plan(const std::vector<std::string>& rows) {
  return replaced(test::with_rows(rows), "scan = \"10ms\"\n",
                  "scan = \"10ms\"\nword_order = \"CDAB\"\ntags = \"tags.csv\"\n");
}
test::Files tag_files(const std::string& rows) {
  auto files = test::base_files();
  files["tags.csv"] = "tag,address,type,from,to\n" + rows;
  return files;
}
std::string reading(const std::string& what) {
  return "{ name = \"in\", " + what + R"(, into = "%MW100", every = "1s", on_loss = "hold" })";
}

// What is said that is graver than a note, without its remedy: "V09 transaction in".
CauseWords grave(const model::Findings& found) {
  CauseWords out;
  for (const model::Finding& f : found) {
    if (f.severity == model::Severity::note) continue;
    out.push_back(fmt::format("{} {}", to_string(f.rule), to_text(f.subject)));
  }
  return out;
}
CauseWords grave_of(const std::string& plan, const test::Files& files) {
  const auto loaded = test::load(plan, files);
  return grave(checks::check(loaded.plan, loaded.findings));
}

}  // namespace

TEST_CASE("V09: the request in the place of another is named, and what would be right") {
  const auto files = tag_files(tags_of_gauge);
  CHECK(findings_of_rule(
            "V09", tagged_plan({reading(R"(slave = "pump", fc = 3, at = 0, count = 8)")}), files) ==
        CauseWords{"error transaction in: reads hr:0..hr:7 of pump into the place of hr:0..hr:7 of "
                   "gauge, which 3 tags take from there; the first is 'moisture' | write slave = "
                   "\"gauge\""});
  CHECK(
      findings_of_rule(
          "V09", tagged_plan({reading(R"(slave = "gauge", fc = 3, at = 20, count = 8)")}), files) ==
      CauseWords{"error transaction in: reads hr:20..hr:27 of gauge into the place of hr:0..hr:7, "
                 "which 3 tags take from there; the first is 'moisture' | write at = 0"});
  CHECK(findings_of_rule("V09",
                         tagged_plan({reading(R"(slave = "gauge", fc = 4, at = 0, count = 8)")}),
                         files) ==
        CauseWords{"error transaction in: reads ir:0..ir:7 of gauge into the place of hr:0..hr:7, "
                   "which 3 tags take from there; the first is 'moisture' | write fc = 3"});
  // one of them is there: the block is not another's
  CHECK(findings_of_rule(
            "V09", tagged_plan({reading(R"(slave = "gauge", fc = 3, at = 0, count = 8)")}),
            tag_files("moisture,%MW100,REAL,gauge.moisture,\nx,%MW102,INT,pump.speed,\n"))
            .empty());
}

TEST_CASE("V09 of one tag is a question, and of what is sent it speaks as well") {
  const std::string row =
      R"({ name = "out", slave = "pump", fc = 6, at = 1, from = "%MW200", every = "1s" })";
  const auto loaded = test::load(tagged_plan({row}), tag_files("mode,%MW200,UINT,,gauge.mode\n"));
  const auto found = checks::check(loaded.plan, loaded.findings);
  const auto at = std::find_if(found.begin(), found.end(), [](const model::Finding& f) {
    return f.rule == model::RuleCode::V09;
  });
  REQUIRE(at != found.end());
  CHECK(at->message.find("writes hr:1 of pump with what tag 'mode' means for hr:") == 0);
  REQUIRE(at->fixes.size() == 1);
  CHECK(at->fixes[0].is_question);
  CHECK(std::any_of(at->explains.begin(), at->explains.end(),
                    [](const model::Finding& f) { return f.rule == model::RuleCode::V03; }));
}

TEST_CASE("one wrong word in a row of many tags is one error, at the row") {
  for (const char* what : {R"(slave = "pump", fc = 3, at = 0, count = 8)",
                           R"(slave = "gauge", fc = 4, at = 0, count = 8)",
                           R"(slave = "gauge", fc = 3, at = 200, count = 8)",
                           R"(slave = "gauge", fc = 3, at = 1, count = 8)",
                           R"(slave = "gauge", fc = 16, at = 0, count = 8)",
                           R"(slave = "gauge", fc = 23, at = 0, count = 8)"}) {
    INFO(what);
    auto said = grave_of(tagged_plan({reading(what)}), tag_files(tags_of_gauge));
    std::erase_if(said, [](const std::string& s) { return s.starts_with("V06"); });
    if (std::string(what).find("fc = 23") != std::string::npos) {
      CHECK(said.size() <= 3);  // function 23 needs both its blocks, and says so
    } else {
      REQUIRE(said.size() == 1);
    }
    CHECK(said[0].ends_with("transaction in"));
  }
}

TEST_CASE("tags that one missing request would serve are said once, and accepted one by one") {
  const auto files = tag_files(tags_of_gauge + "speed,%MW110,INT,pump.speed,\n");
  const std::string plan = tagged_plan({});
  auto loaded = test::load(plan, files);
  auto found = checks::check(loaded.plan, loaded.findings);
  CauseWords lost = grave(found);
  std::erase_if(lost, [](const std::string& s) { return !s.starts_with("V01"); });
  CHECK(lost == CauseWords{"V01 tag kiln.moisture", "V01 tag kiln.speed"});
  const auto first = std::find_if(found.begin(), found.end(), [](const model::Finding& f) {
    return f.subject.name == "kiln.moisture";
  });
  CHECK(first->explains.size() == 2);
  CHECK(first->remedy == "bring hr:0..hr:7 of gauge here: 3 tags wait for it; or correct `from`");
  // the first accepted: the others speak
  model::Accept accept;
  accept.rule = model::Located<std::string>{"V01", {}};
  accept.at = model::Located<std::string>{"tag kiln.moisture", {}};
  loaded.plan.plan.accepts.push_back(accept);
  found = checks::check(loaded.plan, loaded.findings);
  lost = grave(found);
  std::erase_if(lost, [](const std::string& s) { return !s.starts_with("V01"); });
  CHECK(lost == CauseWords{"V01 tag kiln.temp", "V01 tag kiln.speed"});
}

TEST_CASE(
    "an area that is too short, a map that is not there, a slave that is nowhere: once each") {
  std::vector<std::string> rows;
  for (int i = 0; i < 5; ++i) {
    rows.push_back(
        fmt::format("{{ name = \"t{0}\", slave = \"gauge\", fc = 3, at = 0, count = 8, "
                    "into = \"%MW{1}\", every = \"1s\", on_loss = \"hold\" }}",
                    i, 5000 + 10 * i));
  }
  auto said = grave_of(test::with_rows(rows), test::base_files());
  CHECK(std::count_if(said.begin(), said.end(),
                      [](const std::string& s) { return s.starts_with("M03"); }) == 1);
  const auto no_map =
      grave_of(replaced(tagged_plan({}), "map = \"gauge.csv\"\n", ""), tag_files(tags_of_gauge));
  CHECK(std::count_if(no_map.begin(), no_map.end(),
                      [](const std::string& s) { return s.starts_with("P03"); }) == 1);
}

TEST_CASE("F01: a function against its own direction, and nothing that follows from it") {
  const std::string sends =
      R"({ name = "t", slave = "pump", fc = 3, at = 0, count = 2, from = "%MW0", every = "1s" })";
  CHECK(grave_of(test::with_rows({sends}), test::base_files()) == CauseWords{"F01 transaction t"});
  CHECK(findings_of_rule("F01", test::with_rows({sends})) ==
        CauseWords{"error transaction t: function 3 reads, and `from` says what is to be sent | "
                   "look up the function: 16 or 6 write registers, 15 or 5 coils; or say `into` if "
                   "it is to be read"});
  const std::string takes =
      R"({ name = "t", slave = "pump", fc = 16, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })";
  CHECK(grave_of(test::with_rows({takes}), test::base_files()) == CauseWords{"F01 transaction t"});
}

TEST_CASE("F17: a number that looks like a reference") {
  const auto row = [](const std::string& name, const std::string& at, int into) {
    return fmt::format(
        "{{ name = \"{}\", slave = \"meter\", fc = 3, at = {}, count = 2, into = "
        "\"%MW{}\", every = \"1s\", on_loss = \"hold\" }}",
        name, at, into);
  };
  const std::string meter = "[slave.meter]\nhost = \"10.0.0.9\"\n";
  const auto with = [&](const std::string& slave, const std::vector<std::string>& rows) {
    return findings_of_rule(
        "F17", replaced(test::with_rows(rows), "[slave.gauge]", slave + "[slave.gauge]"));
  };
  CHECK(with(meter, {row("a", "\"40101\"", 0), row("b", "40111", 10)}) ==
        CauseWords{"warning transaction b: 40111 without quotes is offset 40111; the reference "
                   "\"40111\" is hr:110, and other requests to meter are written so | write at = "
                   "\"40111\""});
  CHECK(with(meter, {row("b", "40111", 10)}).size() == 1);
  // said how it counts, and all alike: worth a look
  const auto stated = with(meter + "numbering = \"from-0\"\n", {row("b", "40111", 10)});
  REQUIRE(stated.size() == 1);
  CHECK(stated[0].starts_with("note "));
  CHECK(with(meter, {row("b", "39999", 10)}).empty());  // of input registers
  CHECK(with(meter, {row("b", "50001", 10)}).empty());
  CHECK(with(meter, {row("b", "\"40111\"", 10)}).empty());
  CHECK(with(meter + "numbering = \"reference\"\n", {row("b", "40111", 10)}).empty());
  auto files = test::base_files();
  files["meter.csv"] = "point,area,address,type\nlow,hr,40111,u32\n";
  CHECK(findings_of_rule("F17",
                         replaced(test::with_rows({row("b", "40111", 10)}), "[slave.gauge]",
                                  meter + "map = \"meter.csv\"\n[slave.gauge]"),
                         files)
            .empty());
}
