// Exported files against what their formats ask for.
#include <set>

#include <fmt/format.h>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <pugixml.hpp>

#include "archive.h"
#include "exported.h"
#include "model/utf8_text.h"
#include "plans.h"

using namespace greymet;
using Json = nlohmann::json;

namespace {

// All members of an archive.
// What may stand in an element of PLCopen TC6 2.01, in this order; '?' may be left out, '*' may
// come again and again, '|' gives a choice. Elements that hold text or anything stand with an empty
// list.
const std::map<std::string, std::vector<std::string>> tc6{
    {"project",
     {"fileHeader", "contentHeader", "types", "instances", "addData?", "documentation?"}},
    {"fileHeader", {}},
    {"contentHeader", {"Comment?", "coordinateInfo", "addData?"}},
    {"Comment", {}},
    {"coordinateInfo", {"pageSize?", "fbd", "ld", "sfc"}},
    {"fbd", {"scaling"}},
    {"ld", {"scaling"}},
    {"sfc", {"scaling"}},
    {"scaling", {}},
    {"types", {"dataTypes", "pous"}},
    {"dataTypes", {"dataType*"}},
    {"dataType", {"baseType", "initialValue?", "addData?", "documentation?"}},
    {"struct", {"variable*"}},
    {"pous", {"pou*"}},
    {"pou", {"interface?", "actions?", "transitions?", "body*", "addData?", "documentation?"}},
    {"interface",
     {"returnType?", "inputVars|outputVars|inOutVars|externalVars|localVars*", "addData?",
      "documentation?"}},
    {"inputVars", {"variable*", "addData?", "documentation?"}},
    {"outputVars", {"variable*", "addData?", "documentation?"}},
    {"localVars", {"variable*", "addData?", "documentation?"}},
    {"inOutVars", {"variable*", "addData?", "documentation?"}},
    {"externalVars", {"variable*", "addData?", "documentation?"}},
    {"globalVars", {"variable*", "addData?", "documentation?"}},
    {"variable", {"type", "initialValue?", "addData?", "documentation?"}},
    {"array", {"dimension*", "baseType"}},
    {"dimension", {}},
    {"initialValue", {"simpleValue?", "arrayValue?", "structValue?"}},
    {"arrayValue", {"value*"}},
    {"structValue", {"value*"}},
    {"value", {"simpleValue?", "structValue?"}},
    {"simpleValue", {}},
    {"body", {"ST"}},
    {"ST", {"xhtml:p"}},
    {"documentation", {"xhtml:p"}},
    {"xhtml:p", {}},
    {"instances", {"configurations"}},
    {"configurations", {"configuration*"}},
    {"configuration",
     {"resource*", "globalVars*", "accessVars?", "configVars?", "addData?", "documentation?"}},
    {"resource", {"task*", "globalVars*", "pouInstance*", "addData?", "documentation?"}},
    {"task", {"pouInstance*", "addData?", "documentation?"}},
    {"pouInstance", {"addData?", "documentation?"}},
};
const std::set<std::string> elementary{"BOOL",  "WORD", "DWORD", "LWORD", "INT",   "UINT", "DINT",
                                       "UDINT", "LINT", "ULINT", "REAL",  "LREAL", "TIME"};
const std::set<std::string> with_type{"type", "baseType", "returnType"};
const std::map<std::string, std::vector<std::string>> attributes_needed{
    {"fileHeader", {"companyName", "productName", "productVersion", "creationDateTime"}},
    {"contentHeader", {"name"}},
    {"scaling", {"x", "y"}},
    {"pou", {"name", "pouType"}},
    {"variable", {"name"}},
    {"dataType", {"name"}},
    {"dimension", {"lower", "upper"}},
    {"simpleValue", {"value"}},
    {"string", {"length"}},
    {"configuration", {"name"}},
    {"resource", {"name"}},
    {"task", {"name", "priority"}},
    {"pouInstance", {"name", "typeName"}},
    {"derived", {"name"}}};

// The first thing that the structure does not allow; empty where there is none.
std::string trouble_in(pugi::xml_node node) {
  const std::string name = node.name();
  if (const auto needed = attributes_needed.find(name); needed != attributes_needed.end()) {
    for (const std::string& attribute : needed->second) {
      if (!node.attribute(attribute.c_str())) return name + " without " + attribute;
    }
  }
  std::vector<pugi::xml_node> children;
  for (const pugi::xml_node child : node.children()) {
    if (child.type() == pugi::node_element) children.push_back(child);
  }
  if (with_type.contains(name)) {
    if (children.size() != 1) return name + " with " + std::to_string(children.size()) + " types";
    const std::string type = children[0].name();
    if (type == "struct" || type == "array") return trouble_in(children[0]);
    if (type == "string" || type == "derived") return trouble_in(children[0]);
    return elementary.contains(type) ? "" : "unknown type " + type;
  }
  if (name == "string" || name == "derived") return children.empty() ? "" : name + " with children";
  const auto rule = tc6.find(name);
  if (rule == tc6.end()) return "unknown element " + name;
  std::size_t next = 0;
  for (std::string allowed : rule->second) {
    const char how = allowed.back();
    if (how == '?' || how == '*') allowed.pop_back();
    std::size_t count = 0;
    while (next < children.size() &&
           ("|" + allowed + "|").find(std::string("|") + children[next].name() + "|") !=
               std::string::npos &&
           (how == '*' || count == 0)) {
      if (const std::string inner = trouble_in(children[next]); !inner.empty()) return inner;
      ++next;
      ++count;
    }
    if (count == 0 && how != '?' && how != '*') return name + " without " + allowed;
  }
  return next == children.size() ? "" : name + " with " + children[next].name();
}

// The part of JSON Schema 2020-12 that docs/exchange.schema.json uses.
std::string invalid(const Json& value, const Json& schema, const Json& root,
                    const std::string& at) {
  if (schema.contains("$ref")) {
    const std::string ref = schema["$ref"];
    return invalid(value, root["$defs"][ref.substr(std::string("#/$defs/").size())], root, at);
  }
  if (schema.contains("anyOf")) {
    std::string first;
    for (const Json& one : schema["anyOf"]) {
      const std::string trouble = invalid(value, one, root, at);
      if (trouble.empty()) return "";
      if (first.empty()) first = trouble;
    }
    return first;
  }
  if (schema.contains("enum")) {
    for (const Json& one : schema["enum"]) {
      if (one == value) return "";
    }
    return at + ": " + value.dump() + " is none of " + schema["enum"].dump();
  }
  if (schema.contains("type")) {
    const Json types = schema["type"].is_array() ? schema["type"] : Json::array({schema["type"]});
    bool good = false;
    for (const std::string type : types) {
      good = good || (type == "object" && value.is_object()) ||
             (type == "array" && value.is_array()) || (type == "string" && value.is_string()) ||
             (type == "boolean" && value.is_boolean()) || (type == "null" && value.is_null()) ||
             (type == "integer" && value.is_number_integer()) ||
             (type == "number" && value.is_number());
    }
    if (!good) return at + ": " + value.dump().substr(0, 60) + " is no " + schema["type"].dump();
  }
  if (value.is_number() && schema.contains("minimum") && value < schema["minimum"])
    return at + ": too small";
  if (value.is_number() && schema.contains("maximum") && value > schema["maximum"])
    return at + ": too large";
  if (value.is_object()) {
    if (schema.contains("required")) {
      for (const std::string key : schema["required"]) {
        if (!value.contains(key)) return at + " without " + key;
      }
    }
    for (const auto& [key, item] : value.items()) {
      const std::string place = at + "." + key;
      if (schema.contains("properties") && schema["properties"].contains(key)) {
        const std::string trouble = invalid(item, schema["properties"][key], root, place);
        if (!trouble.empty()) return trouble;
      } else if (schema.contains("additionalProperties") &&
                 schema["additionalProperties"].is_object()) {
        const std::string trouble = invalid(item, schema["additionalProperties"], root, place);
        if (!trouble.empty()) return trouble;
      } else if (schema.value("additionalProperties", Json(true)) == false) {
        return place + " is not known";
      }
    }
  }
  if (value.is_array() && schema.contains("items")) {
    for (std::size_t i = 0; i < value.size(); ++i) {
      const std::string trouble =
          invalid(value[i], schema["items"], root, fmt::format("{}[{}]", at, i));
      if (!trouble.empty()) return trouble;
    }
  }
  return "";
}

Json schema() {
  const auto text = files::disk_files()(GREYMET_SOURCE "/docs/exchange.schema.json", 1 << 20);
  REQUIRE(text.has_value());
  return Json::parse(*text);
}

std::string golden_plan(const std::string& name) {
  return files::disk_files()(GREYMET_SOURCE "/tests/golden/" + name, 1 << 20).value();
}

}  // namespace

TEST_CASE("PLCopen XML has the structure of TC6 2.01") {
  const test::Exported demo = test::exported_demo();
  for (const std::string controller : {"kiln", "loadout"}) {
    const std::string text = demo.file("plcopen", controller + ".plcopen.xml");
    pugi::xml_document document;
    REQUIRE(document.load_string(text.c_str(), pugi::parse_default | pugi::parse_ws_pcdata));
    const pugi::xml_node project = document.document_element();
    CHECK(std::string(project.attribute("xmlns").value()) == "http://www.plcopen.org/xml/tc6_0201");
    CHECK(trouble_in(project) == "");
    CHECK(std::string(project.child("fileHeader").attribute("contentDescription").value()) ==
          demo.input().fingerprint);
  }
}

TEST_CASE("the workbook: its sheets, a frozen heading, numbers as numbers, and never a formula") {
  const test::Exported demo = test::exported_demo();
  const std::string book = demo.file("xlsx", "exchange.xlsx");
  CHECK(book == test::exported_demo().file("xlsx", "exchange.xlsx"));
  const auto parts = test::unzipped(book);
  pugi::xml_document workbook;
  REQUIRE(workbook.load_string(parts.at("xl/workbook.xml").c_str()));
  std::vector<std::string> sheets;
  for (const pugi::xml_node sheet : workbook.child("workbook").child("sheets").children()) {
    sheets.emplace_back(sheet.attribute("name").value());
  }
  CHECK(sheets == std::vector<std::string>{"transactions", "points", "slaves", "masters", "memory",
                                           "registers", "lines", "timing", "heartbeats", "paths",
                                           "findings", "not-judged", "assumed", "about"});
  CHECK(parts.at("docProps/core.xml").find(demo.input().fingerprint) != std::string::npos);
  CHECK(parts.at("xl/sharedStrings.xml").find(demo.input().fingerprint) != std::string::npos);
  pugi::xml_document first;
  REQUIRE(first.load_string(parts.at("xl/worksheets/sheet1.xml").c_str()));
  const pugi::xml_node sheet = first.child("worksheet");
  const pugi::xml_node pane = sheet.child("sheetViews").child("sheetView").child("pane");
  CHECK(std::string(pane.attribute("state").value()) == "frozen");
  CHECK(pane.attribute("ySplit").as_int() == 1);
  std::size_t rows = 0;
  for ([[maybe_unused]] const pugi::xml_node row : sheet.child("sheetData").children("row")) ++rows;
  CHECK(rows == 1 + demo.loaded.plan.exchange.transactions.size());
  // its order, a number
  const pugi::xml_node cell = sheet.child("sheetData").first_child().next_sibling().first_child();
  CHECK(std::string(cell.attribute("t").value()).empty());
  CHECK(cell.child("v").text().as_int() == 1);
}

TEST_CASE("a name that looks like a formula stays a name in the workbook") {
  const test::Exported exported(test::load(test::base_plan() + R"([exchange]
transactions = [ { name = "=1+1", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "alarm" } ]
)",
                                           test::base_files()));
  const auto parts = test::unzipped(exported.file("xlsx", "exchange.xlsx"));
  bool found = false;
  for (const auto& [name, content] : parts) {
    CHECK(content.find("<f>") == std::string::npos);
    found = found || content.find(">=1+1<") != std::string::npos;
  }
  CHECK(found);
}

TEST_CASE("every part of the workbook is XML, whatever the plan is called") {
  std::string title = "x";
  for (int i = 0; i < 150; ++i) title += "\xC3\xA9";
  for (const std::string& name : {title, std::string("a]]>b \xEF\xBF\xBF <&> '\\\"")}) {
    const test::Exported exported(
        test::load("[plan]\ntitle = \"" + name + "\"\n" + test::base_plan() + R"([exchange]
transactions = [ { name = "t", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "alarm" } ]
)",
                   test::base_files()));
    REQUIRE_FALSE(exported.loaded.unreadable);
    for (const auto& [part, content] : test::unzipped(exported.file("xlsx", "exchange.xlsx"))) {
      INFO(part);
      CHECK(model::first_bad_byte(content) == std::string::npos);
      CHECK(content.find("\xEF\xBF\xBF") == std::string::npos);
      pugi::xml_document document;
      CHECK(document.load_string(content.c_str()));
    }
  }
}

TEST_CASE("exchange.json fits its schema, and the schema bites") {
  const Json rules = schema();
  const Json demo = Json::parse(test::exported_demo().file("json", "exchange.json"));
  CHECK(invalid(demo, rules, rules, "") == "");
  const test::Exported golden(
      test::load(golden_plan("exchange.toml"), {{"gauge.csv", golden_plan("gauge.csv")}}));
  const Json small = Json::parse(golden.file("json", "exchange.json"));
  CHECK(invalid(small, rules, rules, "") == "");
  // every list and every key of the exchange is known to it
  for (const auto& [list, items] : small["exchange"].items()) {
    for (std::size_t i = 0; i < std::min<std::size_t>(items.size(), 3); ++i) {
      Json changed = small;
      changed["exchange"][list][i]["surprise"] = 1;
      CHECK(invalid(changed, rules, rules, "") ==
            fmt::format(".exchange.{}[{}].surprise is not known", list, i));
      for (const auto& [key, value] : items[i].items()) {
        changed = small;
        changed["exchange"][list][i][key] = Json::object({{"no", "such"}});
        INFO(list << " " << key);
        // what may be any words, or an object of them, is the exception
        CHECK((invalid(changed, rules, rules, "") != "" || key == "status"));
      }
    }
  }
  Json without = demo;
  without.erase("fingerprint");
  CHECK(invalid(without, rules, rules, "") == " without fingerprint");
}

TEST_CASE("a Thing Description says of every point how to reach it") {
  const test::Exported demo = test::exported_demo();
  const auto& plan = demo.loaded.plan;
  std::map<std::string, Json> things;
  for (const auto& file : demo.files_of("things")) things[file.name] = Json::parse(file.content);
  CHECK(things.size() == plan.plan.slaves.size());
  for (const auto& slave : plan.plan.slaves) {
    const Json thing = things.at(fmt::format("things/{}.td.json", slave.name));
    INFO(slave.name);
    CHECK(thing["@context"][0] == "https://www.w3.org/2022/wot/td/v1.1");
    CHECK(thing["title"] == slave.name);
    CHECK(thing["security"][0] == "nosec_sc");
    CHECK(thing["securityDefinitions"]["nosec_sc"]["scheme"] == "nosec");
    CHECK(thing["greymet:fingerprint"] == demo.input().fingerprint);
    const auto& points = plan.plan.maps[*slave.map].points();
    REQUIRE(thing["properties"].size() == points.size());
    for (const model::Point& p : points) {
      const Json& property = thing["properties"][p.name];
      const Json& form = property["forms"][0];
      const std::string href = form["href"];
      CHECK(href.ends_with(fmt::format("/{}?quantity={}", p.address.offset.value,
                                       extent_of(p).end - extent_of(p).first)));
      CHECK(property["readOnly"] == (p.access == model::Access::read));
      CHECK(form["modv:zeroBasedAddressing"] == true);
    }
  }
  const Json moisture = things.at("things/moisture.td.json");
  const Json& form = moisture["properties"]["grain_moisture"]["forms"][0];
  // CDAB: low word first, each word's high byte first
  CHECK(form["modv:mostSignificantWord"] == false);
  CHECK(form["modv:mostSignificantByte"] == true);
  CHECK(form["modv:entity"] == "HoldingRegister");
  CHECK(form["modv:pollingTime"] == 1000);
  CHECK(form["op"] == Json::array({"readproperty"}));
  CHECK(Json::parse(demo.file(
            "things", "things/air.td.json"))["properties"]["pressure_set"]["forms"][0]["href"] ==
        "modbus+tcp://10.20.0.31:502/255/0?quantity=1");
  CHECK(Json::parse(demo.file(
      "things", "things/meter1.td.json"))["properties"]["frequency"]["forms"][0]["href"]
            .get<std::string>()
            .starts_with("modbus+tcp://10.20.0.40:502/2/"));
}

TEST_CASE(
    "a Thing Description says what its own way takes, and lets nobody write a bit of a word") {
  const test::Exported demo = test::exported_demo();
  const auto form = [&](const std::string& slave, const std::string& point) {
    const auto json = Json::parse(demo.file("things", fmt::format("things/{}.td.json", slave)));
    return json["properties"][point]["forms"][0];
  };
  CHECK(form("burner", "supply_temp")["modv:timeout"] == 200);  // of line north
  CHECK(form("silo", "level_percent")["modv:timeout"] == 300);  // of line south
  const std::string plan = test::replaced(
      test::with_rows(
          {R"({ name = "in", slave = "gauge", fc = 3, at = 0, count = 1, into = "%MW0", every = "1s" })"}),
      "[line.north]", "[slave.far]\nhost = \"fd00::17\"\nmap = \"gauge.csv\"\n[line.north]");
  const test::Exported far(test::load(
      plan, {{"gauge.csv",
              "point,area,address,type,bit,access\nrun,hr,0,bool,3,rw\nspeed,hr,1,u16,,rw\n"}}));
  const auto json = Json::parse(far.file("things", "things/far.td.json"));
  CHECK(json["properties"]["speed"]["forms"][0]["href"] ==
        "modbus+tcp://[fd00::17]:502/255/1?quantity=1");
  CHECK(json["properties"]["speed"]["forms"][0]["op"] == Json({"readproperty", "writeproperty"}));
  CHECK(json["properties"]["run"]["forms"][0]["op"] == Json({"readproperty"}));
}

TEST_CASE("a Thing Description is polled as often as the quickest read of the point") {
  const auto row = [](const char* name, const char* what, const char* every) {
    return fmt::format("{{ name = \"{}\", slave = \"gauge\", {}, every = \"{}\" }}", name, what,
                       every);
  };
  test::Files files = test::base_files();
  files["gauge.csv"] = "point,area,address,type\np,hr,0,u16\nq,hr,1,u16\nr,hr,2,u16\n";
  const test::Exported exported(test::load(
      test::with_rows(
          {row("slow", "fc = 3, at = 0, count = 2, into = \"%MW110\", on_loss = \"hold\"", "2s"),
           row("quick", "fc = 3, at = 0, count = 1, into = \"%MW100\", on_loss = \"hold\"", "1s"),
           row("out", "fc = 16, at = 0, count = 1, from = \"%MW200\"", "200ms")}),
      files));
  const Json thing = Json::parse(exported.file("things", "things/gauge.td.json"));
  const auto polled = [&](const char* point) {
    return thing["properties"][point]["forms"][0].value("modv:pollingTime", 0);
  };
  CHECK(polled("p") == 1000);
  CHECK(polled("q") == 2000);
  CHECK(polled("r") == 0);
}

TEST_CASE("every exported file names the fingerprint, and is the same each time") {
  const test::Exported demo = test::exported_demo();
  std::set<std::string> names;
  for (const auto& each : exports::all_exports()) {
    const auto once = demo.files_of(each.name);
    const auto again = demo.files_of(each.name);
    REQUIRE(once.size() == again.size());
    for (std::size_t i = 0; i < once.size(); ++i) {
      INFO(once[i].name);
      CHECK(names.insert(once[i].name).second);
      CHECK(once[i].content == again[i].content);
      const std::string text = each.name == "xlsx"
                                   ? test::unzipped(once[i].content).at("docProps/core.xml")
                                   : once[i].content;
      CHECK(text.find(demo.input().fingerprint) != std::string::npos);
    }
  }
}

TEST_CASE("a Thing Description speaks of the payload: raw values, whatever people read") {
  const test::Exported demo = test::exported_demo();
  const Json burner = Json::parse(demo.file("things", "things/burner.td.json"));
  const Json& flue = burner["properties"]["flue_temp"];  // i16 x 0.1, -20 to 450 degrees
  CHECK(flue["type"] == "integer");
  CHECK(flue["minimum"] == -200);
  CHECK(flue["maximum"] == 4500);
  CHECK_FALSE(flue.contains("unit"));
  CHECK(flue["greymet:unit"] ==
        "\xC2\xB0"
        "C");
  CHECK(flue["greymet:maximum"] == 450);
  CHECK(flue["description"].get<std::string>().find("raw value: \xC2\xB0"
                                                    "C = raw x 0.1") != std::string::npos);
  const Json& supply = burner["properties"]["supply_temp"];  // f32 as it is
  CHECK(supply["type"] == "number");
  CHECK(supply["maximum"] == 150);
  CHECK(supply["unit"] ==
        "\xC2\xB0"
        "C");
}
