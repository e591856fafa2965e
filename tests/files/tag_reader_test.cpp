// Tables of tags: what is read, and what is said of what cannot be.
#include "files/tag_reader.h"

#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "archive.h"
#include "plans.h"

using namespace greymet;
using TagWords = std::vector<std::string>;

namespace {

// A plan whose controller kiln has this table.
TagWords said_of(const std::string& table, const std::string& rules = "P,D03,M03,R05") {
  test::Files files = test::base_files();
  files["tags.csv"] = table;
  const std::string plan = test::replaced(test::base_plan(), "[controller.kiln]\n",
                                          "[controller.kiln]\ntags = \"tags.csv\"\n");
  return test::findings_of(plan + "[exchange]\ntransactions = []\n", files, rules);
}

model::TagTable table_of(const std::string& text) {
  model::Findings findings;
  model::TagTable table = files::read_tags(text, "tags.csv", 3, {}, findings);
  for (const model::Finding& f : findings) UNSCOPED_INFO(f.message);
  CHECK(findings.empty());
  return table;
}

}  // namespace

TEST_CASE("a table of tags in any order of columns, with any delimiter") {
  const model::TagTable table = table_of(
      "type;tag;unit;address;from;word_order;factor;offset;max_age;to;note\r\n"
      "REAL;moisture;%;%MW100;gauge.moisture;cdab;0.5;-2;1.5s;;first\r\n"
      "bool;go;;%MX40;;;;;;pump.run;\r\n");
  REQUIRE(table.tags.size() == 2);
  const model::Tag& a = table.tags[0];
  CHECK(a.name == "moisture");
  CHECK(a.address.value == "%MW100");
  CHECK(a.address.place.column == 17);
  CHECK(to_text(a.type) == "REAL");
  CHECK(a.word_order == model::WordOrder::cdab);
  CHECK(a.factor == 0.5);
  CHECK(a.offset == -2);
  CHECK(a.unit == "%");
  CHECK(a.from->value == "gauge.moisture");
  CHECK(a.max_age->value == std::chrono::milliseconds(1500));
  CHECK(a.note == "first");
  CHECK(table.tags[1].to->value == "pump.run");
  CHECK_FALSE(table.tags[1].factor);
  CHECK_FALSE(table.incomplete);
}

TEST_CASE("types of tags are IEC names and those of maps, and print as IEC has them") {
  const std::vector<std::array<std::string, 2>> rows{{"BOOL", "BOOL"},
                                                     {"int", "INT"},
                                                     {"UINT", "UINT"},
                                                     {"DINT", "DINT"},
                                                     {"UDINT", "UDINT"},
                                                     {"LINT", "LINT"},
                                                     {"ULINT", "ULINT"},
                                                     {"REAL", "REAL"},
                                                     {"LREAL", "LREAL"},
                                                     {"WORD", "WORD"},
                                                     {"DWORD", "DWORD"},
                                                     {"LWORD", "LWORD"},
                                                     {"u16", "UINT"},
                                                     {"f32", "REAL"},
                                                     {"bits", "WORD"},
                                                     {"bcd16", "bcd16"},
                                                     {"bcd32", "bcd32"},
                                                     {"i64", "LINT"},
                                                     {"STRING[16]", "STRING[16]"},
                                                     {"string(9)", "STRING[9]"},
                                                     {"text(3)", "STRING[3]"}};
  for (const auto& [written, shown] : rows) {
    INFO(written);
    const auto type = model::tag_type_from(written);
    REQUIRE(type);
    CHECK(to_text(*type) == shown);
    CHECK(model::tag_type_from(shown) == type);
  }
  for (const char* const wrong : {"", "REAL32", "STRING", "STRING[]", "STRING[0]", "STRING[251]",
                                  "STRING[4", "STRING(4]", "TIME"}) {
    INFO(wrong);
    CHECK_FALSE(model::tag_type_from(wrong));
  }
  CHECK(model::tag_type_from("DWORD")->raw);
  CHECK_FALSE(model::tag_type_from("UDINT")->raw);
}

TEST_CASE("what is wrong in a table of tags is said with its place and a cure") {
  CHECK(said_of("tag,address,type\na,%MW0,REAL\na,%MW2,REAL\n") ==
        TagWords{"error P04 3:1 controller kiln: row 3: tag 'a' is already in row 2"});
  CHECK(said_of("tag,address,type\na,%MW0,REEL\n") ==
        TagWords{"error P07 2:8 controller kiln: row 2: type 'REEL' is not valid"});
  CHECK(said_of("tag,address,type,factor\na,%MW0,INT,\"0,1\"\n") ==
        TagWords{"error P07 2:12 controller kiln: row 2: factor '0,1' has a decimal comma"});
  CHECK(said_of("tag,address,type,factor\na,%MW0,INT,0\n") ==
        TagWords{"error P07 2:12 controller kiln: row 2: factor '0' is not valid"});
  CHECK(said_of("tag,address,type,max_age\na,%MW0,INT,500\n") ==
        TagWords{"error P07 2:12 controller kiln: row 2: max_age '500' is not valid"});
  CHECK(said_of("tag,address,type,word_order\na,%MW0,DINT,ACBD\n") ==
        TagWords{"error P07 2:13 controller kiln: row 2: word_order 'ACBD' is not valid"});
  CHECK(said_of("tag,address,type\n,%MW0,DINT\n") ==
        TagWords{"error P07 2:1 controller kiln: row 2: `tag` is empty"});
  CHECK(said_of("tag,type\na,INT\n") ==
        TagWords{"error P07 1:1 controller kiln: column 'address' is "
                 "missing"});
  CHECK(said_of("tag,location,type\na,%MW0,INT\n") ==
        TagWords{"error P07 1:5 controller kiln: column 'address' is missing; is it the one called "
                 "'location'?"});
  CHECK(said_of("tag,address,type,scale\na,%MW0,INT,1\n") ==
        TagWords{
            "warning R05 1:18 controller kiln: column 'scale' is not used: there is no column of "
            "this name, and 'factor' is not there"});
  CHECK(said_of("tag,address,type\n") ==
        TagWords{"error P07 1:1 controller kiln: has a header row and no tags"});
}

TEST_CASE("addresses and other ends of tags are looked up, and said where they are none") {
  const auto row = [](const std::string& cells, const std::string& header = "tag,address,type") {
    return said_of(header + "\n" + cells + "\n");
  };
  CHECK(row("a,%MW2000,INT") ==
        TagWords{
            "error M03 2:3 tag kiln.a: %MW2000 lies outside %MW of controller kiln, which ends at "
            "%MW999"});
  CHECK(row("a,%MW999,REAL") ==
        TagWords{
            "error M03 2:3 tag kiln.a: %MW999..%MW1000 lies outside %MW of controller kiln, which "
            "ends at %MW999"});
  CHECK(row("a,%QW4,INT") ==
        TagWords{
            "error M03 2:3 tag kiln.a: '%QW4' is in no memory area of controller kiln, which has "
            "%MW, %MX"});
  CHECK(row("a,%MW,INT") == TagWords{"error P07 2:3 tag kiln.a: '%MW' names no word or bit"});
  CHECK(row("a,%MW4,BOOL") ==
        TagWords{"error P07 2:3 tag kiln.a: %MW4 is a word, and a BOOL is one bit of it"});
  CHECK(row("a,%MX4,DINT") ==
        TagWords{"error P07 2:3 tag kiln.a: %MX4 is one bit, and a DINT takes 32 bits"});
  CHECK(row("a,%MW4.16,BOOL") ==
        TagWords{"error D03 2:3 tag kiln.a: bit 16 does not exist: a word has bits 0 to 15"});
  const auto from = [&](const std::string& end) {
    return row("a,%MW4,REAL," + end, "tag,address,type,from");
  };
  CHECK(from("gauge.moisture").empty());
  CHECK(from("program").empty());
  CHECK(from("gauge.moistre") ==
        TagWords{"error P03 2:13 tag kiln.a: slave gauge has no point 'moistre'"});
  CHECK(from("gouge.moisture") ==
        TagWords{"error P03 2:13 tag kiln.a: unknown slave or controller 'gouge'"});
  CHECK(from("moisture") ==
        TagWords{"error P05 2:13 tag kiln.a: 'moisture' names no point and no tag"});
  CHECK(from("kiln.b") ==
        TagWords{"error P05 2:13 tag kiln.a: 'kiln.b' is of this controller itself"});
}

TEST_CASE("a name finds its point, in either form, unless two have it") {
  const auto ends = [](const std::string& name) -> std::string {
    test::Files files = test::base_files();
    files["pump.csv"] = "point,area,address,type\nspeed,hr,0,i16\nmode,hr,1,u16\n";
    files["tags.csv"] = "tag,address,type\n" + name + ",%MW4,WORD\n";
    const auto loaded = test::load(
        test::replaced(test::with_rows({"{ name = \"in\", slave = \"gauge\", fc = 3, at "
                                        "= 0, count = 8, into = \"%MW0\", every = "
                                        "\"1s\", on_loss = \"hold\" }"}),
                       "[controller.kiln]\n", "[controller.kiln]\ntags = \"tags.csv\"\n"),
        files);
    REQUIRE(loaded.plan.tags.size() == 1);
    const model::ResolvedTag& tag = loaded.plan.tags.front();
    if (!tag.from && !tag.to) return "alone";
    const model::TagEnd& end = tag.from ? *tag.from : *tag.to;
    return fmt::format("{} {}.{}", tag.from ? "from" : "to",
                       loaded.plan.plan.slaves[end.owner].name, loaded.plan.point_of(end).name);
  };
  CHECK(ends("state") == "from gauge.state");
  CHECK(ends("STATE") == "from gauge.state");
  CHECK(ends("gauge_state") == "from gauge.state");
  CHECK(ends("Pump_Speed") == "from pump.speed");
  CHECK(ends("speed") == "from pump.speed");
  CHECK(ends("mode") == "alone");  // gauge and pump have one
  CHECK(ends("pump_mode") == "from pump.mode");
  CHECK(ends("level") == "alone");
}

TEST_CASE("a point that is read and written is the end of the tag that lies in its place") {
  const auto ends = [](const std::string& address) -> std::string {
    test::Files files = test::base_files();
    files["tags.csv"] = "tag,address,type\nlow," + address + ",UINT\n";
    const auto loaded = test::load(
        test::replaced(
            test::with_rows(
                {"{ name = \"in\", slave = \"gauge\", fc = 3, at = 10, count = 2, into = "
                 "\"%MW0\", every = \"1s\", on_loss = \"hold\" }",
                 "{ name = \"out\", slave = \"gauge\", fc = 16, at = 10, count = 2, from "
                 "= \"%MW20\", every = \"1s\" }"}),
            "[controller.kiln]\n", "[controller.kiln]\ntags = \"tags.csv\"\n"),
        files);
    const model::ResolvedTag& tag = loaded.plan.tags.front();
    return tag.from ? "from" : tag.to ? "to" : "alone";
  };
  CHECK(ends("%MW0") == "from");
  CHECK(ends("%MW20") == "to");
  CHECK(ends("%MW50") == "from");
}

namespace {

// All that is said of a plan whose controller has these files of tags, and the tags that it has.
std::string tags_of_files(const std::string& list, test::Files more) {
  test::Files files = test::base_files();
  files.insert(more.begin(), more.end());
  const files::LoadedPlan loaded =
      test::load(test::replaced(test::base_plan(), "[controller.kiln]\n",
                                "[controller.kiln]\ntags = " + list + "\n") +
                     "[exchange]\ntransactions = []\n",
                 files);
  std::string text;
  for (const auto& f : loaded.findings) {
    text += fmt::format("{} {}:{}: {}; ", to_string(f.rule), loaded.plan.plan.files[f.place.file],
                        f.place.line, f.message);
  }
  const auto& tags = loaded.plan.plan.controllers[0].tags;
  for (const model::Tag& tag : tags ? tags->tags : std::vector<model::Tag>()) {
    text += fmt::format("{} {} {}, ", tag.name, tag.address.value, to_text(tag.type));
  }
  return text;
}

}  // namespace

TEST_CASE("tags of a program may stand in several files of several kinds") {
  const test::Files kinds{
      {"a.st", "VAR_GLOBAL\nflow AT %MW100 : REAL;\nlevel AT %MW102 : INT;\nEND_VAR\n"},
      {"b.csv", "tag,address,type\nspeed,%MW110,INT\nlevel,%MW102,INT\n"},
      {"c.csv", "tag,address,type\nflow,%MW104,REAL\n"}};
  CHECK(tags_of_files(R"(["a.st", "b.csv"])", kinds) ==
        "flow %MW100 REAL, level %MW102 INT, speed %MW110 INT, ");
  CHECK(tags_of_files(R"(["a.st", "c.csv"])", kinds) ==
        "P04 c.csv:2: tag 'flow' (%MW104) is another one in a.st (%MW100); flow %MW100 REAL, level "
        "%MW102 INT, ");
  CHECK(tags_of_files(R"(["a.st", "none.csv"])", kinds)
            .starts_with("P07 plan.toml:2: 'none.csv' cannot be read: "));
}

TEST_CASE("a list of variables in a workbook is a table of tags, its rows the lines of findings") {
  const auto vars = [](const std::string& type) {
    return test::Files{
        {"vars.xlsx", test::workbook_of({{"Plant 4"},
                                         {},
                                         {"Nr", "Bezeichner", "Datentyp", "Adresse", "Kommentar"},
                                         {"1", "flow", "REAL", "%MW100", "l/h"},
                                         {"2", "helper", "TIME", "", ""},
                                         {},
                                         {"3", "level", type, "%MW102", ""}})}};
  };
  CHECK(tags_of_files("\"vars.xlsx\"", vars("INT")) == "flow %MW100 REAL, level %MW102 INT, ");
  CHECK(tags_of_files("\"vars.xlsx\"", vars("INTE")).starts_with("P07 vars.xlsx:7: row "));
  CHECK(tags_of_files("\"vars.xlsx\"",
                      {{"vars.xlsx", test::workbook_of({{"Name", "Value"}, {"a", "1"}})}}) ==
        "P07 plan.toml:2: 'vars.xlsx' is a workbook: no sheet has a row of headings for the "
        "variable, its address and its type, such as Name, Address, Data type; ");
}
