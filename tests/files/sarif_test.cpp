// SARIF 2.1.0: the objects we write, held against what the schema requires and allows of them.
#include "files/findings_sarif.h"

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <map>
#include <set>

#include "plans.h"

using namespace greymet;
using Json = nlohmann::json;

namespace {

// Of the schema: per object its properties (name to type) and which are required. All of these
// objects forbid other properties, but for the property bag. Types: "s" string, "i" integer, "b"
// boolean, "[x" array of x, else another object. An integer or string may have its range behind a
// colon.
struct Shape {
  std::map<std::string, std::string> properties;
  std::set<std::string> required;
};

const std::map<std::string, Shape>& schema() {
  static const std::map<std::string, Shape> shapes{
      {"log", {{{"$schema", "s"}, {"version", "s:2.1.0"}, {"runs", "[run"}}, {"version", "runs"}}},
      {"run",
       {{{"tool", "tool"},
         {"invocations", "[invocation"},
         {"artifacts", "[artifact"},
         {"results", "[result"},
         {"columnKind", "s:utf16CodeUnits unicodeCodePoints"}},
        {"tool"}}},
      {"tool", {{{"driver", "toolComponent"}}, {"driver"}}},
      {"toolComponent",
       {{{"name", "s"}, {"semanticVersion", "s"}, {"rules", "[reportingDescriptor"}}, {"name"}}},
      {"reportingDescriptor",
       {{{"id", "s"},
         {"shortDescription", "message"},
         {"fullDescription", "message"},
         {"help", "message"},
         {"defaultConfiguration", "reportingConfiguration"},
         {"properties", "bag"}},
        {"id"}}},
      {"reportingConfiguration", {{{"level", "s:none note warning error"}}, {}}},
      {"message", {{{"text", "s"}}, {"text"}}},
      {"invocation", {{{"executionSuccessful", "b"}}, {"executionSuccessful"}}},
      {"artifact", {{{"location", "artifactLocation"}}, {}}},
      {"artifactLocation", {{{"uri", "s"}, {"index", "i:0"}}, {}}},
      {"result",
       {{{"ruleId", "s"},
         {"ruleIndex", "i:0"},
         {"level", "s:none note warning error"},
         {"message", "message"},
         {"locations", "[location"},
         {"relatedLocations", "[location"},
         {"fixes", "[fix"}},
        {"message"}}},
      {"fix",
       {{{"description", "message"}, {"artifactChanges", "[artifactChange"}}, {"artifactChanges"}}},
      {"artifactChange",
       {{{"artifactLocation", "artifactLocation"}, {"replacements", "[replacement"}},
        {"artifactLocation", "replacements"}}},
      {"replacement",
       {{{"deletedRegion", "region"}, {"insertedContent", "artifactContent"}}, {"deletedRegion"}}},
      {"artifactContent", {{{"text", "s"}}, {}}},
      {"location",
       {{{"id", "i:0"},
         {"physicalLocation", "physicalLocation"},
         {"logicalLocations", "[logicalLocation"},
         {"message", "message"}},
        {}}},
      {"logicalLocation", {{{"fullyQualifiedName", "s"}}, {}}},
      {"physicalLocation",
       {{{"artifactLocation", "artifactLocation"}, {"region", "region"}}, {"artifactLocation"}}},
      {"region",
       {{{"startLine", "i:1"}, {"startColumn", "i:1"}, {"endLine", "i:1"}, {"endColumn", "i:1"}},
        {}}},
  };
  return shapes;
}

void check_value(const Json& value, const std::string& type, const std::string& path);

void check_object(const Json& object, const std::string& name, const std::string& path) {
  INFO(path);
  REQUIRE(object.is_object());
  const Shape& shape = schema().at(name);
  for (const std::string& key : shape.required) {
    INFO(key);
    CHECK(object.contains(key));
  }
  for (const auto& [key, value] : object.items()) {
    INFO(key);
    REQUIRE(shape.properties.contains(key));
    check_value(value, shape.properties.at(key), path + "/" + key);
  }
}

void check_value(const Json& value, const std::string& type, const std::string& path) {
  INFO(path);
  if (type == "bag") {
    CHECK(value.is_object());
  } else if (type == "b") {
    CHECK(value.is_boolean());
  } else if (type[0] == 'i' && (type.size() == 1 || type[1] == ':')) {
    REQUIRE(value.is_number_integer());
    CHECK(value.get<int>() >= std::stoi(type.substr(2)));
  } else if (type == "s") {
    CHECK(value.is_string());
  } else if (type.starts_with("s:")) {
    CHECK((" " + type.substr(2) + " ").find(" " + value.get<std::string>() + " ") !=
          std::string::npos);
  } else if (type[0] == '[') {
    REQUIRE(value.is_array());
    for (const Json& each : value) check_value(each, type.substr(1), path);
  } else {
    check_object(value, type, path);
  }
}

Json sarif_of(const files::LoadedPlan& loaded) {
  return Json::parse(
      files::findings_sarif(loaded, checks::check(loaded.plan, loaded.findings), "0.1.0"));
}

}  // namespace

TEST_CASE("the draft's findings are valid SARIF 2.1.0") {
  const auto loaded =
      files::load_plan(std::string(GREYMET_EXAMPLES) + "/draft.toml", files::disk_files());
  const auto findings = checks::check(loaded.plan, loaded.findings);
  const Json log = sarif_of(loaded);
  check_object(log, "log", "");
  const Json& run = log["runs"][0];
  REQUIRE(run["results"].size() == findings.size());
  const auto rules = run["tool"]["driver"]["rules"].size();
  for (std::size_t i = 0; i < findings.size(); ++i) {
    const Json& result = run["results"][i];
    CHECK(result["ruleId"] == to_string(findings[i].rule));
    REQUIRE(result["ruleIndex"] < rules);
    CHECK(run["tool"]["driver"]["rules"][result["ruleIndex"].get<std::size_t>()]["id"] ==
          result["ruleId"]);
    const Json& physical = result["locations"][0]["physicalLocation"];
    if (findings[i].place.line > 0) {
      CHECK(physical["region"]["startLine"] == findings[i].place.line);
      CHECK(physical["region"]["startColumn"] == findings[i].place.column);
    }
    CHECK(run["artifacts"][physical["artifactLocation"]["index"].get<std::size_t>()]["location"]
             ["uri"] == physical["artifactLocation"]["uri"]);
  }
}

TEST_CASE("plans that cannot be read, and names that need escaping") {
  const auto none = files::load_plan("no where/plän.toml", files::memory_files({}));
  const Json log = sarif_of(none);
  check_object(log, "log", "");
  CHECK(log["runs"][0]["invocations"][0]["executionSuccessful"] == false);
  const Json& physical = log["runs"][0]["results"][0]["locations"][0]["physicalLocation"];
  CHECK(physical["artifactLocation"]["uri"] == "no%20where/pl%C3%A4n.toml");
  CHECK_FALSE(physical.contains("region"));  // the file as a whole
  const auto absolute = files::load_plan("/a/b.toml", files::memory_files({}));
  CHECK(sarif_of(absolute)["runs"][0]["artifacts"][0]["location"]["uri"] == "file:///a/b.toml");
  const auto clean = test::load(
      test::nothing_unused(test::with_rows(
          {R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })"})),
      test::base_files());
  const Json empty = sarif_of(clean);
  check_object(empty, "log", "");
  CHECK(empty["runs"][0]["results"].empty());
}
