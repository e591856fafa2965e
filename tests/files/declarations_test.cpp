// A program's own declarations as its table of tags.
#include "files/declarations.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>

#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "files/file_source.h"
#include "files/tag_reader.h"
#include "plans.h"

using namespace greymet;

namespace {

struct ReadTags {
  std::vector<std::string> tags;  // "name %MW100 REAL @line:column"
  std::vector<std::string> said;
  bool incomplete = false;
};

ReadTags shown(const model::TagTable& table, const model::Findings& findings) {
  ReadTags out;
  for (const model::Tag& tag : table.tags) {
    out.tags.push_back(fmt::format("{} {} {} @{}:{}", tag.name, tag.address.value,
                                   to_text(tag.type), tag.place.line, tag.place.column));
  }
  for (const auto& finding : findings) out.said.push_back(finding.message);
  out.incomplete = table.incomplete;
  return out;
}

ReadTags read(const std::string& text, const std::vector<std::string>& areas = {"%MW", "%MX"}) {
  model::Findings findings;
  const auto table = files::read_declarations(text, "p.st", 0, areas, {}, findings);
  return shown(table, findings);
}

using TagLines = std::vector<std::string>;

}  // namespace

TEST_CASE("located variables are tags, whatever section they stand in; all others are left alone") {
  const ReadTags all = read(
      "(* plant *)\n"
      "VAR_GLOBAL RETAIN\n"
      "  Flow AT %MW100 : REAL := 1.5; // l/min\n"
      "  a, b : INT;\n"
      "  Lamp AT %QX0.0 : BOOL;\n"
      "  Run AT %MX40 : BOOL := TRUE;\n"
      "  Alarm AT %MW114.3 : BOOL;\n"
      "  Name AT %MW200 : STRING[16] := 'x; END_VAR';\n"
      "END_VAR\n"
      "PROGRAM main VAR Count AT %mw110 : udint; END_VAR\n"
      "  Count := Count + 1; END_PROGRAM\n");
  CHECK(all.tags == TagLines{"Flow %MW100 REAL @3:3", "Run %MX40 BOOL @6:3",
                             "Alarm %MW114.3 BOOL @7:3", "Name %MW200 STRING[16] @8:3",
                             "Count %MW110 UDINT @10:18"});
  CHECK(all.said.empty());
  CHECK_FALSE(all.incomplete);
}

TEST_CASE("arrays and structures lie where their elements come to") {
  const ReadTags all = read(
      "VAR_GLOBAL\n"
      "  Temps AT %MW10 : ARRAY[1..3] OF INT;\n"
      "  Bits AT %MX8 : ARRAY[0..1] OF BOOL;\n"
      "  Grid AT %MW20 : ARRAY[0..1, 5..6] OF REAL;\n"
      "  Drive AT %MW40 : T_Drive;\n"
      "  Drives AT %MW60 : ARRAY[1..2] OF T_Drive;\n"
      "END_VAR\n"
      "TYPE T_Drive : STRUCT speed : REAL; hours, starts : UDINT; state : WORD; END_STRUCT;\n"
      "     T_Alias : T_Drive;\n"
      "END_TYPE\n");
  CHECK(all.said.empty());
  CHECK(all.tags ==
        TagLines{"Temps[1] %MW10 INT @2:3",          "Temps[2] %MW11 INT @2:3",
                 "Temps[3] %MW12 INT @2:3",          "Bits[0] %MX8 BOOL @3:3",
                 "Bits[1] %MX9 BOOL @3:3",           "Grid[0][5] %MW20 REAL @4:3",
                 "Grid[0][6] %MW22 REAL @4:3",       "Grid[1][5] %MW24 REAL @4:3",
                 "Grid[1][6] %MW26 REAL @4:3",       "Drive.speed %MW40 REAL @5:3",
                 "Drive.hours %MW42 UDINT @5:3",     "Drive.starts %MW44 UDINT @5:3",
                 "Drive.state %MW46 WORD @5:3",      "Drives[1].speed %MW60 REAL @6:3",
                 "Drives[1].hours %MW62 UDINT @6:3", "Drives[1].starts %MW64 UDINT @6:3",
                 "Drives[1].state %MW66 WORD @6:3",  "Drives[2].speed %MW67 REAL @6:3",
                 "Drives[2].hours %MW69 UDINT @6:3", "Drives[2].starts %MW71 UDINT @6:3",
                 "Drives[2].state %MW73 WORD @6:3"});
}

TEST_CASE("what lies in the exchange's memory and is of no whole words is named, not guessed") {
  const ReadTags all = read(
      "VAR_GLOBAL\n"
      "  Timer1 AT %MW10 : TON;\n"
      "  Mixed AT %MW20 : ARRAY[0..1] OF T_Mixed;\n"
      "  Small AT %MW30 : SINT;\n"
      "  Flags AT %MW40 : ARRAY[0..15] OF BOOL;\n"
      "  Good AT %MW50 : INT;\n"
      "END_VAR\n"
      "TYPE T_Mixed : STRUCT on : BOOL; value : INT; END_STRUCT; END_TYPE\n"
      "TYPE T_Loop : ARRAY[0..9] OF T_Loop; END_TYPE\n"
      "VAR Again AT %MW60 : T_Loop; END_VAR\n");
  CHECK(all.tags.back() == "Good %MW50 INT @6:3");
  CHECK(all.incomplete);
  CHECK(all.said.at(0) ==
        "variable 'Timer1' at %MW10 is left out: type 'TON' is not known, or of no whole words");
  CHECK(all.said.at(1) ==
        "variable 'Mixed' at %MW20 is left out: where its elements lie is not known");
}

TEST_CASE("a project in XML declares the same as its text") {
  const std::string project = R"(<?xml version="1.0"?>
<project xmlns="http://www.plcopen.org/xml/tc6_0201"><types><dataTypes>
<dataType name="T_Drive"><baseType><struct>
<variable name="speed"><type><REAL/></type></variable>
<variable name="state"><type><WORD/></type></variable></struct></baseType></dataType>
</dataTypes></types><instances><configurations><configuration name="c"><globalVars>
<variable name="Flow" address="%MW100"><type><REAL/></type></variable>
<variable name="Free"><type><REAL/></type></variable>
<variable name="Text" address="%MW120"><type><string length="10"/></type></variable>
<variable name="D" address="%MW40"><type><array><dimension lower="1" upper="2"/><baseType><derived name="T_Drive"/></baseType></array></type></variable>
</globalVars></configuration></configurations></instances></project>)";
  model::Findings findings;
  CHECK(files::looks_like_project(project));
  const ReadTags all =
      shown(files::read_project(project, "p.xml", 0, {"%MW"}, {}, findings), findings);
  CHECK(all.tags == TagLines{"Flow %MW100 REAL @7:1", "Text %MW120 STRING[10] @9:1",
                             "D[1].speed %MW40 REAL @10:1", "D[1].state %MW42 WORD @10:1",
                             "D[2].speed %MW43 REAL @10:1", "D[2].state %MW45 WORD @10:1"});
  CHECK(all.said.empty());
  findings.clear();
  CHECK(files::read_project("<project", "p.xml", 0, {"%MW"}, {}, findings).incomplete);
  CHECK(findings.at(0).message.starts_with("is no XML: "));
}

TEST_CASE("both ends of a value meet in a program's own declarations, and its place is shown") {
  const std::string plan = test::replaced(
      test::with_rows(
          {R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })"}),
      "[controller.kiln]\n", "[controller.kiln]\ntags = \"p.st\"\n");
  auto map = test::base_files();
  const auto said = [&](const std::string& declarations) {
    auto files = map;
    files["p.st"] = declarations;
    std::vector<std::string> out;
    for (const std::string& line : test::findings_of(plan, files, "V01,V02")) out.push_back(line);
    return out;
  };
  const std::string point = test::load(plan, map).plan.map_of({false, 0, 0})->points().front().name;
  const auto loaded = test::load(plan, map);
  const model::Point& first = loaded.plan.map_of({false, 0, 0})->points().front();
  const std::string type = to_text(model::tag_type_of(first.type));
  CHECK(said("VAR_GLOBAL\n gauge_" + point + " AT %MW0 : " + type + ";\nEND_VAR").empty());
  const auto off = said("VAR_GLOBAL\n gauge_" + point + " AT %MW1 : " + type + ";\nEND_VAR");
  REQUIRE(off.size() == 1);
  CHECK(off[0].find("V01 2:") != std::string::npos);
}

TEST_CASE("the demo's tags are the same from their table and from declarations of it") {
  for (const char* name : {"kiln", "loadout"}) {
    const std::string path = std::string(GREYMET_EXAMPLES) + "/tags/" + name + ".csv";
    const auto text = files::disk_files()(path, files::largest_map);
    REQUIRE(text.has_value());
    model::Findings findings;
    const auto table = files::read_tags(*text, name, 0, {}, findings);
    std::string declared = "VAR_GLOBAL\n";
    TagLines wanted;
    for (const model::Tag& tag : table.tags) {
      const std::string type = to_text(tag.type);
      if (type.find_first_of("abcdefghijklmnopqrstuvwxyz") != std::string::npos) continue;  // bcd16
      declared += fmt::format("{} AT {} : {};\n", tag.name, tag.address.value, type);
      wanted.push_back(fmt::format("{} {} {}", tag.name, tag.address.value, type));
    }
    TagLines found;
    const auto again =
        files::read_declarations(declared + "END_VAR\n", name, 0, {"%MW", "%MX"}, {}, findings);
    for (const model::Tag& tag : again.tags) {
      found.push_back(fmt::format("{} {} {}", tag.name, tag.address.value, to_text(tag.type)));
    }
    CHECK(wanted.size() > 20);
    CHECK(found == wanted);
  }
}

TEST_CASE("any bytes are survived as declarations, and any cut of one") {
  const std::string text =
      "VAR_GLOBAL a AT %MW1 : ARRAY[0..3,1..2] OF T; END_VAR TYPE T : STRUCT x : INT; y : "
      "STRING[4]; END_STRUCT; END_TYPE (* c *) {p} 'q";
  for (std::size_t end = 0; end <= text.size(); ++end) (void)read(text.substr(0, end));
  rc::prop("changed bytes", [&] {
    std::string changed = text;
    const auto times = *rc::gen::inRange(1, 6);
    for (int i = 0; i < times; ++i) {
      changed[*rc::gen::inRange<std::size_t>(0, changed.size())] =
          *rc::gen::elementOf(std::string("[]:;.,()*{}'\"%0\n "));
    }
    (void)read(changed);
  });
  // a flood of elements ends
  CHECK(read("VAR a AT %MW0 : ARRAY[0..65535,0..65535] OF INT; END_VAR").incomplete);
  CHECK(read("VAR a AT %MW0 : ARRAY[0..60000] OF INT; b AT %MW0 : ARRAY[0..60000] OF INT; END_VAR")
            .tags.size() <= 100'000);
}
