// points: the list from both ends, as text, JSON and CSV, and the drafted table.
#include <catch2/catch.hpp>

#include <filesystem>
#include <sstream>

#include <nlohmann/json.hpp>

#include "plans.h"
#include "process.h"

using namespace greymet;
using Json = nlohmann::json;

namespace {

class PointsSite : public test::TemporaryFolder {
 public:
  PointsSite() {
    std::filesystem::copy(GREYMET_EXAMPLES, path(), std::filesystem::copy_options::recursive);
  }
  [[nodiscard]] test::Outcome run(const std::vector<std::string>& arguments) const {
    return test::run_program(GREYMET_PROGRAM, arguments, path());
  }
};

Json row_named(const Json& rows, const std::string& where, const std::string& controller) {
  for (const Json& row : rows) {
    if (row["where"] == where && row["controller"] == controller) return row;
  }
  return nullptr;
}

std::vector<std::string> lines_of(const std::string& text) {
  std::vector<std::string> lines;
  std::istringstream in(text);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  return lines;
}

}  // namespace

TEST_CASE("points gives every value from both ends, with stable keys") {
  const PointsSite site;
  const test::Outcome outcome = site.run({"points", "maltings.toml", "--json"});
  REQUIRE(outcome.status == 0);
  const Json rows = Json::parse(outcome.out);
  for (const char* const key :
       {"where",     "controller",   "memory",        "words",    "tag",          "tag_type",
        "function",  "area",         "offset",        "type",     "word_order",   "swap",
        "factor",    "offset_value", "unit",          "every_ms", "age_bound_ms", "used_by",
        "direction", "by",           "tag_word_order"}) {
    INFO(key);
    for (const Json& row : rows) REQUIRE(row.contains(key));
  }
  const Json here = row_named(rows, "moisture.grain_moisture", "kiln");
  CHECK(here["memory"] == "%MW100..%MW101");
  CHECK(here["words"] == 2);
  CHECK(here["tag"] == "moisture_grain_moisture");
  CHECK(here["tag_type"] == "REAL");
  CHECK(here["tag_word_order"] == "CDAB");
  CHECK(here["by"] == "moisture-in");
  CHECK(here["function"] == 3);
  CHECK(here["area"] == "hr");
  CHECK(here["offset"] == 0);
  CHECK(here["every_ms"] == 1000);
  CHECK(here["used_by"] == Json({"copy 1"}));
  // followed through the copy and the other controller
  const Json there = row_named(rows, "moisture.grain_moisture", "loadout");
  CHECK(there["memory"] == "%MW3..%MW4");
  CHECK(there["tag"] == "malt_moisture");
  CHECK(there["by"] == "to-loadout");
  CHECK(there["age_bound_ms"].get<double>() > here["age_bound_ms"].get<double>());
  const Json steam = row_named(rows, "steam.mass_flow", "kiln");
  CHECK(steam["word_order"] == "DCBA");
  CHECK(steam["swap"] == "ABCD");
  CHECK(steam["tag_word_order"] == "ABCD");
  CHECK(row_named(rows, "burner.setpoint", "kiln")["direction"] == "to");
  CHECK(row_named(rows, "loadout.trucks_today", "kiln")["tag"] == "loadout_trucks");
  const Json sent = row_named(rows, "kiln.loadout_trucks", "loadout");
  CHECK(sent["tag"] == "trucks_today");
  CHECK(sent["direction"] == "to");
  CHECK(sent["by"] == "from-loadout");
  const Json bit = row_named(rows, "moisture.alarm_range", "kiln");
  CHECK(bit["memory"] == "%MW114.1");
  CHECK(bit["words"] == 0);
}

TEST_CASE("points: JSON, CSV and files agree, and a name picks") {
  const PointsSite site;
  const Json rows = Json::parse(site.run({"points", "maltings.toml", "silo", "--json"}).out);
  const auto csv = lines_of(site.run({"points", "maltings.toml", "silo", "--format", "csv"}).out);
  REQUIRE(rows.size() > 5);
  CHECK(csv.size() == rows.size() + 1);
  CHECK(csv.front() ==
        "where,direction,controller,memory,words,tag,tag_type,tag_word_order,by,function,area,"
        "offset,manual,typed,type,word_order,swap,factor,offset_value,unit,names,every_ms,age_"
        "bound_ms,"
        "used_by\r");
  for (std::size_t i = 0; i < rows.size(); ++i) {
    CHECK(csv[i + 1].starts_with(rows[i]["where"].get<std::string>() + ","));
  }
  CHECK(site.run({"points", "maltings.toml", "silo", "-o", "out"}).status == 0);
  CHECK(Json::parse(site.read("out/points.json")) == rows);
  CHECK(lines_of(site.read("out/points.csv")) == csv);
  const test::Outcome unknown = site.run({"points", "maltings.toml", "sillo"});
  CHECK(unknown.status == 2);
  CHECK(unknown.err ==
        "greymet: the plan has no controller or slave 'sillo' (did you mean 'silo'?)\n");
  const test::Outcome no_controller = site.run({"points", "maltings.toml", "--tags", "silo"});
  CHECK(no_controller.status == 2);
  CHECK(no_controller.err.find("the plan has no controller 'silo'") != std::string::npos);
}

TEST_CASE("a drafted table of tags goes straight back into the plan") {
  const PointsSite site;
  std::string plan = site.read("maltings.toml");
  for (const char* const line : {"tags    = ", "tags       = "}) {
    const std::size_t at = plan.find(line);
    REQUIRE(at != std::string::npos);
    plan.erase(at, plan.find('\n', at) + 1 - at);
  }
  site.write("bare.toml", plan);
  for (const char* const controller : {"kiln", "loadout"}) {
    const test::Outcome draft = site.run({"points", "bare.toml", "--tags", controller});
    REQUIRE(draft.status == 0);
    CHECK(draft.out.starts_with(
        "tag,address,type,word_order,factor,offset,unit,from,to,max_age,note\r\n"));
    site.write(std::string("tags/") + controller + ".csv", draft.out);
  }
  const test::Outcome check =
      site.run({"check", "maltings.toml", "--rules", "P,V01,V02,V03,V04,V05,V07,V08"});
  CHECK(check.status == 0);
  CHECK(check.out.find("nothing to report") != std::string::npos);
}

TEST_CASE("points says which moved words no tag names") {
  const PointsSite site;
  std::string tags = site.read("tags/loadout.csv");
  tags.erase(tags.find("scale_state"), tags.find("ticket") - tags.find("scale_state"));
  site.write("tags/loadout.csv", tags);
  const test::Outcome outcome = site.run({"points", "maltings.toml", "loadout"});
  CHECK(outcome.out.find("moved, and named by no tag\n  %MW107         bridge-in of controller "
                         "loadout\n") != std::string::npos);
}
