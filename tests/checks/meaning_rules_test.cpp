// What names, notes and orders tell: D07 to D10, H12 to H14, R09, M13, and words of a peer that go
// to and fro (M15).
#include <catch2/catch.hpp>

#include "network_plan.h"
#include "plans.h"

using namespace greymet;
using test::findings_of_rule;
using test::replaced;

namespace {

using Words = std::vector<std::string>;

std::string of_gauge(const std::string& what, const std::string& every = "every = \"1s\"") {
  return test::with_rows({"{ name = \"t\", slave = \"gauge\", " + what + ", " + every + " }"});
}
std::string ordered(std::string plan, const std::string& order) {
  return replaced(std::move(plan), "scan = \"10ms\"\n",
                  "scan = \"10ms\"\nword_order = \"" + order + "\"\n");
}

}  // namespace

TEST_CASE("D07: orders of words that nothing swaps, where no tags tell") {
  const std::string reads = of_gauge(R"(fc = 3, at = 0, count = 8, into = "%MW0")");
  CHECK(
      findings_of_rule("D07", ordered(reads, "ABCD")) ==
      Words{"warning slave gauge: keeps 'moisture' (f32) and 2 more as CDAB, controller kiln takes "
            "long values as ABCD, and nothing swaps them | swap them in the program and say swap = "
            "\"ABCD\" at t if the controller does it; or name the tags that take them so"});
  CHECK(findings_of_rule("D07", ordered(reads, "CDAB")).empty());
  CHECK(findings_of_rule("D07", reads).empty());  // nobody says how the program takes them
  CHECK(findings_of_rule(
            "D07",
            ordered(of_gauge(R"(fc = 3, at = 0, count = 8, into = "%MW0", swap = "ABCD")"), "ABCD"))
            .empty());
  CHECK(findings_of_rule("D07",
                         ordered(of_gauge(R"(fc = 3, at = 10, count = 4, into = "%MW0")"), "ABCD"))
            .empty());
  CHECK(findings_of_rule("D07",
                         ordered(of_gauge(R"(fc = 16, at = 0, count = 2, from = "%MW0")"), "ABCD"))
            .size() == 1);
  auto files = test::base_files();
  files["tags.csv"] = "tag,address,type,word_order,from\nm,%MW0,REAL,CDAB,gauge.moisture\n";
  CHECK(findings_of_rule("D07",
                         replaced(ordered(reads, "ABCD"), "word_order = \"ABCD\"\n",
                                  "word_order = \"ABCD\"\ntags = \"tags.csv\"\n"),
                         files)
            .empty());
}

TEST_CASE("D08: a command is not given by the clock") {
  CHECK(
      findings_of_rule("D08", of_gauge(R"(fc = 6, at = "reset", from = "%MW0")")) ==
      Words{"warning transaction t: gives the command 'reset' every 1s, as long as the program "
            "does not take it back | give it once: on = \"<bit>\" with a min_gap; or accept it if "
            "the slave only takes its edge"});
  CHECK(findings_of_rule("D08", of_gauge(R"(fc = 6, at = "reset", from = "%MW0")",
                                         R"(on = "%MX0", min_gap = "1s")"))
            .empty());
  CHECK(findings_of_rule("D08", of_gauge(R"(fc = 6, at = "mode", from = "%MW0")")).empty());
  auto files = test::base_files();
  for (const auto& [name, found] :
       std::vector<std::pair<std::string, std::size_t>>{{"FaultReset", 1},
                                                        {"fault.ack", 1},
                                                        {"preset", 0},
                                                        {"zero-point", 1},
                                                        {"backlight", 0}}) {
    files["gauge.csv"] = "point,area,address,type\n" + name + ",hr,20,u16\nother,hr,21,u16\n";
    INFO(name);
    CHECK(findings_of_rule("D08", of_gauge(R"(fc = 6, at = 20, from = "%MW0")"), files).size() ==
          found);
    // one of several is a state among others
    CHECK(findings_of_rule("D08", of_gauge(R"(fc = 16, at = 20, count = 2, from = "%MW0")"), files)
              .empty());
  }
}

TEST_CASE("D09: memory that wears is not written by the clock") {
  auto files = test::base_files();
  const auto with = [&](const std::string& note, const std::string& every) {
    files["gauge.csv"] = "point,area,address,type,access,note\nlimit,hr,10,u16,rw," + note + "\n";
    return findings_of_rule("D09", of_gauge(R"(fc = 6, at = 10, from = "%MW0")", every), files);
  };
  // 100,000 s are 1.16 days
  CHECK(with("kept in EEPROM", "every = \"1s\"") ==
        Words{"warning transaction t: writes 'limit' every 1s, which wears: 100,000 "
              "writes are done in 2 days | write it when it changes: on = \"change\" with a "
              "min_gap"});
  CHECK(with("non-volatile", "every = \"1min\"").size() == 1);
  CHECK(with("max. 100000 write cycles", "every = \"1min\"").size() == 1);
  CHECK(with("flashes when low", "every = \"1s\"").empty());
  CHECK(with("kept in EEPROM", R"(on = "change", min_gap = "1s")").empty());
  CHECK(with("kept in EEPROM", "every = \"2h\"").empty());  // 100,000 take 22 years
  CHECK(with("", "every = \"1s\"").empty());
}

TEST_CASE("D09: the map's own column says it as well") {
  auto files = test::base_files();
  const auto with = [&](const std::string& cell) {
    files["gauge.csv"] = "point,area,address,type,wears\nlimit,hr,10,u16," + cell + "\n";
    return files;
  };
  const std::string row = of_gauge(R"(fc = 6, at = 10, from = "%MW0")");
  CHECK(findings_of_rule("D09", row, with("yes")).size() == 1);
  CHECK(findings_of_rule("D09", row, with("no")).empty());
  CHECK(findings_of_rule("D09", row, with("")).empty());
  CHECK(findings_of_rule("P07", row, with("perhaps")).size() == 1);
}

TEST_CASE("D08: a command that only the start gives") {
  CHECK(findings_of_rule("D08",
                         of_gauge(R"(fc = 6, at = "reset", from = "%MW0")", R"(on = "start")")) ==
        Words{"warning transaction t: gives the command 'reset' when the controller starts, and "
              "never again | give it when the program wants it: on = \"<bit>\" with a min_gap; or "
              "accept it if only the start shall give it"});
  CHECK(
      findings_of_rule("D08", of_gauge(R"(fc = 6, at = "mode", from = "%MW0")", R"(on = "start")"))
          .empty());
}

TEST_CASE("D10: one word is one quantity") {
  auto files = test::base_files();
  const auto with = [&](const std::string& first, const std::string& second,
                        const std::string& from = "%MW0") {
    files["gauge.csv"] = "point,area,address,type,factor,offset,unit,min,max\na,hr,10," + first +
                         "\nb,hr,20," + second + "\n";
    return findings_of_rule(
        "D10",
        test::with_rows(
            {R"({ name = "x", slave = "gauge", fc = 6, at = 10, from = "%MW0", every = "1s" })",
             R"({ name = "y", slave = "gauge", fc = 6, at = 20, from = ")" + from +
                 R"(", every = "1s" })"}),
        files);
  };
  CHECK(with("i16,0.1,,C,,", "i16,0.01,,C,,") ==
        Words{"warning transaction y: sends %MW0 to 'gauge.b', which x sends to 'gauge.a': factor "
              "0.01 here, 0.1 there | give each its own word, converted for it"});
  CHECK(with("i16,1,,C,,", "i16,1,,bar,,").size() == 1);
  CHECK(with("i16,1,5,C,,", "i16,1,,C,,").size() == 1);
  CHECK(with("i16,1,,C,,", "u16,1,,C,,").size() == 1);
  CHECK(with("i16,1,,C,0,10", "i16,1,,C,20,30").size() == 1);
  CHECK(with("i16,1,,C,0,10", "i16,1,,C,5,30").empty());
  CHECK(with("i16,0.1,,C,,", "i16,0.1,,C,,").empty());
  CHECK(with("i16,0.1,,C,,", "i16,0.1,,,,").empty());
  CHECK(with("i16,0.1,,C,,", "i16,0.01,,C,,", "%MW1").empty());
}

TEST_CASE("H14: one read of a slave whose loss means something else") {
  const auto with = [](const std::string& a, const std::string& b, const std::string& c) {
    const auto row = [](const std::string& name, int at, const std::string& loss) {
      return "{ name = \"" + name + "\", slave = \"gauge\", fc = 3, at = " + std::to_string(at) +
             ", count = 2, into = \"%MW" + std::to_string(at) + "\", every = \"1s\", on_loss = \"" +
             loss + "\" }";
    };
    return findings_of_rule("H14",
                            test::with_rows({row("x", 0, a), row("y", 2, b), row("z", 4, c)}));
  };
  CHECK(with("hold", "hold", "zero") ==
        Words{"note transaction z: when gauge is lost this says \"zero\", its 2 other reads say "
              "\"hold\" | one slave is lost as a whole: make them alike; or accept it if these "
              "values differ"});
  CHECK(with("stop", "hold", "hold").size() == 1);
  CHECK(with("zero", "zero", "alarm").size() == 1);
  CHECK(with("hold", "hold", "alarm").empty());  // both keep the values
  CHECK(with("zero", "zero", "stop").empty());
  CHECK(with("hold", "hold", "hold").empty());
}

TEST_CASE("R09: a map that begins at 1, counted from 0 because nobody said how") {
  auto files = test::base_files();
  const std::string row = of_gauge(R"(fc = 3, at = 1, count = 1, into = "%MW0")");
  const auto with = [&](const std::string& rows) {
    files["gauge.csv"] = "point,area,address,type\n" + rows;
    return findings_of_rule("R09", row, files);
  };
  CHECK(with("a,hr,1,u16\nb,hr,2,u16\n") ==
        Words{"note slave gauge: the lowest address in gauge.csv is 1, and it is assumed to count "
              "from 0 | write numbering = \"from-1\" if its manual counts so, else \"from-0\""});
  CHECK(with("a,hr,0,u16\nb,hr,1,u16\n").empty());
  CHECK(with("a,hr,1,u16\nb,hr,2,u16\nc,ir,0,u16\n").empty());
  CHECK(with("a,hr,1,u16\n").empty());
  CHECK(with("a,hr,2,u16\nb,hr,3,u16\n").empty());
  files["gauge.csv"] = "point,area,address,type\na,hr,1,u16\nb,hr,2,u16\n";
  CHECK(
      findings_of_rule(
          "R09", replaced(row, "[slave.gauge]\n", "[slave.gauge]\nnumbering = \"from-0\"\n"), files)
          .empty());
}

TEST_CASE("M13: parts of one source that end where they belong are no second source") {
  const auto with = [](int at) {
    return findings_of_rule(
        "M13",
        test::with_rows(
            {R"({ name = "x", slave = "pump", fc = 16, at = 10, count = 4, from = "%MW0", every = "1s" })",
             R"({ name = "y", slave = "pump", fc = 6, at = )" + std::to_string(at) +
                 R"(, from = "%MW2", every = "1s" })"}));
  };
  CHECK(with(12).empty());  // the same word at the same register
  CHECK(with(11).size() == 1);
}

TEST_CASE("H12: what stops the machine is not held when it is lost") {
  auto files = test::base_files();
  const auto with = [&](const std::string& name, const std::string& loss) {
    files["gauge.csv"] = "point,area,address,type\n" + name + ",di,0,bool\nready,di,1,bool\n";
    return findings_of_rule(
        "H12", of_gauge(R"(fc = 2, at = 0, count = 2, into = "%MX0", on_loss = ")" + loss + "\""),
        files);
  };
  CHECK(with("flame_on", "hold") ==
        Words{"warning transaction t: 'flame_on' is held when the slave is lost: the program goes "
              "on with what it was | on_loss = \"stop\" or \"alarm\"; or accept it if nothing "
              "depends on it"});
  CHECK(with("EmergencyStop", "none").size() == 1);
  CHECK(with("interlock_2", "hold").size() == 1);
  CHECK(with("flame_on", "stop").empty());
  CHECK(with("flame_on", "zero").empty());
  CHECK(with("inflamed", "hold").empty());
}

TEST_CASE("H13: a heartbeat whose loss does nothing") {
  const auto with = [](const std::string& loss) {
    return findings_of_rule(
        "H13", test::network_plan({},
                                  "[supervision]\nheartbeats = [ { name = \"alive\", from = "
                                  "\"kiln\", bit = \"%MW90.0\", toggle = \"1s\", to = "
                                  "\"loadout\", watch = \"3s\", react = \"5s\"" +
                                      loss + " } ]\n"));
  };
  CHECK(with(", on_loss = \"none\"") ==
        Words{"warning heartbeat alive: nothing happens when it stops: it supervises nothing | "
              "on_loss = \"stop\" or \"alarm\"; or accept it if another one does"});
  CHECK(with(", on_loss = \"warn\"").empty());
}

TEST_CASE("M15: words of a peer that are written and read back") {
  const auto with = [](const std::string& at, const std::string& other) {
    return findings_of_rule(
        "M15",
        test::network_plan(
            {"{ name = \"to\", controller = \"kiln\", slave = \"loadout\", fc = 16, at = "
             "\"%MW10\", count = 10, from = \"%MW100\", every = \"1s\" }",
             "{ name = \"of\", controller = \"kiln\", slave = \"loadout\", fc = 3, at = \"" + at +
                 "\", count = 10, into = \"%MW200\", every = \"1s\", on_loss = \"hold\"" + other +
                 " }"}));
  };
  CHECK(with("%MW15", "") ==
        Words{"warning transaction of: reads %MW15..%MW19 of controller loadout, which transaction "
              "to writes: what it brings is what was sent, not what the peer has to say | read "
              "other words, or write others: each direction its own; accept it if the echo is "
              "wanted"});
  CHECK(with("%MW19", "").size() == 1);
  CHECK(with("%MW20", "").empty());
  CHECK(with("%MW1", "").size() == 1);
  CHECK(with("%MW0", "").empty());
}
