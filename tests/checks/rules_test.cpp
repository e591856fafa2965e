// Every rule of S, F, M and D: a plan that fires it, with the exact words, and one in which it is
// silent.
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::replaced;
using test::with_rows;

namespace {

using Words = std::vector<std::string>;

std::string row(const std::string& rest, const std::string& name = "t",
                const std::string& slave = "gauge") {
  return "{ name = \"" + name + "\", slave = \"" + slave + "\", every = \"1s\", " + rest + " }";
}

// A plan with one transaction to `gauge`.
std::string one(const std::string& rest) {
  return with_rows({row(rest)});
}

const std::string good = R"(fc = 3, at = 0, count = 8, into = "%MW0")";

}  // namespace

TEST_CASE("the base plan has nothing to report") {
  CHECK(test::findings_of(one(good)).empty());
}

TEST_CASE("S01: settings that differ, item by item, gathered where all differ alike") {
  const std::string plan = one(good);
  const auto with_settings = [&](const std::string& settings) {
    return replaced(plan, "unit = 12\n", "unit = 12\nsettings = " + settings + "\n");
  };
  CHECK(
      findings_of_rule("S01", with_settings(R"({ mode = "rtu", baud = 9600, format = "8N2" })")) ==
      Words{
          "error slave gauge: set differently from line north: baud 9600 where the line has 19200, "
          "format \"8N2\" where the line has \"8E1\" | set the slave to baud = 19200, format = "
          "\"8E1\", or change the line"});
  CHECK(findings_of_rule("S01", with_settings(R"({ mode = "ascii" })"))
            .at(0)
            .find("mode \"ascii\" where the line has \"rtu\"") != std::string::npos);
  CHECK(findings_of_rule("S01", with_settings(R"({ mode = "rtu", baud = 19200, format = "8E1" })"))
            .empty());
  const std::string both = replaced(with_settings("{ baud = 9600 }"), "unit = 13\n",
                                    "unit = 13\nsettings = { baud = 9600 }\n");
  CHECK(findings_of_rule("S01", both) == Words{"error line north: all 2 slaves are set "
                                               "differently: baud 9600 where the line has 19200 | "
                                               "write baud = 9600 at the line"});
  // a third one that agrees with the line: not the line's fault
  const std::string third = both +
                            "[slave.meter]\nline = \"north\"\nunit = 14\nsettings = { baud = 19200 "
                            "}\nreply = { typical = \"5ms\", max = \"20ms\" }\n";
  const auto single = findings_of_rule("S01", third);
  REQUIRE(single.size() == 2);
  CHECK(single[0].find("error slave gauge: set differently from line north") == 0);
}

TEST_CASE("S02, S03, S04: units") {
  CHECK(
      findings_of_rule("S02", replaced(one(good), "unit = 13", "unit = 12")) ==
      Words{
          "error slave pump: unit 12 on line north is also that of slave gauge | give one of them "
          "another unit; 1 is the lowest free one"});
  CHECK(
      findings_of_rule("S03", replaced(one(good), "unit = 13", "unit = 248")) ==
      Words{
          "error slave pump: unit 248 is out of range: slaves have 1 to 247, 0 is the broadcast | "
          "write the address that is set at the slave"});
  CHECK(findings_of_rule("S03", replaced(one(good), "unit = 13", "unit = 247")).empty());
  const auto own = findings_of_rule(
      "S04", replaced(one(good), "scan = \"10ms\"\n",
                      "scan = \"10ms\"\nanswers = [ { line = \"north\", unit = 12 } ]\n"));
  REQUIRE(own.size() == 1);
  CHECK(own[0].find("controller kiln: unit 12 on line north is also that of slave gauge, and one "
                    "of them is the line's master") != std::string::npos);
}

TEST_CASE("S04: ports, gateways and masters") {
  const std::string two =
      replaced(replaced(one(good), "mode = \"rtu\"\n", "mode = \"rtu\"\nport = \"/dev/a\"\n"),
               "[slave.gauge]",
               "[line.south]\nmaster = \"kiln\"\nport = \"/dev/a\"\nmode = \"rtu\"\nbaud = "
               "9600\nformat = \"8E1\"\n[slave.gauge]");
  CHECK(findings_of_rule("S04", two) == Words{"error line south: port /dev/a is already that of "
                                              "line north | each line needs a port of its own"});
  CHECK(
      findings_of_rule("S04", replaced(two, "port = \"/dev/a\"\n", "port = \"/dev/b\"\n")).empty());
  const std::string line = "via = \"g\"\nmode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"\n";
  CHECK(findings_of_rule("S04", one(good) + "[gateway.g]\nhost = \"10.0.0.9\"\n[line.a]\n" + line +
                                    "[line.b]\n" + line) ==
        Words{"error line b: gateway g already has line a behind it | declare a second gateway "
              "with the "
              "same host and the port of the other serial side"});
  const std::string other =
      replaced(with_rows({row(good + ", controller = \"boss\"")}), "[line.north]",
               "[controller.boss]\nscan = \"10ms\"\n[controller.boss.memory]\n\"%MW\" = { kind = "
               "\"word\", count = 99 }\n[line.north]");
  CHECK(
      findings_of_rule("S04", other) ==
      Words{"error transaction t: controller boss is not the master of line north: kiln is | write "
            "controller = \"kiln\", or move the slave to another line"});
}

TEST_CASE("S10: cables that are longer than their rate reaches") {
  const auto with = [](const std::string& keys, const std::string& baud = "19200") {
    return findings_of_rule("S10",
                            replaced(one(good), "baud = 19200", "baud = " + baud + "\n" + keys));
  };
  CHECK(with("").empty());
  CHECK(with("length_m = 1000\nstub_m = 20").empty());
  CHECK(with("length_m = 1001") ==
        Words{"warning line north: 1001 m of cable; at 19200 baud RS-485 is sure to work over 1000 "
              "m | write a lower baud rate, or split the line by a repeater or gateway"});
  // 10^8 / 115200 = 868.05
  CHECK(with("length_m = 868", "115200").empty());
  CHECK(with("length_m = 869", "115200").size() == 1);
  CHECK(with("stub_m = 20.5") ==
        Words{"warning line north: a branch of 20.5 m; none may be longer than 20 m | lead the "
              "trunk from device to device"});
  CHECK(with("medium = \"rs232\"\nlength_m = 20\nstub_m = 30").empty());
  CHECK(with("medium = \"rs232\"\nlength_m = 21") ==
        Words{"warning line north: 21 m of cable; at 19200 baud RS-232 is sure to work over 20 m | "
              "use RS-485, or put the master nearer"});
}

TEST_CASE("S05 to S09: formats, media, loads, rates, broadcasts") {
  CHECK(findings_of_rule("S05", replaced(one(good), "8E1", "7E1")) ==
        Words{"error line north: \"7E1\" has 7 data bits; RTU sends bytes of 8 | write format = "
              "\"8E1\", "
              "or mode = \"ascii\""});
  CHECK(findings_of_rule("S05", replaced(one(good), "8E1", "8N1")) ==
        Words{"note line north: \"8N1\" has 10 bits to a character; the standard's has 11: without "
              "parity, 2 stop bits | write format = \"8N2\" if all slaves can"});
  CHECK(findings_of_rule("S05", replaced(one(good), "8E1", "8N2")).empty());
  CHECK(findings_of_rule("S05", replaced(replaced(one(good), "8E1", "7E1"), "\"rtu\"", "\"ascii\""))
            .empty());
  const std::string rs232 =
      replaced(one(good), "mode = \"rtu\"\n", "mode = \"rtu\"\nmedium = \"rs232\"\n");
  CHECK(findings_of_rule("S06", rs232) ==
        Words{"error line north: 2 slaves on rs232, which joins two devices only | write medium = "
              "\"rs485\" if that is what is wired, or give each slave its own line"});
  CHECK(findings_of_rule("S06", one(good)).empty());
  std::string crowd = one(good);
  for (int i = 0; i < 30; ++i)
    crowd += "[slave.x" + std::to_string(i) +
             "]\nline = \"north\"\nunit = " + std::to_string(100 + i) + "\n";
  CHECK(
      findings_of_rule("S07", crowd) ==
      Words{
          "warning line north: 33 unit loads with the master's own; a driver is sure to move 32 | "
          "split the line, add a repeater, or state unit_load where a slave has less than 1"});
  CHECK(findings_of_rule("S07", replaced(crowd, "unit = 12\n", "unit = 12\nunit_load = 0.0\n"))
            .empty());
  CHECK(findings_of_rule("S08", replaced(one(good), "19200", "19201")) ==
        Words{"warning line north: 19201 baud is not a usual rate | write baud = 19200 if that is "
              "meant"});
  CHECK(findings_of_rule("S08", replaced(one(good), "19200", "96000")) ==
        Words{"warning line north: 96000 baud is not a usual rate | write baud = 9600 if that is "
              "meant"});
  CHECK(findings_of_rule("S08", replaced(one(good), "19200", "31250")) ==
        Words{"note line north: 31250 baud is not a usual rate | 9600 and 19200 are offered by all "
              "devices"});
  CHECK(findings_of_rule("S08", replaced(one(good), "19200", "115200")).empty());
  const std::string broadcast = replaced(one(good), "unit = 12", "unit = 0");
  CHECK(findings_of_rule("S09", broadcast) ==
        Words{"error transaction t: function 3 reads from unit 0: nobody answers a broadcast | "
              "read each "
              "slave by its own unit; 5, 6, 15, 16 and 22 may be broadcast"});
  CHECK(findings_of_rule(
            "S09", replaced(one(R"(fc = 6, at = 12, from = "%MW0")"), "unit = 12", "unit = 0"))
            .empty());
}

TEST_CASE("F01 to F03: area, quantity, end") {
  CHECK(findings_of_rule("F01", one(R"(fc = 3, at = "30001", count = 4, into = "%MW0")")) ==
        Words{"error transaction t: ir:0 is an input register; function 3 reaches holding "
              "registers | for "
              "input registers use fc = 4, or write the address as hr:0"});
  CHECK(findings_of_rule("F01", one(R"(fc = 16, at = "raw1", from = "%MW0")"))
            .at(0)
            .find("nothing: input registers are read-only") != std::string::npos);
  CHECK(findings_of_rule("F01", one(R"(fc = 4, at = "30001", count = 4, into = "%MW0")")).empty());
  CHECK(findings_of_rule("F02", one(R"(fc = 3, at = 0, count = 140, into = "%MW0")")) ==
        Words{"error transaction t: asks for 140 registers; one request carries at most 125 | "
              "split after "
              "hr:124: at = 0, count = 125 and at = 125, count = 15"});
  CHECK(findings_of_rule("F02", one(R"(fc = 3, at = 0, count = 125, into = "%MW0")")).empty());
  CHECK(findings_of_rule(
            "F02", one(R"(fc = 1, at = 0, count = 2001, into = "%MW0", packing = "bits-to-words")"))
            .size() == 1);
  CHECK(findings_of_rule("F02", one(R"(fc = 16, at = 0, count = 124, from = "%MW0")"))
            .at(0)
            .find("at most 123") != std::string::npos);
  CHECK(
      findings_of_rule(
          "F02",
          one(R"(fc = 23, read = { at = 0, count = 126, into = "%MW0" }, write = { at = 0, count = 122, from = "%MW200" })"))
          .size() == 2);
  // the slave's own limit, and no value is cut: 7 would end inside `count` (hr:6..7)
  CHECK(findings_of_rule("F02", replaced(one(good), "unit = 12\n", "unit = 12\nmax_read = 7\n")) ==
        Words{"error transaction t: asks for 8 registers; gauge accepts at most 7 | split after "
              "hr:5: at = "
              "0, count = 6 and at = 6, count = 2"});
  CHECK(findings_of_rule("F03", one(R"(fc = 3, at = 65530, count = 10, into = "%MW0")")) ==
        Words{"error transaction t: 10 registers from hr:65530 would end at 65539, past the last "
              "address, "
              "65535 | count = 6 reaches the last address"});
  CHECK(findings_of_rule("F03", one(R"(fc = 3, at = 65530, count = 6, into = "%MW0")")).empty());
}

TEST_CASE("F04 to F08: what slave, controller and points allow") {
  const std::string limited = replaced(one(R"(fc = 4, at = 0, count = 4, into = "%MW0")"),
                                       "unit = 12\n", "unit = 12\nfunctions = [3, 16]\n");
  CHECK(findings_of_rule("F04", limited) == Words{"error transaction t: gauge does not implement "
                                                  "function 4; it has 3, 16 | use one of those, "
                                                  "or correct `functions` of the slave"});
  CHECK(findings_of_rule("F04", replaced(limited, "[3, 16]", "[3, 4, 16]")).empty());
  auto files = test::base_files();
  files["m.toml"] = "functions = [3, 16]\n";
  const std::string modelled =
      replaced(one(R"(fc = 4, at = 0, count = 4, into = "%MW0")"), "scan = \"10ms\"\n",
               "scan = \"10ms\"\nmodel = \"m.toml\"\n");
  CHECK(findings_of_rule("F05", modelled, files) ==
        Words{"error transaction t: controller kiln (m.toml) cannot send function 4; it has 3, 16 "
              "| use one "
              "of those, or another model of controller"});
  files["m.toml"] = "functions = [3, 4]\n";
  CHECK(findings_of_rule("F05", modelled, files).empty());
  CHECK(findings_of_rule("F06", one(R"(fc = 6, at = 12, count = 2, from = "%MW0")")) ==
        Words{"error transaction t: function 6 writes one register, not 2 | write fc = 16, or "
              "count = 1"});
  CHECK(findings_of_rule("F06", one(R"(fc = 5, at = 0, count = 2, from = "%MX0")"))
            .at(0)
            .find("one coil, not 2") != std::string::npos);
  CHECK(findings_of_rule("F06", one(R"(fc = 6, at = 12, count = 1, from = "%MW0")")).empty());
  CHECK(
      findings_of_rule("F07", one(R"(fc = 6, at = 30, from = "%MW0")")) ==
      Words{
          "error transaction t: writes what is read-only: serial | leave them out of the block, or "
          "correct `access` in gauge.csv"});
  CHECK(
      findings_of_rule("F08", one(R"(fc = 3, at = 20, count = 1, into = "%MW0")")) ==
      Words{
          "error transaction t: reads what is write-only: reset | leave them out of the block, or "
          "correct `access` in gauge.csv"});
  CHECK(findings_of_rule("F07", one(R"(fc = 6, at = 20, from = "%MW0")")).empty());
}

TEST_CASE("F09: holes, by what the slave does with them") {
  const std::string plan = one(R"(fc = 3, at = 4, count = 10, into = "%MW0")");
  const std::string text = ": covers hr:8..hr:9, which gauge.csv does not list";
  const std::string cure = " | split: at = 4, count = 4 and at = 10, count = 4";
  CHECK(findings_of_rule("F09", plan) == Words{"warning transaction t" + text + cure});
  CHECK(findings_of_rule("F09", replaced(plan, "unit = 12\n", "unit = 12\nholes = \"zero\"\n")) ==
        Words{"note transaction t" + text + cure});
  CHECK(findings_of_rule("F09", replaced(plan, "unit = 12\n", "unit = 12\nholes = \"refuse\"\n")) ==
        Words{"error transaction t" + text + ", and gauge refuses them" + cure});
  CHECK(findings_of_rule("F09", replaced(plan, "map_covers = \"all\"\n", "")).empty());
  CHECK(findings_of_rule("F09", one(R"(fc = 3, at = 40, count = 2, into = "%MW0")"))
            .at(0)
            .find("nothing in this range is listed") != std::string::npos);
}

TEST_CASE("F10: off by one, alone and all blocks of a slave") {
  CHECK(findings_of_rule("F10", one(R"(fc = 3, at = 1, count = 8, into = "%MW0")")) ==
        Words{"error transaction t: looks off by one: hr:1..hr:8 does not fit gauge.csv, "
              "hr:0..hr:7 starts "
              "and ends exactly on points | write at = 0"});
  CHECK(findings_of_rule("F10", one(R"(fc = 3, at = 9, count = 4, into = "%MW0")")) ==
        Words{"warning transaction t: looks off by one: hr:9..hr:12 does not fit gauge.csv, "
              "hr:10..hr:13 "
              "starts and ends exactly on points | write at = 10"});
  // of a map that may lack points: where moved by one it is full of them, and one way alone
  const auto incomplete = [](const char* row) {
    return findings_of_rule("F10", replaced(one(row), "map_covers = \"all\"\n", "")).size();
  };
  CHECK(incomplete(R"(fc = 3, at = 9, count = 4, into = "%MW0")") == 1);
  CHECK(incomplete(R"(fc = 3, at = 9, count = 5, into = "%MW0")") == 0);
  CHECK(incomplete(R"(fc = 3, at = 31, count = 1, into = "%MW0")") == 1);
  CHECK(incomplete(R"(fc = 3, at = 20, count = 1, into = "%MW0")") == 0);
  const auto plan = [](const std::string& a, const std::string& b) {
    return with_rows({row("fc = 3, at = " + a + ", count = 8, into = \"%MW0\"", "a"),
                      row("fc = 3, at = " + b + ", count = 4, into = \"%MW20\"", "b")});
  };
  CHECK(findings_of_rule("F10", plan("1", "11")) ==
        Words{"error slave gauge: all 2 blocks of gauge are off by one: moved down by 1 each "
              "starts and "
              "ends exactly on points of gauge.csv | take 1 off `at` of each of them, if the map "
              "is right"});
  CHECK(findings_of_rule("F10", plan("\"hr:1\"", "\"hr:11\""))
            .at(0)
            .find("write numbering = \"from-1\": the map seems to count from 1") !=
        std::string::npos);
  // blocks named by their points do not hide the common cause
  CHECK(findings_of_rule("F10",
                         with_rows({row(R"(fc = 3, at = 1, count = 8, into = "%MW0")", "a"),
                                    row(R"(fc = 3, at = 11, count = 4, into = "%MW20")", "b"),
                                    row(R"(fc = 4, at = "raw1", count = 4, into = "%MW40")", "c")}))
            .size() == 1);
  CHECK(findings_of_rule("F10", plan("1", "10")).size() == 1);
  CHECK(findings_of_rule("F10", plan("0", "10")).empty());
}

TEST_CASE("F11: fence-posts") {
  CHECK(findings_of_rule("F11", one(R"(fc = 3, at = 0, count = 9, into = "%MW0")")) ==
        Words{"warning transaction t: ends one past the last point: hr:8 is not in gauge.csv | "
              "write count = 8"});
  CHECK(findings_of_rule("F11", one(R"(fc = 4, at = 0, count = 3, into = "%MW0")")) ==
        Words{"note transaction t: reads all but the last of 4 registers listed in a row: 'raw4' "
              "(ir:3) is "
              "read by nobody | count = 4 if it is wanted"});
  CHECK(
      findings_of_rule("F11", with_rows({row(R"(fc = 4, at = 0, count = 3, into = "%MW0")", "a"),
                                         row(R"(fc = 4, at = 3, count = 1, into = "%MW9")", "b")}))
          .empty());
  CHECK(findings_of_rule("F11", one(R"(fc = 4, at = 0, count = 2, into = "%MW0")")).empty());
}

TEST_CASE("F12 and M09: values cut, and fetched in two parts") {
  CHECK(findings_of_rule("F12", one(R"(fc = 3, at = 0, count = 7, into = "%MW0")")) ==
        Words{"error transaction t: 'count' (u32, hr:6..hr:7) is cut in two at the edge of "
              "hr:0..hr:6 | "
              "write at = 0, count = 8"});
  CHECK(findings_of_rule("F12", one(R"(fc = 16, at = 0, count = 3, from = "%MW0")")).size() == 1);
  const std::string torn = with_rows({row(R"(fc = 3, at = 0, count = 7, into = "%MW0")", "a"),
                                      row(R"(fc = 3, at = 7, count = 1, into = "%MW9")", "b")});
  CHECK(findings_of_rule("M09", torn) ==
        Words{"warning transaction b: 'count' (hr:6..hr:7) is fetched in two parts, by this and by "
              "transaction a: between the two it may change | write count = 8 at transaction a; "
              "transaction b is then not needed"});
  CHECK(findings_of_rule("M09", replaced(torn, "at = 7, count = 1", "at = 7, count = 7"))
            .at(0)
            .ends_with("write count = 8 at transaction a, and at = 8, count = 6 at transaction b"));
  CHECK(findings_of_rule("F12", torn).empty());
  // a third request reads the value whole: nothing is torn, but the two cuts remain
  const std::string whole = with_rows({row(R"(fc = 3, at = 0, count = 7, into = "%MW0")", "a"),
                                       row(R"(fc = 3, at = 7, count = 1, into = "%MW9")", "b"),
                                       row(R"(fc = 3, at = 6, count = 2, into = "%MW20")", "c")});
  CHECK(findings_of_rule("M09", whole).empty());
  CHECK(findings_of_rule("F12", whole).size() == 2);
  CHECK(findings_of_rule("M09", one(good)).empty());
}

TEST_CASE("F13: a reference, or hex, typed as a number") {
  CHECK(findings_of_rule("F13", one(R"(fc = 3, at = 40011, count = 4, into = "%MW0")")) ==
        Words{"warning transaction t: 40011 is on no point of gauge.csv; read as a reference it is "
              "hr:10, "
              "'low' | write at = \"40011\""});
  // above 65535 no request can ask for it: P05, with the reading as its cure
  const std::string six = one(R"(fc = 3, at = 400011, count = 4, into = "%MW0")");
  CHECK(findings_of_rule("F13", six).empty());
  CHECK(findings_of_rule("P05", six) ==
        Words{"error transaction t: address 400011 is past the last one, 65535; read as a "
              "reference it is hr:10, 'low' | write at = \"400011\""});
  CHECK(findings_of_rule("P05", one(R"(fc = 3, at = 400015, count = 1, into = "%MW0")")) ==
        Words{"error transaction t: address 400015 is past the last one, 65535 | write at = "
              "\"400015\" if it is a reference"});
  CHECK(findings_of_rule("P05", one(R"(fc = 3, at = 300015, count = 1, into = "%MW0")")) ==
        Words{"error transaction t: address 300015 is past the last one, 65535 | addresses count "
              "from 0 to 65535; write references in quotes: \"404097\""});
  // what begins with a letter reads as a name
  CHECK(findings_of_rule("P03", one(R"(fc = 3, at = "A210h", count = 1, into = "%MW0")")) ==
        Words{"error transaction t: slave gauge has no point 'A210h' | write 0xA210, if it is a "
              "hexadecimal number"});
  CHECK(findings_of_rule("P05", one(R"(fc = 10, at = 0, count = 1, into = "%MW0")")) ==
        Words{"error transaction t: function code 10 moves no registers or bits | write fc = 16: "
              "hexadecimal 10 is 16"});
  CHECK(
      findings_of_rule("F13", one(R"(fc = 3, at = "hr:40011", count = 4, into = "%MW0")")).empty());
  auto files = test::base_files();
  files["gauge.csv"] = "point,area,address,type\nspeed,hr,0x1000,u16\n";
  CHECK(findings_of_rule("F13", one(R"(fc = 3, at = 1000, count = 1, into = "%MW0")"), files) ==
        Words{"warning transaction t: 1000 is on no point of gauge.csv; read as hexadecimal it is "
              "hr:4096, "
              "'speed' | write at = 0x1000"});
  CHECK(findings_of_rule("F13", one(R"(fc = 3, at = 0x1000, count = 1, into = "%MW0")"), files)
            .empty());
}

TEST_CASE("F15, F16: what a map that may lack points cannot mean") {
  const auto some = [](const char* what) {
    return replaced(one(what), "map_covers = \"all\"\n", "");
  };
  CHECK(findings_of_rule("F15", some(R"(fc = 3, at = 500, count = 2, into = "%MW0")")) ==
        Words{"warning transaction t: touches no point of gauge.csv: hr:500..hr:501 are not listed "
              "there | look the address, the function and the slave up again; or list in the map "
              "what is there"});
  CHECK(findings_of_rule("F15", some(R"(fc = 4, at = 10, count = 4, into = "%MW0")")) ==
        Words{"warning transaction t: touches no point of gauge.csv: ir:10..ir:13 are not listed "
              "there | hr:10..hr:13 are points of it: another function"});
  // the function whose points it would be, from edge to edge
  CHECK(
      findings_of_rule("F15", some(R"(fc = 4, at = 0, count = 8, into = "%MW0")")) ==
      Words{"warning transaction t: gauge.csv does not list ir:4..ir:7 | hr:0..hr:7 are points of "
            "it: another function"});
  CHECK(findings_of_rule("F15", some(R"(fc = 3, at = 0, count = 14, into = "%MW0")")).empty());
  CHECK(findings_of_rule("F15", one(R"(fc = 3, at = 500, count = 2, into = "%MW0")")).empty());
  // read far behind the points, or written at all
  CHECK(findings_of_rule("F16", some(R"(fc = 3, at = 10, count = 20, into = "%MW0")")).empty());
  CHECK(findings_of_rule("F16", some(R"(fc = 3, at = 10, count = 60, into = "%MW0")")) ==
        Words{"warning transaction t: 39 registers lie behind the last point of gauge.csv that it "
              "touches | count = 21 ends with that point; or list in the map what is there"});
  CHECK(findings_of_rule("F16", some(R"(fc = 3, at = 30, count = 8, into = "%MW0")")).empty());
  CHECK(findings_of_rule("F16", some(R"(fc = 3, at = 30, count = 9, into = "%MW0")")).size() == 1);
  CHECK(findings_of_rule("F16", some(R"(fc = 16, at = 10, count = 5, from = "%MW0")")) ==
        Words{"warning transaction t: 1 register lies behind the last point of gauge.csv that it "
              "touches, and would be written | count = 4 ends with that point; or list in the map "
              "what is there"});
  CHECK(findings_of_rule("F16", some(R"(fc = 16, at = 12, count = 2, from = "%MW0")")).empty());
}

TEST_CASE("F14: function 23 reads what it wrote") {
  const auto plan = [](const char* at) {
    return one(
        std::string("fc = 23, read = { at = 10, count = 4, into = \"%MW0\" }, write = { at = ") +
        at + ", count = 2, from = \"%MW9\" }");
  };
  CHECK(findings_of_rule("F14", plan("12")) ==
        Words{"note transaction t: function 23 writes first: hr:12..hr:13 come back as just "
              "written | read "
              "them with a transaction of their own if the slave may change them"});
  CHECK(findings_of_rule("F14", plan("4")).empty());
  // side by side
  CHECK(findings_of_rule("F14", plan("8")).empty());
  CHECK(findings_of_rule("F14", plan("14")).empty());
  CHECK(findings_of_rule("F14", plan("9")).size() == 1);
}

TEST_CASE("M01, M02: reads that overwrite each other, or what is sent") {
  const std::string clash = with_rows({row(R"(fc = 3, at = 0, count = 8, into = "%MW10")", "a"),
                                       row(R"(fc = 3, at = 10, count = 4, into = "%MW15")", "b")});
  CHECK(findings_of_rule("M01", clash) ==
        Words{"error transaction b: reads into %MW15..%MW17 of controller kiln, which transaction "
              "a fills "
              "as well | write into = \"%MW0\", which is free"});
  CHECK(findings_of_rule("M01", replaced(clash, "%MW15", "%MW18")).empty());
  const std::string source =
      with_rows({row(R"(fc = 3, at = 0, count = 8, into = "%MW10")", "a"),
                 row(R"(fc = 16, at = 10, count = 2, from = "%MW17")", "b")});
  CHECK(findings_of_rule("M02", source) ==
        Words{"error transaction a: lands on %MW17 of controller kiln, which transaction b sends: "
              "what the "
              "program puts there goes back to what was read | write into = \"%MW0\", which is "
              "free; if the write shall pass on what was read, say relays = true there"});
  CHECK(findings_of_rule("M02",
                         replaced(source, "from = \"%MW17\"", "relays = true, from = \"%MW17\""))
            .empty());
}

TEST_CASE("M01: bits inside words are seen") {
  const std::string plan = replaced(
      with_rows({row(R"(fc = 3, at = 4, count = 2, into = "%MW2")", "a"),
                 row(R"(fc = 1, at = 0, count = 2, into = "%MX46")", "b")}),
      "\"%MX\" = { kind = \"bit\", first = 0, count = 256 }",
      "\"%MX\" = { kind = \"bit\", first = 0, count = 256, inside = \"%MW\", width = 16 }");
  CHECK(findings_of_rule("M01", plan).at(0).find("reads into %MW2 of controller kiln") !=
        std::string::npos);
  CHECK(findings_of_rule("M01", replaced(plan, "%MX46", "%MX64")).empty());
}

TEST_CASE("M03: outside memory") {
  CHECK(
      findings_of_rule("M03", one(R"(fc = 3, at = 0, count = 8, into = "%MW995")")) ==
      Words{
          "error transaction t: %MW995..%MW1002 lies outside %MW of controller kiln, which ends at "
          "%MW999 | use an address inside a declared area, or declare a larger one"});
  CHECK(findings_of_rule("M03", one(R"(fc = 3, at = 0, count = 8, into = "%QW0")")).size() == 1);
  // one cause, one finding: too long a block does not lie outside as well
  CHECK(findings_of_rule("M03", one(R"(fc = 3, at = 0, count = 126, into = "%MW990")")).empty());
}

TEST_CASE("M04: two writers") {
  const std::string two = with_rows({row(R"(fc = 16, at = 10, count = 4, from = "%MW0")", "a"),
                                     row(R"(fc = 16, at = 12, count = 1, from = "%MW9")", "b")});
  CHECK(findings_of_rule("M04", two) == Words{"warning transaction b: writes hr:12 of gauge, which "
                                              "transaction a writes as well | let one "
                                              "transaction alone write it"});
  const std::string request = with_rows(
      {row(R"(fc = 16, at = 10, count = 4, from = "%MW0")", "a"),
       R"({ name = "b", slave = "gauge", fc = 6, at = 12, from = "%MW9", on = "%MX0", min_gap = "1s" })"});
  CHECK(findings_of_rule("M04", request).at(0).substr(0, 4) == "note");
  CHECK(findings_of_rule("M04", with_rows({row(R"(fc = 22, at = 4, from = "%MW0")", "a"),
                                           row(R"(fc = 22, at = 4, from = "%MW9")", "b")}))
            .at(0)
            .substr(0, 4) == "note");
  CHECK(findings_of_rule("M04",
                         with_rows({row(R"(fc = 16, at = 10, count = 2, from = "%MW0")", "a"),
                                    row(R"(fc = 16, at = 12, count = 2, from = "%MW9")", "b")}))
            .empty());
  // the same words sent again when the slave returns: meant
  const std::string restore = with_rows(
      {R"({ name = "a", slave = "gauge", fc = 16, at = 10, count = 4, from = "%MW0", on = "change", min_gap = "1s" })",
       R"({ name = "b", slave = "gauge", fc = 16, at = 10, count = 4, from = "%MW0", on = "return" })"});
  CHECK(findings_of_rule("M04", restore).empty());
  const std::string masters =
      one(R"(fc = 3, at = 0, count = 8, into = "%MW0")") +
      "[controller.boss]\nscan = \"10ms\"\n[controller.boss.memory]\n\"%MW\" = { kind = \"word\", "
      "count = 99 }\n[slave.box]\nhost = \"10.0.0.3\"\n";
  const auto with_box = replaced(masters, "transactions = [\n",
                                 "transactions = [\n  { name = \"a\", controller = \"kiln\", slave "
                                 "= \"box\", fc = 6, at = 5, from = \"%MW50\", every = \"1s\" },\n"
                                 "  { name = \"b\", controller = \"boss\", slave = \"box\", fc = "
                                 "6, at = 5, from = \"%MW50\", every = \"1s\" },\n");
  CHECK(findings_of_rule("M04", with_box) == Words{"error transaction b: writes hr:5 of box, which "
                                                   "transaction a of controller kiln writes as "
                                                   "well | let one transaction alone write it"});
}

TEST_CASE("M05: the same register read twice, and its price") {
  // 2 registers in common = 4 bytes of 11 bits at 19200: 2.2917 ms once a second
  CHECK(
      findings_of_rule("M05",
                       with_rows({row(R"(fc = 3, at = 0, count = 8, into = "%MW0")", "a"),
                                  row(R"(fc = 3, at = 6, count = 6, into = "%MW20")", "b")})) ==
      Words{
          "note transaction b: reads hr:6..hr:7 of gauge, which transaction a reads as well; that "
          "costs 2.3 ms per second | let the blocks end where the other begins"});
  // all of it: 8 + 9 bytes at 0.572917 ms, 20 ms reply, 2.005 ms gap = 31.7 ms
  CHECK(
      findings_of_rule("M05", with_rows({row(R"(fc = 3, at = 0, count = 8, into = "%MW0")", "a"),
                                         row(R"(fc = 3, at = 2, count = 2, into = "%MW20")", "b")}))
          .at(0)
          .find("that costs 31.7 ms per second | drop it") != std::string::npos);
  CHECK(findings_of_rule("M05", one(good)).empty());
}

TEST_CASE("M06: the word of the fingerprint is nobody else's, and may be sent or fetched") {
  const auto with_word = [](const std::string& place, const std::string& rows) {
    return replaced(with_rows({rows}), "[controller.kiln]\n",
                    "[controller.kiln]\nfingerprint = \"" + place + "\"\n");
  };
  const std::string in = row(R"(fc = 3, at = 0, count = 8, into = "%MW0")", "a");
  const std::string out = row(R"(fc = 16, at = 10, count = 4, from = "%MW20")", "b");
  CHECK(findings_of_rule("M06", with_word("%MW7", in)) ==
        Words{"error controller kiln: keeps the fingerprint in %MW7, which is also for transaction "
              "a (what it reads) | write fingerprint = \"%MW8\", which is free"});
  CHECK(findings_of_rule("M06", with_word("%MW8", in)).empty());
  CHECK(findings_of_rule("M06", with_word("%MW20", out)).empty());
  CHECK(findings_of_rule(
            "M06", with_word("%MW30", row(R"(fc = 3, at = 0, count = 8, into = "%MW0", status = { )"
                                          R"(failed = "%MW30.2" })",
                                          "a")))
            .at(0)
            .find("which is also for transaction a (status)") != std::string::npos);
  CHECK(findings_of_rule("P05", with_word("%MX3", in))
            .at(0)
            .find("the fingerprint takes a word, and this is a bit") != std::string::npos);
  CHECK(findings_of_rule("M03", with_word("%MW99999", in)).size() == 1);
}

TEST_CASE("M06: status and heartbeat bits on other data") {
  const std::string plan = with_rows(
      {row(R"(fc = 3, at = 0, count = 8, into = "%MW0", status = { failed = "%MW3.2" })", "a")});
  CHECK(findings_of_rule("M06", plan) == Words{"error transaction a: `failed` lies on %MW3.2, "
                                               "inside the data that transaction a reads | put "
                                               "status bits where nothing else is"});
  CHECK(findings_of_rule("M06", replaced(plan, "%MW3.2", "%MX9")).empty());
  CHECK(findings_of_rule(
            "M06",
            with_rows(
                {row(R"(fc = 3, at = 0, count = 8, into = "%MW0", status = { failed = "%MX9" })",
                     "a"),
                 row(R"(fc = 3, at = 10, count = 4, into = "%MW9", status = { done = "%MX9" })",
                     "b")})) == Words{"error transaction b: `done` lies on %MX9, inside the "
                                      "`failed` of transaction a | write done = "
                                      "\"%MX0\", which is free"});
  const std::string answering =
      "[controller.boss]\nscan = \"10ms\"\n[supervision]\nheartbeats = [\n"
      "  { name = \"h\", from = \"kiln\", bit = \"%MW3.0\", toggle = \"1s\", to = \"boss\", watch "
      "= \"3s\", react = \"5s\" },\n"
      "  { name = \"i\", from = \"kiln\", bit = \"%MW500.0\", toggle = \"1s\", to = \"boss\", "
      "watch = \"3s\", react = \"5s\" } ]\n";
  CHECK(
      findings_of_rule("M06", one(good) + answering) ==
      Words{
          "error heartbeat h: toggles %MW3.0, which transaction t overwrites with what it reads | "
          "toggle a bit that nothing else fills"});
  CHECK(findings_of_rule("M06", one(good) + replaced(answering, "%MW3.0", "%MW500.0"))
            .at(0)
            .find("heartbeat i: uses %MW500.0 like heartbeat h") != std::string::npos);
}

TEST_CASE("M07, M08: bits, words and alignment") {
  CHECK(findings_of_rule("M07", one(R"(fc = 1, at = 0, count = 2, into = "%MW0")")) ==
        Words{"error transaction t: function 1 moves bits, %MW0 are words: without `packing` "
              "nobody can "
              "tell how | add packing = \"bits-to-words\" (16 to a word, the first bit least "
              "significant), "
              "or name a bit area"});
  CHECK(findings_of_rule("M07", one(R"(fc = 15, at = 0, count = 2, from = "%MW0")"))
            .at(0)
            .find("words-to-bits") != std::string::npos);
  CHECK(findings_of_rule("M07", one(good + ", packing = \"bits-to-words\""))
            .at(0)
            .find("but both sides are words") != std::string::npos);
  CHECK(findings_of_rule(
            "M07", one(R"(fc = 1, at = 0, count = 2, into = "%MW0", packing = "bits-to-words")"))
            .empty());
  CHECK(findings_of_rule("M07", one(R"(fc = 1, at = 0, count = 2, into = "%MX0")")).empty());
  auto files = test::base_files();
  files["m.toml"] = "align32 = true\n";
  const std::string odd = replaced(one(R"(fc = 3, at = 0, count = 8, into = "%MW101")"),
                                   "scan = \"10ms\"\n", "scan = \"10ms\"\nmodel = \"m.toml\"\n");
  CHECK(findings_of_rule("M08", odd, files) ==
        Words{"error transaction t: 'moisture' (f32) comes to lie at %MW101; m.toml wants 32-bit "
              "values at "
              "even words | write into = \"%MW102\": all long values then lie at even words"});
  CHECK(findings_of_rule("M08", replaced(odd, "%MW101", "%MW100"), files).empty());
}

TEST_CASE("M10: memory that a peer writes and an own read fills") {
  const std::string plan =
      replaced(one(R"(fc = 3, at = 0, count = 8, into = "%MW10")"), "scan = \"10ms\"\n",
               "scan = \"10ms\"\naddress = \"10.0.0.1\"\nanswers = [ { port = 502 } ]\n") +
      "[controller.boss]\nscan = \"10ms\"\n[controller.boss.memory]\n\"%MW\" = { kind = \"word\", "
      "count = 99 }\n";
  const auto with_write = [&](const char* at) {
    return replaced(plan, "transactions = [\n",
                    std::string("transactions = [\n  { name = \"w\", controller = \"boss\", slave "
                                "= \"kiln\", fc = 16, at = \"") +
                        at + "\", count = 2, from = \"%MW0\", every = \"1s\" },\n");
  };
  CHECK(
      findings_of_rule("M10", with_write("%MW12")) ==
      Words{
          "warning transaction t: reads into %MW12..%MW13 of controller kiln, which transaction w "
          "writes from outside | keep what peers write apart from what own reads fill"});
  CHECK(findings_of_rule("M10", with_write("%MW30")).empty());
}

TEST_CASE("D03: bits that no word has") {
  CHECK(findings_of_rule("D03", one(good + ", status = { failed = \"%MW100.16\" }")) ==
        Words{"error transaction t: bit 16 does not exist: a word has bits 0 to 15 | bit 0 of the "
              "word that "
              "follows may be meant"});
  CHECK(findings_of_rule("D03", one(good + ", status = { failed = \"%MW100.15\" }")).empty());
}
