#include "packing/pack.h"

#include <catch2/catch.hpp>

#include "plans.h"

using namespace greymet;
using namespace greymet::packing;
using test::replaced;

namespace {

std::string wants(const std::string& rows, const std::string& transactions = "") {
  return test::base_plan() + "[exchange]\ntransactions = [" + transactions + "]\nwants = [" + rows +
         "]\n";
}

std::string want(const std::string& slave, const std::string& points, const std::string& every,
                 const std::string& into) {
  return "{ slave = \"" + slave + "\", points = [" + points + "], every = \"" + every +
         "\", into = \"" + into + "\" }";
}

PackResult packed(const std::string& plan, const std::vector<std::string>& extra = {}) {
  auto files = test::base_files();
  for (const auto& row : extra) files["gauge.csv"] += row;
  const auto loaded = test::load(plan, files);
  for (const auto& f : loaded.findings) FAIL(f.message);
  return pack(loaded.plan);
}

std::vector<std::string> rows_of(const PackResult& result) {
  std::vector<std::string> rows;
  for (const PackedRequest& r : result.requests) {
    rows.push_back(to_text(r.at) + "+" + std::to_string(r.quantity) + " " + r.declared.into->value);
  }
  return rows;
}

std::vector<std::string> problems_of(const PackResult& result) {
  std::vector<std::string> texts;
  for (const PackProblem& p : result.problems) texts.push_back(p.message + " | " + p.remedy);
  return texts;
}

}  // namespace

TEST_CASE("wanted points become blocks of the slave's areas, in memory one behind the other") {
  const auto result =
      packed(wants(want("gauge", "\"moisture\", \"temp\", \"low\", \"raw*\"", "1s", "%MW500")));
  CHECK(result.problems.empty());
  // hr 8 and 9 are not listed and the map is complete: the read must not touch them
  CHECK(rows_of(result) ==
        std::vector<std::string>{"ir:0+4 %MW500", "hr:0+4 %MW504", "hr:10+1 %MW508"});
  CHECK(result.requests[1].points == std::vector<std::string>{"moisture", "temp"});
  CHECK(result.requests[1].declared.name == "gauge-moisture");
  CHECK(result.before.requests == 2 + 1 + 4);
  CHECK(result.after.requests == 3);
  CHECK(result.after.utilisation_percent < result.before.utilisation_percent);
  CHECK(*result.after.response_bound < *result.before.response_bound);
  CHECK(result.least);
  REQUIRE(result.lines.size() == 1);
  CHECK(result.lines[0].missed == 0);
  CHECK(*result.lines[0].response_simulated <= *result.lines[0].after.response_bound);
}

TEST_CASE("holes are read over where the slave lets it, and limits are kept") {
  const std::string rows = want("gauge", "\"count\", \"low\"", "1s", "%MW500");
  CHECK(rows_of(packed(wants(rows))).size() == 2);
  const auto zero =
      replaced(wants(rows), "map_covers = \"all\"", "map_covers = \"all\"\nholes = \"zero\"");
  CHECK(rows_of(packed(zero)) == std::vector<std::string>{"hr:6+5 %MW500"});
  const auto some = replaced(wants(rows), "map_covers = \"all\"", "map_covers = \"some\"");
  CHECK(rows_of(packed(some)) == std::vector<std::string>{"hr:6+5 %MW500"});
  CHECK(rows_of(packed(replaced(some, "map_covers", "max_read = 4\nmap_covers"))).size() == 2);
  // a point that can only be written lies between
  const auto over = replaced(some, "\"low\"", "\"serial\"");
  CHECK(rows_of(packed(over)).size() == 2);
}

TEST_CASE("a listed value of several registers is never cut") {
  // 'half' is the second register of 'count': the request takes all of it
  const auto result =
      packed(wants(want("gauge", "\"half\"", "1s", "%MW500")), {"half,hr,7,u16,r\n"});
  CHECK(rows_of(result) == std::vector<std::string>{"hr:6+2 %MW500"});
}

TEST_CASE("slow points ride along with quick ones where that costs less") {
  const auto with = [](const std::string& slow) {
    return rows_of(packed(wants(want("gauge", "\"moisture\"", "200ms", "%MW500") + ", " +
                                want("gauge", "\"temp\"", slow, "%MW600"))));
  };
  CHECK(with("400ms") == std::vector<std::string>{"hr:0+4 %MW500"});
  CHECK(with("60s") == std::vector<std::string>{"hr:0+2 %MW500", "hr:2+2 %MW600"});
}

TEST_CASE("bits go into words by packing, an area alone takes the next free words") {
  const auto result = packed(wants(want("gauge", "\"lamp\", \"horn\"", "1s", "%MW") + ", " +
                                       want("gauge", "\"code\"", "1s", "%MW"),
                                   R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, )"
                                   R"(into = "%MW0", every = "1s", on_loss = "hold" })"));
  CHECK(rows_of(result) == std::vector<std::string>{"co:0+2 %MW2", "hr:5+1 %MW3"});
  CHECK(result.requests[0].declared.packing.has_value());
  CHECK_FALSE(result.requests[1].declared.packing.has_value());
}

TEST_CASE("new requests take phases in which they wait least") {
  // one request of 1 s beside another released at 0: any phase after its end will do
  const auto result = packed(wants(want("pump", "\"speed\"", "1s", "%MW500"),
                                   R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, )"
                                   R"(into = "%MW0", every = "1s", on_loss = "hold" })"));
  REQUIRE(result.requests.size() == 1);
  CHECK(result.phases_exact);
  // t takes (8 + 9) x 11 / 19.2 + 20 + 3.5 x 11 / 19.2 = 31.7 ms
  CHECK(result.requests[0].phase == std::chrono::milliseconds(40));
}

TEST_CASE("what cannot be packed is said, with a cure") {
  CHECK(
      problems_of(packed(wants(want("gauge", "\"reset\"", "1s", "%MW500")))) ==
      std::vector<std::string>{"'reset' of slave gauge cannot be read | leave it out of the want"});
  CHECK(problems_of(packed(replaced(wants(want("gauge", "\"raw1\"", "1s", "%MW500")), "map_covers",
                                    "functions = [3]\nmap_covers"))) ==
        std::vector<std::string>{
            "'raw1' needs function 4, which slave gauge does not implement | leave it out of the "
            "want, or correct `functions` of the slave"});
  CHECK(problems_of(packed(
            wants(replaced(want("gauge", "\"code\"", "1s", "%MW5"), ", into = \"%MW5\"", "")))) ==
        std::vector<std::string>{"nothing says where its values go | add into = \"%MW100\", or "
                                 "into = \"%MW\" for the next free words"});
  CHECK(problems_of(packed(wants(want("gauge", "\"code\"", "1s", "%MX5")))) ==
        std::vector<std::string>{"registers are to go into bits | let them go into words; the "
                                 "program takes the bits from there"});
  // memory that another read fills
  const auto overlap =
      packed(wants(want("gauge", "\"code\"", "1s", "%MW1"),
                   R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", )"
                   R"(every = "1s", on_loss = "hold" })"));
  REQUIRE(overlap.problems.size() == 1);
  CHECK(overlap.problems[0].message.find("gauge-code would be wrong (M01)") != std::string::npos);
}
