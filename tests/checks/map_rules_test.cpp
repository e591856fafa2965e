// Family R: register maps against themselves and each other.
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using test::findings_of;
using test::findings_of_rule;

namespace {

using Words = std::vector<std::string>;

const std::string gauge_row =
    R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" })";

Words of_map(const std::string& code, const std::string& map) {
  test::Files files = test::base_files();
  files["gauge.csv"] = map;
  return findings_of_rule(code, test::with_rows({gauge_row}), files);
}

// R03, R04, R08 and D01 of one row "type,factor,offset,min,max", by code.
std::string range_rule(const std::string& rest) {
  test::Files files = test::base_files();
  files["pump.csv"] = "point,area,address,type,factor,offset,min,max\nflow,hr,0," + rest + "\n";
  std::string codes;
  for (const std::string& f : findings_of(test::with_rows({gauge_row}), files, "R,D01")) {
    const std::size_t at = f.find(' ') + 1;
    codes += (codes.empty() ? "" : " ") + f.substr(at, 3);
  }
  return codes;
}

}  // namespace

TEST_CASE("R01: values on the same registers, a run of them at once") {
  CHECK(of_map("R01", "point,area,address,type\na,hr,0,u32\nb,hr,1,u16\n") ==
        Words{"warning point b: takes hr:1 as well as 'a' (u32, hr:0..hr:1) | look up both "
              "addresses and types again"});
  CHECK(
      of_map("R01", "point,area,address,type\na,hr,0,u32\nb,hr,1,u32\nc,hr,2,u32\nd,hr,9,u16\n") ==
      Words{"warning point b: takes hr:1 as well as 'a' (u32, hr:0..hr:1) (and 1 more behind it) "
            "| look up both addresses and types again"});
  // rows may stand in any order: the later one is named
  CHECK(of_map("R01", "point,area,address,type\nb,hr,1,u16\na,hr,0,u32\n").at(0).substr(0, 16) ==
        "warning point a:");
  // two separate pairs are two findings
  CHECK(of_map("R01", "point,area,address,type\na,hr,0,u32\nb,hr,1,u16\nc,hr,8,u32\nd,hr,9,u16\n")
            .size() == 2);
  // what is no mistake: bits of a word, the word as bits, other areas, neighbours
  CHECK(of_map("R01",
               "point,area,address,type,bit\na,hr,0,u16,\nb,hr,0,bool,3\nc,hr,0,bits,\n"
               "d,ir,0,u16,\ne,hr,1,u32,\nf,hr,3,u16,\n")
            .empty());
}

TEST_CASE("R02: bools without a bit, and two on one") {
  CHECK(of_map("R02", "point,area,address,type,bit\na,hr,0,bool,\nb,hr,1,bool,\n") ==
        Words{"error point a: is a bool in register hr:0, and nothing says which of its 16 bits "
              "(and 1 more) | write the number in column `bit`, 0 = least significant; or type "
              "bits for the whole register"});
  CHECK(of_map("R02", "point,area,address,type,bit\na,hr,0,bool,3\nb,hr,0,bool,3\n") ==
        Words{"warning point b: bit 3 of hr:0 is also 'a' | give each its own bit, or leave one "
              "out"});
  CHECK(of_map("R02", "point,area,address,type\na,co,4,bool\nb,co,4,bool\n") ==
        Words{"warning point b: co:4 is also 'a' | give each its own address, or leave one out"});
  CHECK(of_map("R02",
               "point,area,address,type,bit\na,hr,0,bool,3\nb,hr,0,bool,4\nc,hr,1,bool,3\n"
               "d,ir,0,bool,3\ne,co,3,bool,\n")
            .empty());
  // the address may bring the bit; a misspelt column explains its absence
  CHECK(of_map("R02", "point,area,address,type\na,hr,0.3,bool\n").empty());
  CHECK(of_map("R02", "point,area,address,type,bitno\na,hr,0,bool,3\n").empty());
}

TEST_CASE("R03, R04, R08, D01: one finding a range, by what explains it best") {
  for (const auto& [rest, codes] : std::vector<std::pair<std::string, std::string>>{
           {"u16,0.1,0,0,6553.5", ""},
           {"u16,0.1,0,100,0", "R03"},        // exchanged
           {"u16,0,0,0,100", "R03"},          // no factor
           {"f32,0,0,,", "R03"},              // of any type
           {"u16,1,0,-0.6,100", "R03"},       // negative
           {"u16,1,0,-0.4,65535.4", ""},      // rounds to what fits
           {"u16,1,-40,-40,60", ""},          // the offset makes it fit
           {"u16,1,0,70000,80000", "R03"},    // nothing of it
           {"i16,1,0,-80000,-70000", "R03"},  // nothing of it
           {"i16,1,0,-40000,0", "D01"},       // only overshoots
           {"u16,0.1,0,0,9000", "D01"},
           {"u16,10,0,0,4000", "R04"},     // 400 of 65536 steps; turned round 40000
           {"i16,10,0,-20,120", "R04"},    // 14 steps
           {"u16,0.01,0,0,1e9", "D01"},    // turned round it does not fit either
           {"u16,10,0,0,600000", ""},      // well used
           {"u16,100,0,0,100", "R04"},     // one step; turned round 10000
           {"u16,1,0,0,3.600", "R08"},     // between two steps
           {"u16,0.001,0,0,3.600", ""},    // a step of a thousandth
           {"u16,1,0,0,3.6", ""},          // no thousands
           {"u16,1,0,100,3.600", "R08"},   // on the wrong side, a thousand times as much is not
           {"u16,1,0,100,99.600", "D01"},  // 99600 does not fit: something else is wrong
           {"f32,1,0,0,3.600", ""},        // any number
           {"u16,1,0,0,0.600", ""}}) {
    INFO(rest);
    if (rest == "u16,1,0,100,99.600") {
      CHECK(range_rule(rest) == "R03");
    } else {
      CHECK(range_rule(rest) == codes);
    }
  }
  CHECK(
      of_map("R04", "point,area,address,type,factor,unit,min,max\nflow,hr,0,u16,10,l/h,0,4000\n") ==
      Words{"warning point flow: factor 10 looks upside down: 0 to 4000 l/h are raw 0 to 400, "
            "which u16 hardly uses; with 0.1 they are 0 to 40000 | write 0.1"});
  CHECK(of_map("R08", "point,area,address,type,min,max\nn,hr,0,u16,0,3.600\n") ==
        Words{"warning point n: max 3.6 is no whole number of steps of 1, but written like 3600 "
              "with a sign for thousands | write 3600"});
  CHECK(of_map("R03", "point,area,address,type,min,max\nn,hr,0,u16,5,1\n") ==
        Words{"error point n: min 5 is above max 1 | write min 1 and max 5, if they were "
              "exchanged"});
}

TEST_CASE("R05: headings near to ours") {
  CHECK(of_map("R05", "point,area,address,type,Scale Factor,acces\na,hr,0,u32,0.1,r\n") ==
        Words{"warning slave gauge: column 'Scale Factor' is not used: there is no column of this "
              "name, and 'factor' is not there | write factor",
              "warning slave gauge: column 'acces' is not used: there is no column of this name, "
              "and 'access' is not there | write access"});
  // where the column is there the other one is the maker's own; what resembles nothing is kept
  CHECK(of_map("R05", "point,area,address,type,factor,scale,maker,colour,code\na,hr,0,u32,1,,,,\n")
            .empty());
  // it explains what its absence would cause
  CHECK(of_map("D02", "point,area,address,type,wordorder\na,hr,0,u32,ABCD\n").empty());
  CHECK(of_map("R03", "point,area,address,type,Scale,min,max\na,hr,0,u16,1,5,1\n").empty());
  // a needed one is missing: said once, there
  CHECK(of_map("P07", "name,area,address,type\na,hr,0,u32\n") ==
        Words{"error slave gauge: column 'point' is missing; is it the one called 'name'? | write "
              "point"});
}

TEST_CASE("R06: one map, read in two ways") {
  const auto pump = [](const std::string& keys, const std::string& code = "R06") {
    return findings_of_rule(code,
                            test::replaced(test::with_rows({gauge_row}), "map = \"pump.csv\"\n",
                                           "map = \"gauge.csv\"\n" + keys));
  };
  CHECK(pump("numbering = \"from-1\"\n") ==
        Words{"warning slave pump: counts from-1 in gauge.csv, which gauge reads from-0 | write "
              "numbering = \"from-0\""});
  CHECK(pump("numbering = \"from-0\"\n").empty());
  CHECK(pump("word_order = \"ABCD\"\n") ==
        Words{"note slave pump: takes words as ABCD, while gauge with the same map takes them as "
              "CDAB | write \"CDAB\""});
  CHECK(pump("word_order = \"CDAB\"\n").empty());
  // explicit addresses are the same however one counts
  test::Files files = test::base_files();
  files["gauge.csv"] = "point,area,address,type\nm,hr,hr:0,u16\nn,hr,hr:1,u16\n";
  CHECK(findings_of_rule("R06",
                         test::replaced(test::with_rows({gauge_row}), "map = \"pump.csv\"\n",
                                        "map = \"gauge.csv\"\nnumbering = \"from-1\"\n"),
                         files)
            .empty());
  // findings of the file itself are said once, although it is read twice
  files["gauge.csv"] = "point,area,address,type\nm,hr,0,u99\nn,hr,1,u16\n";
  CHECK(findings_of_rule("P07",
                         test::replaced(test::with_rows({gauge_row}), "map = \"pump.csv\"\n",
                                        "map = \"gauge.csv\"\nnumbering = \"from-1\"\n"),
                         files)
            .size() == 1);
}

TEST_CASE("R07: another map fits all that is asked") {
  const std::string wrong = test::with_rows(
      {R"({ name = "t", slave = "pump", fc = 3, at = 4, count = 4, into = "%MW0", every = "1s", on_loss = "hold" })",
       R"({ name = "u", slave = "pump", fc = 16, at = 10, count = 2, from = "%MW20", every = "1s" })"});
  const std::string complete =
      test::replaced(wrong, "map = \"pump.csv\"\n", "map = \"pump.csv\"\nmap_covers = \"all\"\n");
  CHECK(findings_of_rule("R07", complete) ==
        Words{"warning slave pump: hardly anything that is asked of it is listed in pump.csv, and "
              "all of it in gauge.csv | write map = \"gauge.csv\", or correct the addresses"});
  CHECK(findings_of_rule("F09", complete).empty());  // only a consequence
  // one block that does not fit the other map either
  const std::string none = test::replaced(complete, "at = 10, count = 2", "at = 14, count = 2");
  CHECK(findings_of_rule("R07", none).empty());
  CHECK(findings_of_rule("F09", none).size() == 2);
  // what is listed is no reason to doubt the map
  CHECK(findings_of_rule("R07", test::replaced(complete, "at = 4, count = 4", "at = 0, count = 2"))
            .empty());
}

TEST_CASE("a row left out silences what it may explain, and nothing else") {
  test::Files files = test::base_files();
  // hr:8..9 are listed by a row that cannot be read
  files["gauge.csv"] += "extra,hr,8,real,rw\n";
  const auto block = [&](const std::string& code, const std::string& keys) {
    return findings_of_rule(
        code,
        test::with_rows({R"({ name = "t", slave = "gauge", fc = 3, )" + keys +
                         R"(, into = "%MW0", every = "1s", on_loss = "hold" })"}),
        files);
  };
  CHECK(block("F11", "at = 0, count = 9").empty());
  CHECK(block("P03", "at = \"extra\"").empty());
  CHECK(block("P03", "points = [\"ext*\"]").empty());
  CHECK(block("P07", "at = 0, count = 9").size() == 1);
  // far from it, and another name
  files["gauge.csv"] = test::base_files()["gauge.csv"] + "extra,hr,500,real,rw\n";
  CHECK(block("F11", "at = 0, count = 9").size() == 1);
  CHECK(block("P03", "at = \"other\"").size() == 1);
  CHECK(block("P03", "points = [\"oth*\"]").size() == 1);
  // a map that cannot be opened is not the same as none
  files.erase("gauge.csv");
  CHECK(block("P03", "at = \"moisture\"").empty());
  CHECK(block("P07", "at = \"moisture\"").size() == 1);
}
