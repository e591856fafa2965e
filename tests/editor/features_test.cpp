// What an editor shows at a place: tables of places and what stands there.
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "editor_client.h"
#include "plans.h"

using namespace greymet;
using test::EditorClient;
using test::Rpc;

namespace {

const std::string kiln_plan = "/site/maltings.toml";

}  // namespace

TEST_CASE("hover says what an address, a row, a thing, a place in memory and a key are") {
  const auto site = test::demo_site();
  EditorClient client(site);
  client.open(kiln_plan, site.at(kiln_plan));
  client.open("/site/maps/burner.csv", site.at("/site/maps/burner.csv"));
  client.open("/site/tags/kiln.csv", site.at("/site/tags/kiln.csv"));
  client.settle();
  const auto hover = [&](const std::string& path, const std::string& words, std::size_t behind) {
    const Rpc got = client.request("textDocument/hover", client.at(path, words, behind));
    return got.is_null() ? std::string() : got["contents"]["value"].get<std::string>();
  };
  const auto says = [&](const std::string& text, const std::vector<std::string>& parts) {
    INFO(text);
    for (const std::string& part : parts) {
      INFO(part);
      CHECK(text.find(part) != std::string::npos);
    }
  };
  // frames by hand: 01 04, 0 and 21 words; CRC of CRC-16/MODBUS, low byte first
  says(hover(kiln_plan, "name = \"burner-in\"", 10),
       {"**transaction `burner-in`**: `kiln` asks `burner` by function 4",
        "reads ir:0..ir:20 (manual: 0x0000) into `%MW201..%MW221`",
        "request `01 04 00 00 00 15 31 C5` (8 bytes)", "(47 bytes)", "answered within",
        "of its period of 1s", "in the simulation", "north is used"});
  says(hover(kiln_plan, "at = 0x0000", 6),
       {"| read as |", "ir:0", "`burner.flame_signal`", "(the plan reads it so)"});
  // its function says the area: other ones are no readings of it
  const std::string readings = hover(kiln_plan, "at = 0x0000", 6);
  for (const char* other : {"hr:0", "di:0", "co:0", "which of the four areas"}) {
    CHECK(readings.find(other) == std::string::npos);
  }
  says(hover(kiln_plan, "at = \"setpoint\"", 8),
       {"**`burner.setpoint`**", "hr:4096", "0x1000", "from 1: 4097", "404097",
        "moved by `burner-set`"});
  says(hover(kiln_plan, "into = \"%MW201\"", 10),
       {"**`%MW201..%MW221`** of `kiln`", "read: transaction burner-in",
        "tags: `burner_flame_signal`"});
  says(hover(kiln_plan, "[slave.burner]", 9),
       {"**slave `burner`** on line `north`, unit 1", "counts from-0; word order ABCD",
        "asked by `burner-in`"});
  says(hover(kiln_plan, "slave = \"burner\"", 10), {"**slave `burner`**"});
  says(hover(kiln_plan, "[line.north]", 7), {"rtu 19200 8E1", "% of its time used", "`moisture`"});
  says(hover(kiln_plan, "[controller.kiln]", 14), {"`%MW`: 8000 words from 0"});
  CHECK(hover(kiln_plan, "park    = {", 1) == "`park` of `[line.NAME]`\n\nabout line.\\* park");
  says(hover("/site/maps/burner.csv", "flame_signal", 2), {"**`burner.flame_signal`** u16"});
  says(hover("/site/tags/kiln.csv", "burner.flame_signal", 9), {"**`burner.flame_signal`**"});
  says(hover("/site/tags/kiln.csv", "%MW201", 2), {"read: transaction burner-in"});
  CHECK(hover(kiln_plan, "# Demo", 2).empty());
  // what no request carries has neither a frame nor a time
  client.write(kiln_plan, test::replaced(site.at(kiln_plan), "at = 0x0000, count = 21",
                                         "at = 0x0000, count = 210"));
  client.settle();
  const std::string too_long = hover(kiln_plan, "name = \"burner-in\"", 10);
  says(too_long, {"no frame, and no time"});
  CHECK(too_long.find("takes") == std::string::npos);
  CHECK(too_long.find("answered") == std::string::npos);
  CHECK(hover("/site/maps/burner.csv", "point", 2).empty());
}

TEST_CASE("definitions and references lead over all files, for memory to what fills it") {
  const auto site = test::demo_site();
  EditorClient client(site);
  client.open(kiln_plan, site.at(kiln_plan));
  client.settle();
  const auto places = [&](const std::string& method, const std::string& words, std::size_t behind) {
    Rpc params = client.at(kiln_plan, words, behind);
    params["context"] = {{"includeDeclaration", false}};
    std::vector<std::string> out;
    for (const Rpc& each : client.request(method, params)) {
      const std::string path = each["uri"].get<std::string>().substr(7);
      const std::string& text = site.at(path);
      const std::size_t begin = EditorClient::byte_at(text, each["range"]["start"]);
      const std::size_t end = EditorClient::byte_at(text, each["range"]["end"]);
      out.push_back(path.substr(6) + ":" +
                    std::to_string(each["range"]["start"]["line"].get<int>() + 1) + " " +
                    text.substr(begin, end - begin));
    }
    return out;
  };
  const std::string to = "textDocument/definition";
  CHECK(places(to, "slave = \"burner\"", 10) ==
        std::vector<std::string>{"maltings.toml:87 burner"});
  CHECK(places(to, "at = \"setpoint\"", 8) ==
        std::vector<std::string>{"maps/burner.csv:28 setpoint"});
  CHECK(places(to, "map        = \"maps/burner.csv\"", 16) ==
        std::vector<std::string>{"maps/burner.csv:1 "});
  CHECK(places(to, "master  = \"kiln\"", 12) == std::vector<std::string>{"maltings.toml:11 kiln"});
  // what is sent is filled by nobody of the exchange: the area
  CHECK(places(to, "from = \"%MW1021\"", 10).front().starts_with("maltings.toml:18 "));
  CHECK(places(to, "into = \"%MW201\"", 10) ==
        std::vector<std::string>{"maltings.toml:300 \"%MW201\""});
  const std::string uses = "textDocument/references";
  const auto of_slave = places(uses, "[slave.burner]", 8);
  CHECK(of_slave.size() == 35);  // five rows and the tags of its values
  const auto of_memory = places(uses, "from = \"%MW1021\"", 10);
  CHECK(of_memory ==
        std::vector<std::string>{"maltings.toml:303 \"%MW1021\"", "tags/kiln.csv:245 %MW1021"});
}

TEST_CASE("completion proposes what may stand there, and writes it as it has to be written") {
  const auto site = test::demo_site();
  EditorClient client(
      site, {{"textDocument", {{"completion", {{"completionItem", {{"snippetSupport", true}}}}}}}});
  client.open(kiln_plan, site.at(kiln_plan));
  client.settle();
  const std::string base = client.texts[kiln_plan];
  // '|' is the cursor; a row of transactions that is being written
  const auto proposed = [&](std::string text, bool in_row) {
    if (in_row) {
      const std::string row = "  { name = \"moisture-in\",";
      text = test::replaced(base, row, "  " + text + "\n" + row);
    }
    const std::size_t cursor = text.find('|');
    text.erase(cursor, 1);
    client.write(kiln_plan, text);
    const Rpc got = client.request("textDocument/completion",
                                   {{"textDocument", {{"uri", "file://" + kiln_plan}}},
                                    {"position", EditorClient::position(text, cursor)}});
    std::map<std::string, std::string> out;  // label -> text with it written
    for (const Rpc& item : got["items"]) {
      const Rpc& edit = item["textEdit"];
      std::string with = text;
      const std::size_t begin = EditorClient::byte_at(with, edit["range"]["start"]);
      const std::size_t end = EditorClient::byte_at(with, edit["range"]["end"]);
      with.replace(begin, end - begin, edit["newText"].get<std::string>());
      const std::size_t line = with.rfind('\n', begin) + 1;
      out[item["label"].get<std::string>()] = with.substr(line, with.find('\n', begin) - line);
    }
    return out;
  };
  const auto row = [&](const std::string& text) { return proposed(text, true); };
  CHECK(row("{ name = \"x\", slave = \"bu|\", fc = 3 },")["burner"] ==
        "  { name = \"x\", slave = \"burner\", fc = 3 },");
  CHECK(row("{ name = \"x\", slave = \"|").contains("loadout"));  // that answers
  CHECK_FALSE(row("{ name = \"x\", slave = \"|").contains("kiln"));
  CHECK(row("{ name = \"x\", slave = | },")["burner"] == "  { name = \"x\", slave = \"burner\" },");
  const auto points = row("{ name = \"x\", slave = \"burner\", fc = 4, at = \"fl|\" },");
  CHECK(points.contains("flame_signal"));
  CHECK(points.contains("setpoint"));
  // the slave may stand behind
  CHECK(row("{ name = \"x\", at = \"|\", slave = \"burner\" },").contains("flame_signal"));
  CHECK(row("{ slave = \"damper1\", read = { at = \"|\" } },").size() > 3);
  const auto memory = row("{ name = \"x\", slave = \"burner\", fc = 3, count = 8, into = \"|\" },");
  CHECK(memory.contains("%MW0"));
  CHECK(memory.contains("%MW"));
  CHECK_FALSE(memory.contains("%MX"));
  CHECK(row("{ slave = \"burner\", fc = 1, count = 8, into = \"|\" },").contains("%MX"));
  CHECK(row("{ slave = \"burner\", status = { failed = \"|\" } },")
            .begin()
            ->first.starts_with("%MX"));
  CHECK(row("{ slave = \"burner\", fc = | },").size() == 4);  // functions that it has
  CHECK(row("{ name = \"x\", every = \"25|\" },").contains("25ms"));
  CHECK(row("{ name = \"x\", every = \"25|\" },")["25ms"] ==
        "  { name = \"x\", every = \"25ms\" },");
  CHECK(row("{ name = \"x\", on_loss = | },")["hold"] == "  { name = \"x\", on_loss = \"hold\" },");
  CHECK(row("{ name = \"x\", relays = | },").contains("true"));
  const auto keys = row("{ name = \"x\", ev| },");
  CHECK(keys.contains("every"));
  CHECK_FALSE(keys.contains("name"));
  CHECK(row("{ name = \"x\", ev| = \"1s\" },")["every"] == "  { name = \"x\", every = \"1s\" },");
  CHECK(row("|").contains("read"));
  CHECK(row("# sl|").empty());
  const auto plan = [&](const std::string& text) { return proposed(text, false); };
  const auto units = plan(test::replaced(base, "unit       = 1\n", "unit       = |\n"));
  CHECK(units.contains("2"));
  CHECK_FALSE(units.contains("3"));  // taken
  CHECK(plan(test::replaced(base, "map        = \"maps/burner.csv\"", "map        = \"|\""))
            .contains("maps/drive.csv"));
  CHECK(plan(base + "\n[review]\naccepts = [ { rule = \"|\" } ]\n").contains("M05"));
  CHECK(plan(base + "\n[review]\naccepts = [ { rule = \"T10\", at = \"|\" } ]\n")
            .contains("gateway roof"));
  CHECK(plan(base + "\n[[supervision.paths]]\nfrom = \"burner.|\"\n")
            .contains("burner.flame_signal"));
  CHECK(plan(base + "\n[line.x]\nvia = \"|\"\n").contains("roof"));
  CHECK(plan(base + "\n|").contains("slave"));
  CHECK(plan(base + "\n[sla|ve.x]").empty());
}

TEST_CASE("hints tell addresses, ends of ranges, times, use of lines and what is assumed") {
  const auto site = test::demo_site();
  const std::string draft = test::replaced(
      site.at(kiln_plan), "reply      = { typical = \"5ms\", max = \"18ms\" }\n", "");
  EditorClient client(site);
  client.open(kiln_plan, draft);
  client.settle();
  const Rpc hints =
      client.request("textDocument/inlayHint", {{"textDocument", {{"uri", "file://" + kiln_plan}}},
                                                {"range",
                                                 {{"start", {{"line", 0}, {"character", 0}}},
                                                  {"end", {{"line", 5000}, {"character", 0}}}}}});
  const auto in_line = [&](const std::string& words) {
    const Rpc place = EditorClient::position(draft, draft.find(words));
    std::vector<std::string> out;
    for (const Rpc& each : hints) {
      if (each["position"]["line"] == place["line"]) out.push_back(each["label"]);
    }
    return out;
  };
  const auto row = in_line("name = \"fan1-in\"");
  REQUIRE(row.size() == 3);
  CHECK(row[0] == " hr:100..hr:116");  // the drive counts from 1
  CHECK(row[1] == "..%MW417");
  CHECK(row[2].find(" ms, answered within ") != std::string::npos);
  CHECK(in_line("[line.north]").at(0).find("% used") != std::string::npos);
  CHECK(in_line("[slave.burner]").at(0) ==
        "  assumed: reply 10ms typical, 50ms at most (greymet run measures it)");
  CHECK(in_line("[slave.damper1]").empty());  // states its reply
  const auto halves = in_line("name = \"damper1-trim\"");
  CHECK(halves.size() == 5);  // two addresses, two ends of ranges, times
  // what settles it is told to who asks
  bool settled = false;
  for (const Rpc& each : hints) {
    settled =
        settled || (each.contains("tooltip") && each["tooltip"]["value"].get<std::string>().find(
                                                    "`greymet run` measures") != std::string::npos);
  }
  CHECK(settled);
  // where only an area is named, the range that it came to
  std::map<std::string, std::string> small;
  for (const auto& [name, text] : test::base_files()) small["/p/" + name] = text;
  const std::string chosen =
      test::with_rows({"{ name = \"t\", slave = \"gauge\", fc = 3, at = 0, count = 4, into = "
                       "\"%MW\", every = \"1s\" }"});
  EditorClient third(small);
  third.open("/p/plan.toml", chosen);
  third.settle();
  CHECK(third
            .request("textDocument/inlayHint", {{"textDocument", {{"uri", "file:///p/plan.toml"}}},
                                                {"range",
                                                 {{"start", {{"line", 0}, {"character", 0}}},
                                                  {"end", {{"line", 5000}, {"character", 0}}}}}})
            .dump()
            .find("\" %MW0..%MW3\"") != std::string::npos);
  // a measurement takes the place of what was assumed
  auto measured = site;
  measured["/site/results/run.json"] =
      R"({"transactions": [{"name": "burner-in", "good": 9, "duration_median_ms": 40, "duration_max_ms": 60}]})";
  EditorClient second(measured, {}, {{"measured", "results"}});
  second.open(kiln_plan, draft);
  second.settle();
  const std::string all =
      second
          .request("textDocument/inlayHint", {{"textDocument", {{"uri", "file://" + kiln_plan}}},
                                              {"range",
                                               {{"start", {{"line", 0}, {"character", 0}}},
                                                {"end", {{"line", 5000}, {"character", 0}}}}}})
          .dump();
  CHECK(all.find("  measured") != std::string::npos);
  CHECK(all.find("assumed: reply 10ms") == std::string::npos);
}

TEST_CASE("the outline has the tables, the rows below their list, and the points of a map") {
  const auto site = test::demo_site();
  EditorClient client(site);
  client.open(kiln_plan, site.at(kiln_plan));
  client.open("/site/maps/burner.csv", site.at("/site/maps/burner.csv"));
  client.settle();
  const Rpc outline =
      client.request("textDocument/documentSymbol", EditorClient::document(kiln_plan));
  std::vector<std::string> names;
  std::size_t rows = 0;
  for (const Rpc& each : outline) {
    names.push_back(each["detail"].get<std::string>() + " " + each["name"].get<std::string>());
    if (each["name"] == "exchange") rows = each["children"].size();
  }
  const std::vector<std::string> first(names.begin(), names.begin() + 6);
  CHECK(first == std::vector<std::string>{" plan", "controller kiln", "controller kiln memory",
                                          "controller loadout", "controller loadout memory",
                                          "line north"});
  CHECK(rows > 50);
  const Rpc points = client.request("textDocument/documentSymbol",
                                    EditorClient::document("/site/maps/burner.csv"));
  CHECK(points.at(0)["name"] == "flame_signal");
}

TEST_CASE("a register map that no plan names is looked at by itself") {
  EditorClient client({});
  const std::string path = "/alone/gauge.csv";
  client.open(path, "point,area,address,type\nlevel,hr,0,u16\npressure,hr,1,floot\n");
  client.settle();
  REQUIRE(client.findings(path).size() == 1);
  CHECK(client.findings(path).front().starts_with("P07 3:15"));
  const Rpc hover = client.request("textDocument/hover", client.at(path, "level", 1));
  CHECK(hover["contents"]["value"] ==
        "**`level`** u16\n\nhr:0 (0x0000, from 1: 1, 400001), taken to count from 0\n");
  const Rpc types = client.request("textDocument/completion", client.at(path, "floot", 2));
  bool has_f32 = false;
  for (const Rpc& each : types["items"]) has_f32 = has_f32 || each["label"] == "f32";
  CHECK(has_f32);
  client.write(path, "point,area,address,type\nlevel,hr,0,u16\npressure,hr,1,f32\n");
  client.settle();
  CHECK(client.findings(path).empty());
  // other tables are nobody's business
  client.open("/alone/prices.csv", "item,price\nmalt,3\n");
  client.settle();
  CHECK(client.findings("/alone/prices.csv").empty());
}

TEST_CASE("a map belongs to the plan above it, and findings stand in the file they speak of") {
  auto site = test::demo_site();
  EditorClient client(site);
  const std::string map = "/site/maps/level-draft.csv";
  client.open(map, site.at(map));
  client.settle();
  CHECK_FALSE(client.findings(map).empty());
  const auto hover = client.request("textDocument/hover", client.at(map, "\n", 1));
  CHECK_FALSE(hover.is_null());
}
