// Family V: exact words, cures, and silence where another rule has said it.
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "plans.h"

using namespace greymet;
using test::findings_of;
using test::findings_of_rule;
using test::replaced;
using TagWords = std::vector<std::string>;

namespace {

const std::string in_row =
    R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW100", every = "1s", on_loss = "hold" })";

struct TagSite {
  std::vector<std::string> rows{in_row};
  std::string tags = {};  // rows of tag,address,type,word_order,factor,offset,unit,from,to,max_age
  std::string behind = {};
  std::string order = {};  // of the controller

  [[nodiscard]] std::string plan() const {
    return replaced(test::with_rows(rows), "[controller.kiln]\n",
                    "[controller.kiln]\ntags = \"tags.csv\"\n" + order) +
           behind;
  }
  [[nodiscard]] test::Files files() const {
    test::Files files = test::base_files();
    files["pump.csv"] =
        "point,area,address,type,factor,unit,min,max\nspeed,hr,0,i16,0.1,%,0,100\n"
        "power,hr,1,u16,1,kW,,\nhours,hr,10,u32,1,h,,\nrun,co,0,bool,,,,\n";
    files["tags.csv"] = "tag,address,type,word_order,factor,offset,unit,from,to,max_age\n" + tags;
    return files;
  }
  [[nodiscard]] TagWords of(const std::string& code) const {
    return findings_of_rule(code, plan(), files());
  }
};

const std::string pump_out =
    R"({ name = "out", slave = "pump", fc = 16, at = 0, count = 2, from = "%MW200", every = "1s" })";

}  // namespace

TEST_CASE("V01: where a value arrives, and where nothing does") {
  CHECK(TagSite{.tags = "moisture,%MW100,REAL,CDAB,,,,gauge.moisture,,\n"}.of("V01").empty());
  CHECK(
      TagSite{.tags = "moisture,%MW101,REAL,CDAB,,,,gauge.moisture,,\n"}.of("V01") ==
      TagWords{"error tag kiln.moisture: 'gauge.moisture' arrives in %MW100..%MW101, the tag is at "
               "%MW101..%MW102 | write into = \"%MW101\" at in"});
  // others of the block are right: the block stays
  CHECK(
      TagSite{.tags = "moisture,%MW101,REAL,CDAB,,,,gauge.moisture,,\n"
                      "code,%MW105,UINT,,,,,gauge.code,,\n"}
          .of("V01") ==
      TagWords{"error tag kiln.moisture: 'gauge.moisture' arrives in %MW100..%MW101, the tag is at "
               "%MW101..%MW102 | write %MW100"});
  CHECK(TagSite{.tags = "moisture,%MW103,REAL,CDAB,,,,gauge.moisture,,\n"
                        "code,%MW108,UINT,,,,,gauge.code,,\n"}
            .of("V01") ==
        TagWords{
            "error transaction in: lands 3 words too early: 2 tags of controller kiln lie 3 words "
            "behind; 'moisture' is at %MW103..%MW104, its value arrives in %MW100..%MW101 | write "
            "into = \"%MW103\" at in"});
  CHECK(TagSite{.tags = "low,%MW110,UINT,,,,,gauge.low,,\n"}.of("V01") ==
        TagWords{"error tag kiln.low: nothing brings 'gauge.low' to controller kiln: in ends 3 "
                 "registers before it | write count = 11 at in"});
  // as far as a slip in counting goes, and no further
  const auto short_by = [](const char* count) {
    return TagSite{.rows = {replaced(in_row, "count = 8", count)},
                   .tags = "low,%MW110,UINT,,,,,gauge.low,,\n"}
        .of("V01")
        .front();
  };
  CHECK(short_by("count = 7").find("in ends 4 registers before it") != std::string::npos);
  CHECK(short_by("count = 6").find("ends") == std::string::npos);
  CHECK(TagSite{.tags = "low,%MW60,UINT,,,,,gauge.low,,\n"}.of("V01") ==
        TagWords{"error tag kiln.low: nothing brings 'gauge.low' to controller kiln | add a "
                 "transaction that brings it, or correct `from`"});
  CHECK(TagSite{.tags = "low,%MW60,UINT,,,,,,,\n"}.of("V01") ==
        TagWords{
            "error tag kiln.low: nothing brings 'gauge.low' to controller kiln | add a "
            "transaction that reads it, or write \"program\" in the column `from` if the tag only "
            "has its name"});
  CHECK(TagSite{.tags = "low,%MW60,UINT,,,,,program,,\n"}.of("V01").empty());
  // what is wanted will come
  CHECK(TagSite{.tags = "low,%MW60,UINT,,,,,,,\n",
                .behind =
                    "wants = [ { slave = \"gauge\", points = [\"low\"], every = \"1s\", into = "
                    "\"%MW60\" } ]\n"}
            .of("V01")
            .empty());
}

TEST_CASE("V01: a block that begins at the wrong register is told from one that lands wrong") {
  // high would come, if the block began one register further: so it is `at` that is wrong
  const std::string row =
      R"({ name = "in", slave = "gauge", fc = 3, at = 10, count = 3, into = "%MW100", every = "1s", on_loss = "hold" })";
  const TagSite begins{.rows = {row},
                       .tags =
                           "high,%MW100,UINT,,,,,gauge.high,,\nmode,%MW101,UINT,,,,,gauge.mode,,\n"
                           "filter,%MW102,UINT,,,,,gauge.filter,,\n"};
  CHECK(begins.of("V01") ==
        TagWords{
            "error transaction in: lands one word too far: 2 tags of controller kiln lie one word "
            "before; 'high' is at %MW100, its value arrives in %MW101 | write at = 11 at in"});
}

TEST_CASE("V01: copies that take something else, and what only follows from that") {
  const TagSite copied{
      .tags = "moisture,%MW300,REAL,CDAB,,,,gauge.moisture,,\n",
      .behind =
          "copies = [ { controller = \"kiln\", from = \"%MW102\", to = \"%MW300\", count = 2 } "
          "]\n"};
  CHECK(
      copied.of("V01") ==
      TagWords{"error tag kiln.moisture: 'gauge.moisture' arrives in %MW100..%MW101; the tag at "
               "%MW300..%MW301 gets what copy 1 takes from elsewhere | write from = \"%MW100\" at "
               "copy 1"});
}

TEST_CASE("V02: a sign matters where the range says so") {
  const auto said = [](const std::string& range, const std::string& type) {
    test::Files files = TagSite{}.files();
    files["gauge.csv"] = "point,area,address,type,access,min,max\ncode,hr,5,u16,r," + range + "\n";
    files["tags.csv"] = "tag,address,type,from\ncode,%MW105," + type + ",gauge.code\n";
    const auto found = findings_of(TagSite{}.plan(), files, "V02");
    return found.empty() ? std::string() : found.front().substr(0, found.front().find(' '));
  };
  CHECK(said("0,32767", "INT").empty());
  CHECK(said("0,32768", "INT") == "error");
  CHECK(said(",", "INT") == "warning");
  CHECK(said("0,60000", "UINT").empty());
}

TEST_CASE("V02: texts know the order of their bytes alone") {
  test::Files files = TagSite{}.files();
  files["gauge.csv"] = "point,area,address,type,access\nname,hr,0,text(8),r\n";
  const auto said = [&](const std::string& order) {
    files["tags.csv"] =
        "tag,address,type,word_order,from\nname,%MW100,STRING[8]," + order + ",gauge.name\n";
    return findings_of_rule(
        "V02", TagSite{.rows = {replaced(in_row, "count = 8", "count = 4")}}.plan(), files);
  };
  CHECK(said("CDAB").empty());
  CHECK(said("ABCD").empty());
  CHECK(said("BADC").size() == 1);
}

TEST_CASE("V02: another type, width, bit or order") {
  const auto tag = [](const std::string& cells) {
    return TagSite{.tags = cells + "\n", .order = "word_order = \"ABCD\"\n"}.of("V02");
  };
  CHECK(
      tag("m,%MW100,DINT,CDAB,,,,gauge.moisture,,") ==
      TagWords{"error tag kiln.m: 'gauge.moisture' arrives in %MW100..%MW101 as f32, the tag takes "
               "%MW100..%MW101 for DINT | write REAL"});
  CHECK(
      tag("m,%MW100,INT,,,,,gauge.moisture,,") ==
      TagWords{"error tag kiln.m: 'gauge.moisture' arrives in %MW100..%MW101 as f32, the tag takes "
               "%MW100 for INT | write REAL"});
  CHECK(
      tag("m,%MW100,REAL,,,,,gauge.moisture,,") ==
      TagWords{"error tag kiln.m: 'gauge.moisture' arrives in %MW100..%MW101 in order CDAB, the "
               "program takes it as ABCD | write swap = \"ABCD\" at in if the controller swaps the "
               "words as it takes them over"});
  CHECK(tag("m,%MW100,REAL,DCBA,,,,gauge.moisture,,") ==
        TagWords{"error tag kiln.m: 'gauge.moisture' arrives in %MW100..%MW101 in order CDAB, the "
                 "program takes it as DCBA | write CDAB"});
  CHECK(tag("m,%MW100,REAL,,,,,gauge.moisture,,\nt,%MW102,REAL,,,,,gauge.temp,,") ==
        TagWords{"error transaction in: its long values arrive in order CDAB, and controller kiln "
                 "takes 2 of them as ABCD; the first is 'm' | write swap = \"ABCD\" at in if the "
                 "controller swaps the words as it takes them over; else give the tags word_order "
                 "CDAB"});
  CHECK(tag("m,%MW100,DWORD,CDAB,,,,gauge.moisture,,").empty());  // bits are bits
  CHECK(tag("c,%MW105,INT,,,,,gauge.code,,") ==
        TagWords{
            "warning tag kiln.c: 'gauge.code' arrives in %MW105 as u16, the tag takes %MW105 for "
            "INT, and no range says that its sign never matters | write UINT"});
  CHECK(tag("c,%MW105,WORD,,,,,gauge.code,,").empty());
  CHECK(tag("s,%MW104,UINT,,,,,gauge.state,,").empty());
  CHECK(tag("s,%MW104.3,BOOL,,,,,gauge.state,,").empty());  // a bit of its bits
  CHECK(tag("c,%MW105.3,BOOL,,,,,gauge.code,,").size() == 1);
}

TEST_CASE("V02: only a part of the value, and a bit beside") {
  const TagSite cut{.tags = "m,%MW300,REAL,CDAB,,,,gauge.moisture,,\n",
                    .behind =
                        "copies = [ { controller = \"kiln\", from = \"%MW100\", to = "
                        "\"%MW300\", count = 1 } ]\n"};
  CHECK(cut.of("V01").size() == 1);
  test::Files files = TagSite{}.files();
  files["gauge.csv"] =
      "point,area,address,type,bit,access\nflags,hr,0,bits,,r\nalarm,hr,1,bool,3,r\n";
  files["tags.csv"] = "tag,address,type,from\nalarm,%MW101.4,BOOL,gauge.alarm\n";
  const std::string plan = TagSite{.rows = {replaced(in_row, "count = 8", "count = 2")}}.plan();
  CHECK(findings_of_rule("V02", plan, files) ==
        TagWords{
            "error tag kiln.alarm: 'gauge.alarm' arrives in %MW101.3, the tag is %MW101.4 | write "
            "%MW101.3"});
}

TEST_CASE("V03: what is sent in its place, as what, and by whom") {
  const auto sent = [](const std::string& cells, const std::string& row = pump_out) {
    return TagSite{.rows = {in_row, row}, .tags = cells + "\n"}.of("V03");
  };
  CHECK(sent("s,%MW200,INT,,,,,,pump.speed,").empty());
  CHECK(sent("s,%MW200,UINT,,,,,,pump.speed,").empty());  // 0 to 1000 is both
  CHECK(sent("s,%MW202,INT,,,,,,pump.speed,") ==
        TagWords{"error tag kiln.s: 'pump.speed' is sent from %MW200, the tag is at %MW202 | write "
                 "from = \"%MW202\" at out"});
  CHECK(sent("s,%MW202,INT,,,,,,pump.speed,\np,%MW203,UINT,,,,,,pump.power,") ==
        TagWords{
            "error transaction out: sends what lies 2 words too early: 2 tags of controller kiln "
            "lie 2 words behind; 's' is at %MW202, and %MW200 is sent in its place | write from = "
            "\"%MW202\" at out"});
  CHECK(sent("h,%MW210,UDINT,,,,,,pump.hours,") ==
        TagWords{"error tag kiln.h: nothing sends the tag to 'pump.hours' | add a transaction that "
                 "writes it, or correct `to`"});
  CHECK(
      sent("p,%MW201,REAL,,,,,,pump.power,") ==
      TagWords{"error tag kiln.p: is sent to 'pump.power' as REAL, which is u16 | send a UINT from "
               "the program, or correct `to`"});
  CHECK(sent("s,%MW200,INT,,,,,,pump.speed,",
             R"({ name = "out", slave = "pump", fc = 22, at = 0, from = "%MW200", every = "1s" })")
            .empty());  // bits of it
  const TagSite overwritten{
      .rows = {in_row, pump_out},
      .tags = "s,%MW200,INT,,,,,,pump.speed,\n",
      .behind =
          "copies = [ { controller = \"kiln\", from = \"%MW104\", to = \"%MW200\", count = 1 } "
          "]\n"};
  CHECK(overwritten.of("V03") ==
        TagWords{
            "error tag kiln.s: the program's value in %MW200 is overwritten by copy 1 before it is "
            "sent | let copy 1 fill other words; or say in the column `from` where the value "
            "comes from, if it is passed on"});
}

TEST_CASE("V04: scale and unit, where both ends state them") {
  const auto scaled = [](const std::string& cells) {
    return TagSite{
        .rows =
            {R"({ name = "in", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW100", every = "1s", on_loss = "hold" })"},
        .tags = cells + "\n"}
        .of("V04");
  };
  CHECK(scaled("s,%MW100,INT,,0.1,0,%,pump.speed,,").empty());
  CHECK(scaled("s,%MW100,INT,,,,,pump.speed,,").empty());
  CHECK(scaled("s,%MW100,INT,,0.01,,rpm,pump.speed,,") ==
        TagWords{
            "warning tag kiln.s: 'pump.speed' and the tag are of different scale: factor 0.1 "
            "against 0.01, % against rpm | correct the one that is wrong, or convert the value in "
            "the program and say so in the table"});
  CHECK(scaled("s,%MW100,INT,,,5,,pump.speed,,").size() == 1);
}

TEST_CASE("V05: tags over each other, and what may share") {
  const auto over = [](const std::string& rows) { return TagSite{.tags = rows}.of("V05"); };
  CHECK(over("a,%MW10,REAL,,,,,,,\nb,%MW11,INT,,,,,,,\n") ==
        TagWords{
            "error tag kiln.b: INT %MW11 overlaps tag 'a', REAL %MW10..%MW11 | correct one of the "
            "two addresses or types"});
  CHECK(over("a,%MW10,REAL,,,,,,,\nb,%MW10,REAL,,,,,,,\n").empty());  // an alias
  CHECK(over("a,%MW10,REAL,,,,,,,\nb,%MW10,DINT,,,,,,,\n").size() == 1);
  CHECK(over("a,%MW10,WORD,,,,,,,\nb,%MW10.3,BOOL,,,,,,,\n").empty());
  CHECK(over("a,%MW10,UINT,,,,,,,\nb,%MW10.3,BOOL,,,,,,,\n").empty());
  CHECK(over("a,%MW10,REAL,,,,,,,\nb,%MW10.3,BOOL,,,,,,,\n").size() == 1);
  CHECK(over("a,%MW10,DWORD,,,,,,,\nb,%MW11,WORD,,,,,,,\n").empty());
  CHECK(over("a,%MW10,DWORD,,,,,,,\nb,%MW11,INT,,,,,,,\n").size() == 1);
  CHECK(over("a,%MW10,REAL,,,,,,,\nb,%MW12,INT,,,,,,,\n").empty());
}

TEST_CASE("V06: words that nobody names") {
  CHECK(TagSite{.tags = "moisture,%MW100,REAL,CDAB,,,,gauge.moisture,,\n"
                        "state,%MW104,WORD,,,,,gauge.state,,\n"}
            .of("V06") ==
        TagWords{"warning transaction in: no tag of controller kiln names %MW102..%MW103, "
                 "%MW105..%MW107 | add the tags to its table if the program uses the values; if it "
                 "does not, accept this and say why"});
  CHECK(TagSite{.tags = "x,%MW10,INT,,,,,,,\n"}.of("V06") ==
        TagWords{
            "note transaction in: no tag of controller kiln names any of %MW100..%MW107 | add the "
            "tags to its table if the program uses the values, or leave the transaction out"});
  // what a complete map does not list holds no value
  CHECK(TagSite{.rows = {replaced(in_row, "count = 8", "count = 12")},
                .tags = "moisture,%MW100,REAL,CDAB,,,,gauge.moisture,,\n"}
            .of("V06")
            .front()
            .starts_with("warning transaction in: no tag of controller kiln names %MW102..%MW107, "
                         "%MW110..%MW111 |"));
  // a row that cannot be read may be the one
  CHECK(TagSite{.tags = "x,%MW10,INT,,,,,,,\ny,%MW100,INK,,,,,,,\n"}.of("V06").empty());
  CHECK(TagSite{.tags = "x,%MW10,INT,,,,,,,\ny,%MW5000,INT,,,,,,,\n"}.of("V06").empty());
}

TEST_CASE("V07: bits that the program must know") {
  const TagSite status{
      .rows = {replaced(
          in_row, "on_loss = \"hold\"",
          "on_loss = \"hold\", status = { failed = \"%MX3\", exception = \"%MW50\" }")},
      .tags = "x,%MW10,INT,,,,,,,\n"};
  CHECK(status.of("V07") ==
        TagWords{
            "warning transaction in: no tag of controller kiln names failed %MX3, exception %MW50 "
            "| add it to the table of tags: what the program does not know it cannot use"});
  const auto gate = [](const std::string& tags) {
    return TagSite{.rows = {in_row, replaced(pump_out, "every = \"1s\"",
                                             "every = \"1s\", only_if = \"%MW50.2\"")},
                   .tags = tags}
        .of("V07");
  };
  CHECK(gate("g,%MW50.2,BOOL,,,,,,,\n").empty());
  CHECK(gate("g,%MW50,WORD,,,,,,,\n").empty());
  CHECK(gate("g,%MW50,WORD,,,,,,,\nother,%MW50.3,BOOL,,,,,,,\n").size() == 1);
  CHECK(gate("g,%MW50,UINT,,,,,,,\n").size() == 1);  // a number has no bits
}

TEST_CASE("V08: older than the program can stand") {
  const auto aged = [](const std::string& age) {
    return TagSite{.tags = "moisture,%MW100,REAL,CDAB,,,,gauge.moisture,," + age + "\n"}.of("V08");
  };
  CHECK(aged("2s").empty());
  CHECK(aged("500ms").size() == 1);
  CHECK(aged("500ms").front().starts_with("error tag kiln.moisture: the value is up to 10"));
  CHECK(
      TagSite{.rows = {replaced(in_row, "every = \"1s\"", "on = \"%MX1\", min_gap = \"1s\"")},
              .tags = "moisture,%MW100,REAL,CDAB,,,,gauge.moisture,,2s\n"}
          .of("V08") ==
      TagWords{"warning tag kiln.moisture: nothing bounds its age, and 2s is allowed: nothing says "
               "how often in runs | give in a period"});
}

TEST_CASE("one cause, one finding: V and the other families") {
  // the block is off at the slave: F10 says it, as grave as what the program would see
  const std::string shifted = replaced(in_row, "at = 0", "at = 1");
  const TagSite site{.rows = {shifted},
                     .tags =
                         "moisture,%MW100,REAL,CDAB,,,,gauge.moisture,,\n"
                         "temp,%MW102,REAL,CDAB,,,,gauge.temp,,\n"};
  const TagWords found = findings_of(site.plan(), site.files(), "F,M,V01,V02,V03,V06");
  REQUIRE(found.size() == 1);
  CHECK(found.front().starts_with("error F10"));
  // a transaction that could not be read may be the one that brings it
  const TagSite unread{.rows = {replaced(in_row, "slave = \"gauge\"", "slave = \"gouge\"")},
                       .tags = "moisture,%MW100,REAL,CDAB,,,,gauge.moisture,,\n"};
  CHECK(unread.of("V01").empty());
}

TEST_CASE("between controllers a value is followed to every tag it ends in") {
  const std::string plan = replaced(
      replaced(
          test::with_rows(
              {in_row,
               R"({ name = "to", controller = "kiln", slave = "loadout", fc = 16, at = "%MW1", count = 4, from = "%MW100", every = "100ms", relays = true })"}),
          "[line.north]",
          "[controller.loadout]\nscan = \"8ms\"\naddress = \"10.20.0.12/24\"\nanswers "
          "= [ { port = 502 } ]\nword_order = \"CDAB\"\ntags = \"loadout.csv\"\n"
          "[controller.loadout.memory]\n\"%MW\" = { kind = \"word\", first = 1, count "
          "= 500, serves = \"hr:1000\" }\n[line.north]"),
      "[controller.kiln]\n",
      "[controller.kiln]\ntags = \"tags.csv\"\naddress = "
      "\"10.20.0.10/24\"\n");
  const auto said = [&](const std::string& loadout) {
    test::Files files = TagSite{}.files();
    files["tags.csv"] =
        "tag,address,type,word_order,from\nmoisture,%MW100,REAL,CDAB,gauge.moisture\n";
    files["loadout.csv"] = "tag,address,type,from,max_age\n" + loadout + "\n";
    return findings_of(plan, files, "P,V01,V02,V08");
  };
  const auto both = [&](const std::string& kiln, const std::string& loadout) {
    test::Files files = TagSite{}.files();
    files["tags.csv"] = "tag,address,type,word_order,from\n" + kiln;
    files["loadout.csv"] = "tag,address,type,from\n" + loadout;
    return findings_of(plan +
                           "copies = [ { controller = \"kiln\", from = \"%MW104\", to = "
                           "\"%MW300\", count = 2 } ]\n",
                       files, "P,V01,V02");
  };
  // what both ends of a way declare is judged once, where it ends
  test::Files mutual = TagSite{}.files();
  mutual["tags.csv"] = "tag,address,type,to\nbatch,%MW103,UINT,loadout.batch\n";
  mutual["loadout.csv"] = "tag,address,type,from\nbatch,%MW1,UINT,kiln.batch\n";
  const std::string own_words = replaced(plan, "count = 8", "count = 2");
  CHECK(findings_of(own_words, mutual, "P,V01,V02,V03").size() == 1);
  mutual["loadout.csv"] = "tag,address,type,from\nbatch,%MW4,UINT,kiln.batch\n";
  CHECK(findings_of(own_words, mutual, "P,V01,V02,V03").empty());
  // the tag at the load-out would be right if the one in front of it were
  CHECK(both("out,%MW102,REAL,CDAB,gauge.moisture\n", "malt,%MW3,REAL,gauge.moisture\n").size() ==
        1);
  CHECK(both("out,%MW300,REAL,CDAB,gauge.moisture\n", "malt,%MW3,REAL,gauge.moisture\n").size() ==
        2);
  CHECK(said("malt,%MW1,REAL,gauge.moisture,2s").empty());
  CHECK(said("malt,%MW1,REAL,kiln.moisture,").empty());
  CHECK(
      said("malt,%MW1,DINT,kiln.moisture,") ==
      TagWords{"error V02 2:11 tag loadout.malt: 'kiln.moisture' arrives in %MW1..%MW2 as f32, the "
               "tag takes %MW1..%MW2 for DINT"});
  CHECK(
      said("malt,%MW2,REAL,gauge.moisture,") ==
      TagWords{"error V01 2:6 tag loadout.malt: 'gauge.moisture' arrives in %MW1..%MW2, the tag is "
               "at %MW2..%MW3"});
  CHECK(said("malt,%MW1,REAL,kiln.moistre,") ==
        TagWords{"error P03 2:16 tag loadout.malt: controller kiln has no tag 'moistre'"});
  CHECK(said("malt,%MW1,REAL,gauge.moisture,1s").size() == 1);
}
