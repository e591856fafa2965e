// export, report, diff and new, end to end on files.
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <filesystem>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "plans.h"
#include "process.h"

using namespace greymet;
namespace fs = std::filesystem;
using Json = nlohmann::json;

namespace {

class HandoverSite : public test::TemporaryFolder {
 public:
  HandoverSite() { fs::copy(GREYMET_EXAMPLES, path(), fs::copy_options::recursive); }
  [[nodiscard]] test::Outcome run(const std::vector<std::string>& arguments) const {
    return test::run_program(GREYMET_PROGRAM, arguments, path());
  }
  void replace(const std::string& what, const std::string& with) const {
    write("maltings.toml", test::replaced(read("maltings.toml"), what, with));
  }
};

std::string last_line(const std::string& text) {
  const std::size_t end = text.size() - 1;
  return text.substr(text.rfind('\n', end - 1) + 1, end - text.rfind('\n', end - 1) - 1);
}

}  // namespace

TEST_CASE("a folder that was exported is what the plan gives, until something changes") {
  const HandoverSite site;
  CHECK(site.run({"export", "maltings.toml", "-o", "out"}).status == 0);
  const auto same = site.run({"export", "maltings.toml", "--compare", "out"});
  CHECK(same.status == 0);
  CHECK(same.out == "27 of 27 files are what the plan gives\n");

  // by hand, in one file
  site.write("out/kiln.st", test::replaced(site.read("out/kiln.st"), "longest := T#2000ms",
                                           "longest := T#9000ms"));
  fs::remove(site.file("out/things/air.td.json"));
  site.write("out/old.st", "");
  const auto changed = site.run({"export", "maltings.toml", "--compare", "out"});
  CHECK(changed.status == 1);
  CHECK(changed.out.find("changed, line ") != std::string::npos);
  CHECK(changed.out.find("T#9000ms") != std::string::npos);
  CHECK(changed.out.find("missing:\n  things/air.td.json\n") != std::string::npos);
  CHECK(changed.out.find("left over, of no controller or slave of the plan:\n  old.st\n") !=
        std::string::npos);
  CHECK(last_line(changed.out) == "25 of 28 files are what the plan gives");

  // the plan goes on
  site.replace("fc = 16, at = \"setpoint\", count = 6, from = \"%MW1010\", every = \"1s\"",
               "fc = 16, at = \"setpoint\", count = 6, from = \"%MW1010\", every = \"500ms\"");
  const auto other =
      site.run({"export", "maltings.toml", "--compare", "out/exchange.json", "--json"});
  CHECK(other.status == 1);
  const Json json = Json::parse(other.out);
  CHECK(json["same"] == false);
  CHECK(json["files"][0]["state"] == "of another exchange");
  CHECK(json["files"][0]["changes"][0] == Json({{"kind", "transaction"},
                                                {"subject", "burner-set"},
                                                {"what", "period"},
                                                {"old", "500ms"},
                                                {"new", "1s"}}));
  // a file that came back under another name
  fs::copy(site.file("out/exchange.csv"), site.file("back.csv"));
  CHECK(site.run({"export", "maltings.toml", "--compare", "back.csv"}).status == 1);
}

TEST_CASE("export writes what --only names, and says what it does not know") {
  const HandoverSite site;
  CHECK(site.run({"export", "maltings.toml", "--only", "csv,st", "-o", "some"}).status == 0);
  std::vector<std::string> names;
  for (const auto& entry : fs::directory_iterator(site.file("some"))) {
    if (entry.path().filename() != ".greymet-files") names.push_back(entry.path().filename());
  }
  std::sort(names.begin(), names.end());
  CHECK(names ==
        std::vector<std::string>{"exchange.csv", "kiln.st", "library.st", "loadout.st", "maps.st"});
  const auto wrong = [&](const std::vector<std::string>& arguments, int status,
                         const std::string& message) {
    const auto outcome = site.run(arguments);
    CHECK(outcome.status == status);
    CHECK(outcome.err == message);
  };
  wrong({"export", "maltings.toml", "--only", "xslx", "-o", "some"}, 2,
        "greymet: there is no export 'xslx' (did you mean 'xlsx'?); there are json, csv, xlsx, st, "
        "plcopen, things\n");
  wrong({"export", "maltings.toml"}, 2,
        "greymet: export takes one of --out DIR, --compare PATH and --print\n");
  wrong({"export", "maltings.toml", "--compare", "nowhere"}, 3,
        "greymet: nowhere: there is no such folder or file\n");
  wrong({"export", "maltings.toml", "--compare", "maltings.toml"}, 2,
        "greymet: 'maltings.toml' has the name of no export of this plan, such as exchange.json\n");
  site.replace(
      "timeout = \"200ms\"\nretries = 1\norder   = \"due\"\npark    = { after = 3, retry = \"10s\" "
      "}",
      "timeout = \"20ms\"\nretries = 1\npark    = { after = 3, retry = \"10s\" }");
  const auto draft = site.run({"export", "maltings.toml", "-o", "some"});
  CHECK(draft.status == 1);
  CHECK(draft.err.ends_with("greymet: nothing is exported while check reports an error\n"));
}

TEST_CASE("no export and no page is left in part where a folder cannot be written") {
  const HandoverSite site;
  CHECK(site.run({"export", "maltings.toml", "-o", "maltings.toml"}).status == 3);
  CHECK(site.run({"report", "maltings.toml", "-o", "maltings.toml/x"}).status == 3);
  CHECK(site.run({"new", "maltings.toml"}).status == 3);
  // somebody's own file is not overwritten
  fs::create_directory(site.file("mine"));
  site.write("mine/exchange.json", "mine");
  site.write("mine/report.html", "mine");
  site.write("mine/plan.toml", "mine");
  for (const std::vector<std::string>& arguments :
       {std::vector<std::string>{"export", "maltings.toml", "-o", "mine"},
        {"report", "maltings.toml", "-o", "mine"},
        {"new", "mine"}}) {
    const auto outcome = site.run(arguments);
    CHECK(outcome.status == 3);
    CHECK(outcome.err.find("exists, and greymet did not write it; --force overwrites it") !=
          std::string::npos);
  }
  CHECK(site.read("mine/exchange.json") == "mine");
  CHECK(site.read("mine/report.html") == "mine");
  CHECK(site.read("mine/plan.toml") == "mine");
}

TEST_CASE("diff of a plan with itself is silent, and of two tells what it does to timing") {
  const HandoverSite site;
  const auto same = site.run({"diff", "maltings.toml", "maltings.toml"});
  CHECK(same.status == 0);
  CHECK(same.out == "no difference in the exchange\n");
  fs::copy(site.file("maltings.toml"), site.file("old.toml"));
  site.replace("fc = 16, at = \"setpoint\", count = 6, from = \"%MW1010\", every = \"1s\"",
               "fc = 16, at = \"setpoint\", count = 6, from = \"%MW1010\", every = \"500ms\"");
  const auto changed = site.run({"diff", "old.toml", "maltings.toml"});
  CHECK(changed.status == 1);
  CHECK(changed.out ==
        "transaction burner-set: period 1s -> 500ms\n"
        "what it does to timing\n"
        "  line north: use 44.79 % -> 48.45 %\n"
        "  transaction burner-set: interval bound 1163.776 ms -> 663.776 ms\n"
        "  transaction burner-release: response bound 156.328 ms -> 172.948 ms\n"
        "  transaction burner-release: interval bound 1156.328 ms -> 1172.948 ms\n");
  const Json json = Json::parse(site.run({"diff", "old.toml", "maltings.toml", "--json"}).out);
  CHECK(json["changes"].size() == 1);
  CHECK(json["timing"][0]["subject"] == "line north");
  CHECK(json["timing"][0]["what"] == "use_percent");
  CHECK(site.run({"diff", "old.toml", "nothing.toml"}).status == 2);
}

TEST_CASE("plans that git hands over find their maps beside the others") {
  const HandoverSite site;
  fs::create_directory(site.file("elsewhere"));
  fs::copy(site.file("maltings.toml"), site.file("elsewhere/abc_maltings.toml"));
  CHECK(site.run({"diff", "elsewhere/abc_maltings.toml", "maltings.toml"}).status == 2);
  const auto diff =
      site.run({"diff", "elsewhere/abc_maltings.toml", "maltings.toml", "--beside", "."});
  CHECK(diff.status == 0);
  CHECK(diff.out == "no difference in the exchange\n");
  const auto csv = site.run(
      {"export", "elsewhere/abc_maltings.toml", "--only", "csv", "--print", "--beside", "."});
  CHECK(csv.status == 0);
  CHECK(csv.out.starts_with("order,name,controller,"));
  CHECK(site.run({"export", "maltings.toml", "--print"}).err ==
        "greymet: --print takes one format of one file: --only json or csv\n");
}

TEST_CASE("report writes two pages, with what was measured beside them") {
  const HandoverSite site;
  CHECK(site.run({"rehearse", "maltings.toml", "--fast", "--duration", "5s", "--no-faults", "-o",
                  "measured"})
            .status == 0);
  const auto outcome =
      site.run({"report", "maltings.toml", "-o", "pages", "--measured", "measured"});
  CHECK(outcome.status == 0);
  CHECK(outcome.out == "wrote pages/report.html\nwrote pages/commissioning.html\n");
  const std::string page = site.read("pages/report.html");
  CHECK(page.find("From measured/rehearse.json.") != std::string::npos);
  CHECK(page.find("timeline of north") != std::string::npos);
  const auto missing = site.run({"report", "maltings.toml", "-o", "pages", "--measured", "maps"});
  CHECK(missing.status == 3);
  CHECK(missing.err == "greymet: maps: holds no rehearse.json or run.json that can be read\n");
}

TEST_CASE("a report of many connections draws the first hundred and says so") {
  const test::TemporaryFolder site;
  std::string plan =
      "[controller.plc]\nscan = \"10ms\"\n[controller.plc.memory]\n\"%MW\" = { kind = \"word\", "
      "first = 0, count = 200 }\n";
  std::string rows;
  for (int i = 1; i <= 103; ++i) {
    plan += fmt::format("[slave.s{0}]\nhost = \"10.1.1.{0}\"\n", i);
    rows += fmt::format(
        "{{ name = \"t{0}\", slave = \"s{0}\", fc = 3, at = 0, count = 1, into = \"%MW{0}\", every "
        "= \"1s\" }},\n",
        i);
  }
  site.write("plan.toml", plan + "[exchange]\ntransactions = [\n" + rows + "]\n");
  const auto outcome =
      test::run_program(GREYMET_PROGRAM, {"report", "plan.toml", "-o", "pages"}, site.path());
  CHECK(outcome.err == "");
  REQUIRE(outcome.status == 0);
  const std::string page = site.read("pages/report.html");
  CHECK(page.find("timeline of s100") != std::string::npos);
  CHECK(page.find("timeline of s101") == std::string::npos);
  CHECK(page.find("No pictures of 3 more here; greymet timing -o DIR draws them.") !=
        std::string::npos);
  CHECK(page.find(">t103<") != std::string::npos);  // in the tables all the same
}

TEST_CASE("new plans check clean, whatever they are made of") {
  const HandoverSite site;
  const std::vector<std::vector<std::string>> all{
      {},
      {"--line", "a=rtu,9600,8N2", "--line", "b=ascii,19200,7E1"},
      {"--slave", "x=10.1.1.1"},
      {"--slave", "x=10.1.1.1:5020,7", "--slave", "y=10.1.1.2,maps/air.csv"},
      {"--peer", "a=10.0.0.1", "--peer", "b=10.0.0.2"},
      {"--line", "north=rtu,19200,8E1", "--slave", "burner=north,3,maps/burner.csv", "--slave",
       "turner=north,4,maps/turner.csv", "--peer", "loadout=192.168.1.20", "--title", "A \"title\"",
       "--period", "2s"},
      {"--line", "l=rtu,1200,8E1", "--slave", "w=l,1,maps/turner.csv", "--period", "10s"},
      {"--controller", "a b", "--line", "l.1=rtu,9600,8E1", "--slave", "d \"x\"=l.1,1"},
  };
  site.write("maps/air.csv", "point,area,address,type\nready,di,4,bool\npressure,ir,1,f32\n");
  for (std::size_t i = 0; i < all.size(); ++i) {
    const std::string folder = fmt::format("new{}", i);
    std::vector<std::string> arguments{"new", folder, "--example"};
    arguments.insert(arguments.end(), all[i].begin(), all[i].end());
    INFO(fmt::format("{}", fmt::join(arguments, " ")));
    const auto outcome = site.run(arguments);
    CHECK(outcome.err == "");
    CHECK(outcome.status == 0);
    CHECK(outcome.out.find("check: no errors, no warnings, ") != std::string::npos);
    CHECK(site.run({"check", folder + "/plan.toml"}).status == 0);
    CHECK(site.run({"rehearse", folder + "/plan.toml", "--fast", "--duration", "12s"}).status == 0);
    CHECK(site.run({"export", folder + "/plan.toml", "-o", folder + "/out"}).status == 0);
  }
}

TEST_CASE("a slave joins a plan and disturbs nothing of it") {
  const HandoverSite site;
  const std::string before = site.read("maltings.toml");
  CHECK(site.run({"export", "maltings.toml", "--only", "things", "-o", "out"}).status == 0);
  site.write("out/things/air.td.json", [&] {
    std::string text = site.read("out/things/air.td.json");
    for (std::size_t at; (at = text.find("10.20.0.31")) != std::string::npos;) {
      text.replace(at, 10, "10.20.0.37");
    }
    return text;
  }());
  // from a Thing Description that knows where it is
  const auto joined = site.run(
      {"new", "--from", "out/things/air.td.json", "--slave", "air2", "--plan", "maltings.toml"});
  CHECK(joined.status == 0);
  CHECK(joined.out.find("out/things/air.td.json: 44 points\nwrote maps/air2.csv\nwrote "
                        "maltings.toml\nslave air2 stands at the end of maltings.toml\n") == 0);
  const std::string after = site.read("maltings.toml");
  CHECK(after.substr(0, before.size()) == before);
  CHECK(after.find("[slave.air2]\nhost       = \"10.20.0.37\"\n") != std::string::npos);
  // its transactions stay what they were
  const auto diff = site.run({"diff", "maltings.toml", "maltings.toml"});
  CHECK(diff.status == 0);
  CHECK(site.run({"check", "maltings.toml", "--least", "warning"}).out.find("air2") ==
        std::string::npos);
  // from a CSV file, on a line
  const auto gauge = site.run({"new", "--from", "maps/moisture.csv", "--slave", "gauge=north,13",
                               "--plan", "maltings.toml", "--numbering", "from-1"});
  CHECK(gauge.status == 0);
  CHECK(site.read("maltings.toml").substr(0, after.size()) == after);

  const auto wrong = [&](const std::vector<std::string>& arguments, const std::string& message) {
    const std::string untouched = site.read("maltings.toml");
    const auto outcome = site.run(arguments);
    CHECK(outcome.status == 2);
    CHECK(outcome.err == message);
    CHECK(site.read("maltings.toml") == untouched);
  };
  wrong({"new", "--from", "maps/moisture.csv", "--slave", "gauge=north,14", "--plan",
         "maltings.toml"},
        "greymet: the plan has a slave 'gauge' already; --update brings its map up to the table\n");
  wrong(
      {"new", "--from", "maps/moisture.csv", "--slave", "g2=nort,14", "--plan", "maltings.toml"},
      "greymet: --slave g2: 'nort' is neither a line that there is nor a host such as 192.168.1.30 "
      "(did you mean 'north'?)\n");
  wrong({"new", "--from", "maps/moisture.csv", "--slave", "g2", "--plan", "maltings.toml"},
        "greymet: say where the slave is: --slave g2=LINE,UNIT or g2=HOST,UNIT\n");
  wrong({"new", "--from", "maltings.toml", "--slave", "g2=north,14", "--plan", "maltings.toml"},
        "greymet: maltings.toml: ends neither in .csv, .txt, .html, .xlsx, .ods nor .json; - reads "
        "what is piped in\n");
  wrong({"new", "--from", "maps/moisture.csv", "--slave", "g2=north", "--plan", "maltings.toml"},
        "greymet: --slave g2: a slave on a line has a unit, e.g. g2=north,12\n");
  wrong(
      {"new", "--from", "maps/moisture.csv", "--slave", "g.2=north,13", "--plan", "maltings.toml"},
      "greymet: the name 'g.2' has a dot, at which slave.point would end\n");
  wrong({"new", "--from", "maps/moisture.csv", "--plan", "maltings.toml"},
        "greymet: --from FILE adds one slave to a plan: --slave NAME=LINE,UNIT --plan PLAN\n");
}

TEST_CASE("new says what is wrong with its options, and writes nothing then") {
  const HandoverSite site;
  const auto wrong = [&](std::vector<std::string> arguments, const std::string& message) {
    arguments.insert(arguments.begin(), {"new", "there"});
    const auto outcome = site.run(arguments);
    CHECK(outcome.status == 2);
    CHECK(outcome.err == "greymet: " + message + "\n");
    CHECK_FALSE(site.has("there"));
  };
  wrong({"--line", "north"}, "--line takes NAME=..., e.g. north=rtu,19200,8E1; found 'north'");
  wrong({"--line", "north=rtu,fast,8E1"},
        "--line north: 'fast' is no baud rate; it takes NAME=rtu|ascii,BAUD,FORMAT, e.g. "
        "north=rtu,19200,8E1");
  const std::string line_form = "; it takes NAME=rtu|ascii,BAUD,FORMAT, e.g. north=rtu,19200,8E1";
  wrong({"--line", "bus=rtu,19200"},
        "--line bus: the format is missing: bus=rtu,19200,8E1" + line_form);
  wrong({"--line", "bus=ASCII,9600"},
        "--line bus: the format is missing: bus=ascii,9600,7E1" + line_form);
  wrong({"--line", "bus=can,19200,8E1"},
        "--line bus: the mode is 'can', and is rtu or ascii" + line_form);
  wrong({"--line", "bus=rtu"}, "--line bus: the baud rate and the format are missing" + line_form);
  wrong(
      {"--line", "bus=rtu,9600,8,E,1"},
      "--line bus: '8' is no format: data bits, parity N, E or O, stop bits, together" + line_form);
  wrong({"--line", "bus=rtu,9600,8E1,2"}, "--line bus: '2' is too much" + line_form);
  wrong({"--line", "bus=rtu,9600,8E1", "--slave", "scale=bus,7,ascii"},
        "--slave scale: behind the unit stands its register map, and 'ascii' is none; the mode is "
        "the line's: a device in ASCII has a line of its own, --line NAME=ascii,9600,7E1");
  wrong({"--line", "a=rtu,9600,8E1", "--line", "a=rtu,9600,8E1"}, "the name 'a' is given twice");
  wrong({"--line", "a=rtu,9600,8E1", "--slave", "x=a,300"},
        "--slave x: unit '300' is not 1 to 247");
  wrong({"--slave", "x=somewhere"},
        "--slave x: 'somewhere' is neither a line that there is nor a host such as 192.168.1.30");
  wrong({"--slave", "x=10.0.0.1", "--slave", "x=10.0.0.2"}, "the name 'x' is given twice");
  wrong({"--slave", "x=10.0.0.1,4,a.csv,b"},
        "--slave x: 'b' is too much; it takes a line or host, a unit, a map and how its manual "
        "counts: from-0, from-1 or reference");
  const auto dot = [](const std::string& name) {
    return "the name '" + name + "' has a dot, at which slave.point would end";
  };
  wrong({"--slave", "x.1=10.0.0.1"}, dot("x.1"));
  wrong({"--peer", "y.1=10.0.0.1"}, dot("y.1"));
  wrong({"--controller", "z.1"}, dot("z.1"));
  wrong({"--controller", ""}, "slaves and controllers have a name");
  wrong({"--period", "often"}, "--period takes a time such as 1s; found 'often'");
  wrong({"--numbering", "from-2"}, "--numbering is from-0, from-1 or reference; found 'from-2'");
  wrong({"--slave", "x=10.0.0.1,nothing.csv"}, "nothing.csv: No such file or directory");
}
