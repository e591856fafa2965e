// What `value` of a transaction may say (P03, P05, P06) and has to be (D11).
#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using test::findings_of_rule;

namespace {

constexpr const char* constant_map =
    "point,area,address,type,min,max\nspeed,hr,10,u16,0,50\nmode,hr,11,u16,,\nflow,hr,12,f32,,\n";

std::vector<std::string> said_of(const std::string& code, const std::string& row,
                                 const std::string& more = "") {
  std::vector<std::string> rows{row};
  if (!more.empty()) rows.push_back(more);
  return findings_of_rule(code, test::with_rows(rows), {{"gauge.csv", constant_map}});
}

}  // namespace

TEST_CASE("D11: a constant is a value of its point, and stays where it is sent from") {
  const auto row = [](const std::string& value) {
    return R"({ name = "out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW0", every = "1s", value = )" +
           value + " }";
  };
  CHECK(said_of("D11", row("{ speed = 45, mode = 3 }")).empty());
  CHECK(
      said_of("D11", row("{ speed = 60 }")) ==
      std::vector<std::string>{"error transaction out: value = 60 for 'speed': 60 is outside 0 to "
                               "50, the range that the map states | correct it"});
  CHECK(said_of("D11", row("{ mode = 70000 }")).size() == 1);
  CHECK(said_of("D11", row("{ mode = \"fast\" }")).size() == 1);
  const std::string into =
      R"({ name = "in", slave = "gauge", fc = 3, at = 10, count = 1, into = "%MW1", every = "1s" })";
  CHECK(said_of("D11", row("{ speed = 45 }"), into).empty());
  CHECK(said_of("D11", row("{ mode = 3 }"), into) ==
        std::vector<std::string>{
            "error transaction out: value = 3 for 'mode': it does not stay in %MW1: transaction in "
            "puts a value there as well | send it from memory of its own"});
  const std::string other =
      R"({ name = "two", slave = "gauge", fc = 6, at = 11, from = "%MW1", every = "1s", value = 4 })";
  CHECK(said_of("D11", row("{ mode = 3 }"), other).size() == 1);
  CHECK(said_of("D11", row("{ mode = 4 }"), other).empty());
}

TEST_CASE("`value` says which registers it means, and only of what is written") {
  const auto one = [](const std::string& row) { return said_of("P05", row); };
  CHECK(
      one(R"({ name = "out", slave = "gauge", fc = 6, at = 11, from = "%MW0", every = "1s", value = 3 })")
          .empty());
  CHECK(
      one(R"({ name = "out", slave = "gauge", fc = 16, at = 10, count = 2, from = "%MW0", every = "1s", value = 3 })") ==
      std::vector<std::string>{
          "error transaction out: one `value` for 2 registers: which of them is not said | write "
          "it by points of the map: value = { speed = 33.5 }"});
  CHECK(
      one(R"({ name = "in", slave = "gauge", fc = 3, at = 11, into = "%MW0", every = "1s", value = 3 })") ==
      std::vector<std::string>{
          "error transaction in: `value` has no effect here: function 3 sends no values | remove "
          "it"});
  CHECK(
      one(R"({ name = "out", slave = "gauge", fc = 6, at = 11, from = "%MW0", every = "1s", value = [3] })")
          .size() == 1);
  CHECK(
      said_of(
          "P03",
          R"({ name = "out", slave = "gauge", fc = 6, at = 11, from = "%MW0", every = "1s", value = { sped = 3 } })")
          .size() == 1);
  CHECK(
      said_of(
          "P03",
          R"({ name = "out", slave = "gauge", fc = 6, at = 11, from = "%MW0", every = "1s", value = { speed = 3 } })")
          .size() == 1);  // it is not in the block
}

TEST_CASE("D11: a state that the map does not name is a warning") {
  const auto said = [](const std::string& names, const std::string& value) {
    return findings_of_rule(
        "D11",
        test::with_rows(
            {R"({ name = "out", slave = "gauge", fc = 6, at = 11, from = "%MW0", every = "1s", value = )" +
             value + " }"}),
        {{"gauge.csv", "point,area,address,type,names\nmode,hr,11,u16," + names + "\n"}});
  };
  CHECK(said("0=off; 2=auto", "2").empty());
  CHECK(said("", "3").empty());
  CHECK(said("0=off; 2=auto", "3") ==
        std::vector<std::string>{
            "warning transaction out: value = 3 for 'mode': the map has no name for it; it names "
            "0=off; 2=auto | write one of those, or complete the column `names`"});
}
