// Families D and C: a plan that fires each rule, with the exact words, and one in which it is
// silent.
#include <catch2/catch.hpp>

#include "network_plan.h"
#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::network_plan;
using test::replaced;

namespace {

using Words = std::vector<std::string>;

std::string read(const std::string& name, const std::string& slave, int at, int count,
                 const std::string& into, const std::string& controller = "kiln") {
  return "{ name = \"" + name + "\", controller = \"" + controller + "\", slave = \"" + slave +
         "\", fc = 3, at = " + std::to_string(at) + ", count = " + std::to_string(count) +
         ", into = \"" + into + "\", every = \"1s\", on_loss = \"hold\" }";
}

test::Files with_map(const std::string& name, const std::string& text) {
  test::Files files = test::base_files();
  files[name] = text;
  return files;
}

}  // namespace

TEST_CASE("D01: what the type cannot hold") {
  const auto point = [](const std::string& type, const std::string& rest) {
    return findings_of_rule(
        "D01", network_plan({}),
        with_map("pump.csv", "point,area,address,type,factor,offset,unit,min,max\nflow,hr,0," +
                                 type + "," + rest + "\n"));
  };
  CHECK(point("u16", "0.1,0,l/h,0,9000") ==
        Words{"warning point flow: 9000 l/h does not fit: u16 with factor 0.1 reaches from 0 to "
              "6553.5 | look up type and factor again; with this factor the range needs u32"});
  CHECK(point("u16", "0.1,0,l/h,0,6553.5").empty());
  CHECK(point("i16", "1,0,,-40000,100")
            .at(0)
            .find("-40000 does not fit: i16 with factor 1 reaches from -32768 to "
                  "32767") != std::string::npos);
  CHECK(point("u16", "1,0,,-5,100").empty());  // R03
  CHECK(point("u16", "1,-40,C,-40,60").empty());
  CHECK(point("i16", "0.01,0,,-327.68,327.67").empty());
  CHECK(point("i16", "-1,0,,-32767,32768").empty());
  // the smallest type that holds both ends, and not one that just does not
  const auto needed = [&](const std::string& range) {
    const std::string type = range.front() == '-' ? "i16" : "bcd16";
    const std::string text = point(type, "1,0,," + range).at(0);
    return text.substr(text.rfind(' ') + 1);
  };
  CHECK(needed("0,65535") == "u16");
  CHECK(needed("0,65536") == "u32");
  CHECK(needed("0,4294967295") == "u32");
  CHECK(needed("0,4294967296") == "f64");
  CHECK(needed("-32769,0") == "i32");
  CHECK(needed("-1,32768") == "i32");
  CHECK(needed("-2147483648,2147483647") == "i32");
  CHECK(needed("-2147483649,0") == "f64");
  CHECK(needed("-1,2147483648") == "f64");
  CHECK(point("bcd16", "1,0,,0,10000").size() == 1);
  CHECK(point("bcd32", "1,0,,0,99999999").empty());
  CHECK(point("u64", "1,0,,0,1e18").empty());
  CHECK(point("f32", "1,0,,0,1e30").empty());
  CHECK(point("u16", "1,0,,,").empty());
  // what rounds to a value that fits
  CHECK(point("u16", "1,0,,-0.4,65535.4").empty());
  CHECK(point("u16", "1,0,,0,65535.6").size() == 1);
}

TEST_CASE("D02: an order that nobody stated") {
  const test::Files files = with_map(
      "pump.csv",
      "point,area,address,type,word_order\nhours,hr,0,u32,\nstarts,hr,2,u32,\nspeed,hr,4,u16,\n");
  CHECK(
      findings_of_rule("D02", network_plan({read("a", "pump", 0, 5, "%MW0")}), files) ==
      Words{
          "warning slave pump: 'hours' (u32) and 1 more takes several registers, and nothing says "
          "in which order they come | write word_order = \"ABCD\" or as its manual says; `greymet "
          "value` shows which order gives the number on its display"});
  CHECK(findings_of_rule("D02", network_plan({read("a", "pump", 4, 1, "%MW0")}), files).empty());
  CHECK(findings_of_rule("D02",
                         replaced(network_plan({read("a", "pump", 0, 5, "%MW0")}), "unit = 13\n",
                                  "unit = 13\nword_order = \"ABCD\"\n"),
                         files)
            .empty());
  CHECK(findings_of_rule(
            "D02", network_plan({read("a", "pump", 0, 4, "%MW0")}),
            with_map("pump.csv",
                     "point,area,address,type,word_order\nhours,hr,0,u32,CDAB\nstarts,hr,"
                     "2,u32,DCBA\n"))
            .empty());
}

TEST_CASE("D04: half a text") {
  const test::Files files =
      with_map("pump.csv", "point,area,address,type\nname,hr,0,text(9)\nspeed,hr,5,u16\n");
  CHECK(findings_of_rule("D04", network_plan({read("a", "pump", 0, 4, "%MW0")}), files) ==
        Words{"error transaction a: 'name' has 9 characters in 5 registers; 4 of them are in "
              "hr:0..hr:3 | write at = 0, count = 5"});
  CHECK(findings_of_rule("D04", network_plan({read("a", "pump", 0, 5, "%MW0")}), files).empty());
  CHECK(findings_of_rule("D04", network_plan({read("a", "pump", 0, 6, "%MW0")}), files).empty());
  // a cut text is no cut number
  CHECK(findings_of_rule("F12", network_plan({read("a", "pump", 0, 4, "%MW0")}), files).empty());
}

TEST_CASE("D05: word orders on the way") {
  // gauge: CDAB; its moisture (f32) is copied and sent to loadout
  const std::string way = network_plan({read("in", "gauge", 0, 8, "%MW0"),
                                        "{ name = \"to\", controller = \"kiln\", slave = "
                                        "\"loadout\", fc = 16, at = \"%MW0\", count = 4, "
                                        "from = \"%MW100\", every = \"1s\" }"},
                                       "");
  const std::string plan =
      way + "copies = [ { controller = \"kiln\", from = \"%MW0\", to = \"%MW101\", count = 2 } ]\n";
  const auto with_order = [&](const std::string& order) {
    return replaced(plan, "scan = \"8ms\"\n", "scan = \"8ms\"\nword_order = \"" + order + "\"\n");
  };
  CHECK(findings_of_rule("D05", with_order("ABCD")) ==
        Words{"warning transaction to: 'moisture' comes from gauge in order CDAB, but controller "
              "loadout takes values as ABCD | swap the words in the program before they are passed "
              "on; where the controller does it, write swap = \"ABCD\" at to"});
  CHECK(findings_of_rule("D05", with_order("CDAB")).empty());
  CHECK(findings_of_rule("D05", plan).empty());  // nothing is known of loadout
  // only half of the value is copied: that is no value any more
  CHECK(findings_of_rule("D05", replaced(with_order("ABCD"), "to = \"%MW101\", count = 2",
                                         "to = \"%MW101\", count = 1"))
            .empty());
  // a peer that fetches the value by itself
  const std::string fetched =
      replaced(network_plan({read("in", "gauge", 0, 8, "%MW10"),
                             read("get", "kiln", 12, 2, "%MW30", "loadout")}),
               "address = \"10.20.0.10/24\"\n",
               "address = \"10.20.0.10/24\"\nanswers = [ { port = 502 } ]\n");
  CHECK(findings_of_rule(
            "D05", replaced(fetched, "scan = \"8ms\"\n", "scan = \"8ms\"\nword_order = \"ABCD\"\n"))
            .at(0)
            .find("warning transaction get: 'temp' comes from gauge in order CDAB") == 0);
}

TEST_CASE("D05, D06: passed on to another slave") {
  const test::Files files = with_map(
      "pump.csv",
      "point,area,address,type,factor,unit\nsetpoint,hr,0,f32,1,\nspeed,hr,2,i16,0.1,rpm\n");
  const auto relay = [&](int at, const std::string& source, const std::string& keys) {
    return replaced(
        network_plan({read("in", "gauge", 0, 8, "%MW0"),
                      "{ name = \"out\", controller = \"kiln\", slave = \"pump\", fc = 16, at "
                      "= " +
                          std::to_string(at) + ", count = " + (at == 0 ? "2" : "1") +
                          ", from = \"" + source + "\", relays = true, every = \"1s\" }"}),
        "unit = 13\n", "unit = 13\n" + keys);
  };
  CHECK(
      findings_of_rule("D05", relay(0, "%MW0", "word_order = \"DCBA\"\n"), files) ==
      Words{
          "warning transaction out: 'moisture' comes from gauge in order CDAB and is sent to pump "
          "'setpoint', which expects DCBA | swap the words in the program before they are passed "
          "on; where the controller does it, write swap = \"DCBA\" at out"});
  CHECK(findings_of_rule("D05", relay(0, "%MW0", "word_order = \"CDAB\"\n"), files).empty());
  CHECK(findings_of_rule("D06", relay(0, "%MW0", "word_order = \"CDAB\"\n"), files).empty());
  CHECK(
      findings_of_rule("D06", relay(2, "%MW5", ""), files) ==
      Words{
          "warning transaction out: 'code' of gauge is sent to 'speed' of pump, which is another "
          "quantity: u16 against i16, factor 1 against 0.1 | convert it in the program, or correct "
          "the map"});
  const auto speed = [&](const std::string& row) {
    return findings_of_rule("D06", relay(2, "%MW5", ""),
                            with_map("pump.csv",
                                     "point,area,address,type,factor,offset,unit\n"
                                     "setpoint,hr,0,f32,1,0,\nspeed,hr,2,u16," +
                                         row + "\n"));
  };
  CHECK(speed("1,0,rpm").empty());  // only one of them has a unit
  const auto units = [&](const std::string& code) {
    test::Files both = with_map("pump.csv",
                                "point,area,address,type,unit\nsetpoint,hr,0,f32,\nspeed,hr,2,u16,"
                                "rpm\n");
    both["gauge.csv"] = "point,area,address,type,unit\ncode,hr,5,u16," + code + "\n";
    return findings_of_rule("D06", relay(2, "%MW5", ""), both);
  };
  CHECK(units("rpm").empty());
  CHECK(units("1/s").at(0).find("another quantity: 1/s against rpm |") != std::string::npos);
  CHECK(speed("1,-40,").at(0).find("another quantity: offset 0 against -40 |") !=
        std::string::npos);
}

TEST_CASE("C01, C02: what the model can do") {
  test::Files files = test::base_files();
  files["a.toml"] =
      "protocols = [\"rtu-master\", \"tcp-client\"]\nseries = \"A\"\nmax_transactions = "
      "2\nmax_words = "
      "10\nmax_slaves = 1\nmax_connections = 1\nneeds = { \"tcp-client\" = \"series B\" }\n";
  const auto with_model = [](const std::vector<std::string>& rows) {
    return replaced(network_plan(rows), "scan = \"10ms\"\n",
                    "scan = \"10ms\"\nmodel = \"a.toml\"\n");
  };
  CHECK(findings_of_rule("C01", with_model({read("a", "gauge", 0, 2, "%MW0")}), files).empty());
  CHECK(
      findings_of_rule("C01", with_model({read("a", "air", 0, 2, "%MW0")}), files) ==
      Words{"error controller kiln: the connection to air needs tcp-client, which this controller "
            "(a.toml, series A) does not have; series B has it | take a controller of series B, or "
            "reach the slaves another way"});
  test::Files other = files;
  other["a.toml"] = replaced(files["a.toml"], "series = \"A\"", "series = \"B\"");
  CHECK(findings_of_rule("C01", with_model({read("a", "air", 0, 2, "%MW0")}), other).empty());
  const std::string ascii = replaced(replaced(with_model({read("a", "gauge", 0, 2, "%MW0")}),
                                              "mode = \"rtu\"", "mode = \"ascii\""),
                                     "format = \"8E1\"", "format = \"7E1\"");
  CHECK(
      findings_of_rule("C01", ascii, files) ==
      Words{"error controller kiln: line north needs ascii-master, which this controller (a.toml, "
            "series A) does not have | it has rtu-master, tcp-client; reach the slaves another "
            "way, or "
            "take another model"});
  CHECK(
      findings_of_rule(
          "C02",
          with_model({read("a", "air", 0, 4, "%MW0"), read("b", "steam", 0, 4, "%MW10"),
                      read("c", "air", 4, 4, "%MW20")}),
          files) ==
      Words{
          "error controller kiln: has 3 transactions; this model (a.toml) can do 2 | join reads of "
          "neighbouring registers, or give part of them to another controller",
          "error controller kiln: has 12 words; this model (a.toml) can do 10 | read fewer "
          "registers, or give part of them to another controller",
          "error controller kiln: has 2 slaves; this model (a.toml) can do 1 | give part of them "
          "to "
          "another controller",
          "error controller kiln: has 2 connections; this model (a.toml) can do 1 | reach several "
          "slaves through one gateway, or give part of them to another controller"});
  CHECK(findings_of_rule(
            "C02", with_model({read("a", "air", 0, 4, "%MW0"), read("b", "air", 4, 4, "%MW10")}),
            files)
            .empty());
}
