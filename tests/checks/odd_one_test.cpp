// P11: one of slaves with the same map that is not like the others.
#include <fmt/format.h>
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;

namespace {

const test::Files maps{{"drive.csv", "point,area,address,type\nspeed,hr,0,u16\nramp,hr,1,u16\n"},
                       {"other.csv", "point,area,address,type\nspeed,hr,0,u16\n"}};

const std::string head =
    "[controller.kiln]\nscan = \"10ms\"\n[controller.kiln.memory]\n\"%MW\" = { kind = \"word\", "
    "first = 0, count = 1000 }\n[line.north]\nmaster = \"kiln\"\nmode = \"rtu\"\nbaud = "
    "19200\nformat = \"8E1\"\n";

std::string slave(int unit, const std::string& more) {
  return fmt::format("[slave.fan{0}]\nline = \"north\"\nunit = {0}\nmap = \"drive.csv\"\n{1}", unit,
                     more);
}

std::string row(int unit, const std::string& every) {
  return fmt::format(
      "{{ name = \"in{0}\", slave = \"fan{0}\", fc = 3, at = 0, count = 2, into = \"%MW{0}0\", "
      "every = \"{1}\", on_loss = \"hold\" }},\n",
      unit, every);
}

std::vector<std::string> findings(const std::string& slaves, const std::string& rows = {}) {
  return test::findings_of_rule(
      "P11", head + slaves + "[exchange]\ntransactions = [\n" + rows + "]\n", maps);
}

}  // namespace

TEST_CASE("P11 names the one slave whose keys differ from all others of its map") {
  using OddTexts = std::vector<std::string>;
  const std::string abcd = "word_order = \"ABCD\"\n";
  CHECK(
      findings(slave(1, abcd) + slave(2, "word_order = \"CDAB\"\n") + slave(3, abcd)) ==
      OddTexts{"note slave fan2: `word_order` is CDAB here, and ABCD of fan1, fan3, which have the "
               "same map | make it the same, or accept it where the device differs"});
  CHECK(findings(slave(1, "") + slave(2, "") + slave(3, "") +
                 slave(4,
                       "reply = { typical = "
                       "\"5ms\", max = \"20ms\" }\n") +
                 slave(5, "")) ==
        OddTexts{"note slave fan4: `reply` is 5ms to 20ms here, and not stated of fan1, fan2 and 2 "
                 "more, which have the same map | make it the same, or accept it where the device "
                 "differs"});
  // two of a kind, two differing alike, and other maps are nobody's slip
  CHECK(findings(slave(1, abcd) + slave(2, "word_order = \"CDAB\"\n")).empty());
  CHECK(findings(slave(1, abcd) + slave(2, abcd) + slave(3, "") + slave(4, "")).empty());
  CHECK(findings(slave(1, abcd) + slave(2, abcd) +
                 "[slave.o]\nline = \"north\"\nunit = 9\nmap = \"other.csv\"\n")
            .empty());
  // one that is written to be like another says what differs on purpose
  CHECK(findings(slave(1, abcd) + "[slave.a]\nlike = \"fan1\"\nunit = 7\n[slave.b]\nlike = "
                                  "\"fan1\"\nunit = 8\nword_order = \"CDAB\"\n")
            .empty());
}

TEST_CASE("P11 names the one row that differs, and the one that is missing") {
  using OddTexts = std::vector<std::string>;
  const std::string four = slave(1, "") + slave(2, "") + slave(3, "") + slave(4, "");
  CHECK(
      findings(four, row(1, "1s") + row(2, "1s") + row(3, "5s") + row(4, "1s")) ==
      OddTexts{"note transaction in3: `every` is 5s here, and 1s of in1, in2, in4, which have the "
               "same map | make it the same, or accept it where the device differs"});
  CHECK(
      findings(four, row(1, "1s") + row(2, "1s") + row(4, "1s")) ==
      OddTexts{"note slave fan3: has no row as in1 (function 3 at 0, count 2), which all 3 others "
               "with the same "
               "map have | add the row, or accept it where nothing is to be read there"});
  CHECK(findings(four, row(1, "1s") + row(2, "1s")).empty());
}
