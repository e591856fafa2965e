// Names that want out: whatever a plan calls its things, no output steers a terminal, hides text,
// breaks a document or becomes a formula; and what lies outside the plan's folder is not shown.
#include <unistd.h>

#include <filesystem>
#include <set>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "model/utf8_text.h"
#include "plans.h"
#include "process.h"

using namespace greymet;
using Json = nlohmann::json;
namespace fs = std::filesystem;

namespace {

// ESC and CSI, a tab, an override of direction, a zero-width blank, a noncharacter, and a formula
const std::string evil = R"(=1+\"<&'%\u001B[2J\u009B\u202E\u200B\uFFFE\t)";

std::string named(std::string plan) {
  for (std::size_t at = plan.find('$'); at != std::string::npos; at = plan.find('$', at)) {
    plan.replace(at, 1, evil);
  }
  return plan;
}

const std::string hostile_plan = named(R"([plan]
title = "$"
revision = "$"
[controller."$kiln"]
scan = "10ms"
address = "10.20.0.10/24"
[controller."$kiln".memory]
"$%MW" = { kind = "word", first = 0, count = 1000, serves = "hr:0" }
[controller."$load"]
tags = "tags.csv"
scan = "8ms"
address = "10.20.0.12/24"
answers = [ { port = 502 } ]
[controller."$load".memory]
"%MW" = { kind = "word", first = 0, count = 500, serves = "hr:0" }
[line."$north"]
master = "$kiln"
mode = "rtu"
baud = 19200
format = "8E1"
[slave."$gauge"]
line = "$north"
unit = 12
map = "gauge.csv"
reply = { typical = "5ms", max = "20ms" }
[exchange]
transactions = [
  { name = "$t1", slave = "$gauge", fc = 3, at = 0, count = 4, into = "$%MW10", every = "1s" },
  { name = "$t2", controller = "$kiln", slave = "$load", fc = 16, at = "%MW0", count = 4, from = "$%MW100", every = "100ms" },
]
copies = [ { controller = "$kiln", from = "$%MW10", to = "$%MW100", count = 2 } ]
wants = [ { slave = "$gauge", points = ["*"], every = "2s", into = "$%MW500" } ]
[supervision]
heartbeats = [ { name = "$beat", from = "$kiln", bit = "$%MW103.0", toggle = "1s", to = "$load", watch = "3s", react = "5s", on_loss = "alarm" } ]
)");

class HostileSite : public test::TemporaryFolder {
 public:
  HostileSite() {
    write("plan.toml", hostile_plan);
    write("tags.csv",
          "tag,address,type,unit,from\n=\x1b[2Jt\xE2\x80\xAE,%MW0,REAL,@x,program\n"
          "\xC2\x9B,%MW2,REAL,,program\n");
    write("gauge.csv",
          "point,area,address,type,unit,note\np,hr,0,f32,=\x1b[2J\xE2\x80\xAE,\xC2\x9B\n"
          "q,hr,2,f32,@x,y\n");
  }
  [[nodiscard]] test::Outcome run(const std::vector<std::string>& arguments) const {
    return test::run_program(GREYMET_PROGRAM, arguments, path());
  }
};

// What stands in a text and must not; line ends are allowed.
std::set<std::uint32_t> hidden_in(const std::string& text) {
  std::set<std::uint32_t> found;
  for (std::size_t at = 0; at < text.size();) {
    std::size_t behind = at;
    const auto point = model::decode(text, at, behind);
    if (!point) {
      found.insert(0xFFFFFFFF);
    } else if (*point != '\n' && model::is_hidden(*point)) {
      found.insert(*point);
    }
    at = behind;
  }
  return found;
}

}  // namespace

TEST_CASE("no name gets out of its text, in any command and any file") {
  const HostileSite site;
  std::size_t runs = 0;
  for (const std::vector<std::string>& command : std::vector<std::vector<std::string>>{
           {"check", "plan.toml"},
           {"timing", "plan.toml", "-o", "out", "--pairs", "--frame-errors", "1e-4"},
           {"memory", "plan.toml", "-o", "out"},
           {"points", "plan.toml", "-o", "out"},
           {"points", "plan.toml", "--tags", "\x1b[31mkiln"},
           {"points", "plan.toml", "\xE2\x80\xAE"},
           {"pack", "plan.toml", "-o", "packed"},
           {"tune", "plan.toml", "-o", "out"},
           {"export", "plan.toml", "-o", "out"},
           {"frame", "plan.toml"},
           {"frame", "plan.toml", "\x1b[2J"},
           {"memory", "plan.toml", "\xE2\x80\xAE"},
           {"address", "40001", "--plan", "plan.toml"},
           {"address", "\x1b]0;x\x07", "--plan", "plan.toml"},
           {"check", "\x1b[2J.toml"},
           {"explain", "\x1b[2J"},
           {"value", "4142", "9B1B", "--type", "text(4)"}}) {
    for (const char* format : {"text", "json"}) {
      auto arguments = command;
      if (command[0] != "export") arguments.insert(arguments.end(), {"--format", format});
      INFO(command[0] << " " << format);
      const auto outcome = site.run(arguments);
      CHECK(outcome.status <= 2);
      CHECK(hidden_in(outcome.out).empty());
      CHECK(hidden_in(outcome.err).empty());
      if (std::string(format) == "json" && outcome.status == 0 && command[0] != "export") {
        CHECK_FALSE(Json::parse(outcome.out, nullptr, false).is_discarded());
      }
      runs += outcome.status == 0 ? 1 : 0;
    }
  }
  CHECK(runs >= 16);  // most of them had something to show
  std::size_t files = 0;
  for (const auto& entry : fs::recursive_directory_iterator(site.file("out"))) {
    const std::string name = fs::relative(entry.path(), site.path());
    if (entry.path().extension() == ".png" || entry.path().extension() == ".xlsx") continue;
    INFO(name);
    ++files;
    std::string text = site.read(name);
    if (entry.path().extension() == ".csv" || entry.path().extension() == ".svg") {
      std::erase_if(text, [](char c) { return c == '\r' || c == '\t'; });
    }
    CHECK(hidden_in(text).empty());
    CHECK(hidden_in(name).empty());
    if (entry.path().extension() == ".json") CHECK(Json::accept(text));
  }
  CHECK(files >= 10);
  // RFC 4180 quotes are doubled; no cell begins as a formula does
  const std::string csv = site.read("out/exchange.csv");
  CHECK(csv.find("\"'=1+\"\"<&'%\\u{1B}[2J") != std::string::npos);
  CHECK(csv.find(",=") == std::string::npos);
  CHECK(csv.find("\"=") == std::string::npos);
}

TEST_CASE("a file outside the plan's folder is not shown, whatever is wrong with it") {
  const test::TemporaryFolder temporary;
  const std::string secret = "root:secret:0:0\nand:more:1:1\n";
  temporary.write("secret", secret);
  fs::create_directories(temporary.file("site/a"));
  const auto outcome = [&](const std::string& text) {
    temporary.write("site/plan.toml", text);
    return test::run_program(GREYMET_PROGRAM, {"check", "site/plan.toml"}, temporary.path());
  };
  const std::string absolute = temporary.file("secret");
  for (const std::string& name :
       {std::string("../secret"), absolute, std::string("a/../../secret")}) {
    for (const std::string& text :
         {"[exchange]\ntable = \"" + name + "\"\n",
          test::replaced(test::base_plan(), "gauge.csv", name),
          test::replaced(test::base_plan(), "[controller.kiln]\n",
                         "[controller.kiln]\nmodel = \"" + name + "\"\n")}) {
      const auto found = outcome(text);
      INFO(text);
      CHECK(found.status >= 1);
      CHECK(found.out.find("lies outside the plan's folder and is not ") != std::string::npos);
      CHECK(found.out.find("secret:0") == std::string::npos);
      CHECK(found.out.find("more:1") == std::string::npos);
    }
  }
  // a map from elsewhere that is one is used, but not quoted
  temporary.write("gauge.csv", test::base_files().at("gauge.csv") + "odd,hr,99999,u16,rw\n");
  temporary.write("site/pump.csv", test::base_files().at("pump.csv"));
  const auto shared = outcome(test::replaced(test::base_plan(), "gauge.csv", "../gauge.csv"));
  CHECK(shared.out.find("gauge.csv:19:") != std::string::npos);
  CHECK(shared.out.find("odd,hr,99999") == std::string::npos);
}

TEST_CASE("pack -o writes a whole plan or says why it cannot") {
  const test::TemporaryFolder temporary;
  const std::string wants =
      test::base_plan() +
      "[exchange]\nwants = [ { slave = \"gauge\", points = [\"moisture\"], every = \"1s\", into = "
      "\"%MW0\" } ]\n";
  temporary.write("site/pack.json", wants);
  temporary.write("gauge.csv", test::base_files().at("gauge.csv"));
  temporary.write("site/gauge.csv", test::base_files().at("gauge.csv"));
  temporary.write("site/pump.csv", test::base_files().at("pump.csv"));
  temporary.write("site/plan.toml", test::replaced(wants, "gauge.csv", "../gauge.csv"));
  const auto pack = [&](const std::string& plan_file) {
    return test::run_program(GREYMET_PROGRAM, {"pack", plan_file, "-o", "out"}, temporary.path());
  };
  const auto outside = pack("site/plan.toml");
  CHECK(outside.status == 2);
  CHECK(outside.err ==
        "greymet: site/../gauge.csv lies outside the plan's folder and would be missing in out: "
        "move it there, or use --write\n");
  // however its name is spelt, a map within the folder comes along
  temporary.write("site/plan.toml", test::replaced(wants, "gauge.csv", "./a/../gauge.csv"));
  fs::create_directory(temporary.file("site/a"));
  CHECK(pack("site/plan.toml").status == 0);
  CHECK(temporary.read("out/gauge.csv") == temporary.read("site/gauge.csv"));
  fs::remove_all(temporary.file("out"));
  const auto like_result = pack("site/pack.json");
  CHECK(like_result.status == 2);
  CHECK(like_result.err == "greymet: the plan is called pack.json, as the result is: rename it\n");
  CHECK_FALSE(temporary.has("out/pack.json"));
}

#ifndef GREYMET_SANITIZED  // sanitizers need more address space than any limit
TEST_CASE("no plan of up to 16 MB takes more than 640 MB, whatever its megabytes are made of") {
  struct Family {
    std::size_t entries;
    const char* head;
    const char* entry;  // # is its number
    const char* tail;
  };
  const test::TemporaryFolder temporary;
  // each about as long as what is read of its kind
  for (const Family& family :
       {Family{190'000, "[exchange]\ntransactions = [", "{name=\"a\",fc=3},", "]\n"},
        Family{990'000, "[exchange]\ntransactions = [{points=[", "\"\",", "]}]\n"},
        Family{990'000, "x = [", "[],", "]\n"}, Family{330'000, "", "slave.a#.x=1\n", ""}}) {
    std::string text = family.head;
    const std::string entry = family.entry;
    const std::size_t number = entry.find('#');
    for (std::size_t i = 0; i < family.entries && text.size() + 40 < std::size_t{16} << 20; ++i) {
      text += entry.substr(0, number);
      if (number != std::string::npos) text += std::to_string(i) + entry.substr(number + 1);
    }
    temporary.write("plan.toml", text + family.tail);
    const auto outcome =
        test::run_program("/bin/sh",
                          {"-c", std::string("ulimit -v 655360; exec ") + GREYMET_PROGRAM +
                                     " check --format json plan.toml >/dev/null"},
                          temporary.path());
    INFO(family.entry << " " << outcome.err);
    CHECK((outcome.status == 1 || outcome.status == 2));  // mistakes, or not read at all
  }
}

// What a byte may ask for again and again: the same map for many slaves, the same text in many
// cells, blocks of many values. Every command keeps to the same bound, or says what is too much.
TEST_CASE("no list that a plan makes takes more than 640 MB, in any command") {
  const test::TemporaryFolder temporary;
  const auto run = [&](const std::string& command) {
    const auto outcome =
        test::run_program("/bin/sh",
                          {"-c", std::string("ulimit -v 720000; exec ") + GREYMET_PROGRAM + " " +
                                     command + " >/dev/null"},
                          temporary.path());
    INFO(command << ": " << outcome.err.substr(0, 300));
    CHECK(outcome.status <= 2);
    CHECK(outcome.err.find("not enough memory") == std::string::npos);
  };
  const auto number = [](std::size_t n) { return std::to_string(n); };
  std::string map = "point,area,address,type\n";
  for (std::size_t i = 0; i < 9000; ++i) map += "p" + number(i) + ",hr," + number(i) + ",u16\n";
  temporary.write("m.csv", map);
  // many slaves of one large map
  std::string slaves = "[controller.plc]\nscan = \"10ms\"\naddress = \"10.0.0.1/8\"\n";
  slaves += "[controller.plc.memory]\n\"%MW\" = { kind = \"word\", first = 0, count = 60000 }\n";
  std::string rows;
  for (std::size_t i = 0; i < 1500; ++i) {
    slaves += "[slave.s" + number(i) + "]\nhost = \"10.1." + number(i / 250) + "." +
              number(i % 250 + 2) + "\"\nmap = \"m.csv\"\n";
    rows += "{ name = \"t" + number(i) + "\", slave = \"s" + number(i) +
            "\", fc = 3, at = 0, count = 1, into = \"%MW" + number(i) +
            "\", every = \"60s\", on_loss = \"hold\" },\n";
  }
  temporary.write("shared.toml", slaves + "[exchange]\ntransactions = [\n" + rows + "]\n");
  // few slaves, and blocks of as many values as a request carries
  std::string blocks = slaves.substr(0, slaves.find("[slave.s30]"));
  rows.clear();
  for (std::size_t i = 0; i < 2000; ++i) {
    rows += "{ name = \"t" + number(i) + "\", slave = \"s" + number(i % 30) +
            "\", fc = 3, at = " + number(i / 30 * 125) + ", count = 125, into = \"%MW" +
            number(i * 125 % 50000) + "\", every = \"60s\", on_loss = \"hold\" },\n";
  }
  temporary.write("blocks.toml", blocks + "[exchange]\ntransactions = [\n" + rows + "]\n");
  for (const std::string plan : {"shared.toml", "blocks.toml"}) {
    for (const std::string command : {"check ", "check --format json ", "points ", "points --json ",
                                      "memory ", "memory --json ", "tune "}) {
      run(command + plan);
    }
    run("report " + plan + " -o report");
    run("export " + plan + " -o export");
    run("rehearse --fast --no-faults --duration 1s " + plan);
  }
  // thousands of headings over short rows
  std::string wide = "point,area,address,type";
  for (std::size_t i = 0; i < 8000; ++i) wide += ",c" + number(i);
  wide += "\n";
  for (std::size_t i = 0; i < 60'000; ++i) wide += "p,hr," + number(i) + ",u16,x\n";
  temporary.write("wide.csv", wide);
  run("new p --line l=rtu,19200,8E1 --slave a=l,1,wide.csv");
}
#endif

TEST_CASE("what runs out, is left out or has no terminal ends as it should") {
  const HostileSite site;
#ifndef GREYMET_SANITIZED
  // 20 MB of address space are enough to start, and not to read a large map
  std::string map = "point,area,address,type,access\n";
  for (int i = 0; i < 60'000; ++i)
    map += "p" + std::to_string(i) + ",hr," + std::to_string(i) + ",u16,rw\n";
  site.write("gauge.csv", map);
  const auto limited = test::run_program(
      "/bin/sh",
      {"-c", std::string("ulimit -v 25000; exec ") + GREYMET_PROGRAM + " check plan.toml"},
      site.path());
  CHECK(limited.status == 3);
  CHECK(limited.err == "greymet: there is not enough memory for this\n");
#endif
  for (const char* number : {"nan", "inf", "-inf", "1e999"}) {
    INFO(number);
    CHECK(site.run({"value", "0001", "--type", "u16", std::string("--factor=") + number}).status ==
          2);
    CHECK(site.run({"value", "0001", "--type", "u16", std::string("--offset=") + number}).status ==
          2);
    CHECK(site.run({"value", "0001", "--type", "u16", std::string("--near=") + number}).status ==
          2);
    CHECK(site.run({"timing", "plan.toml", std::string("--frame-errors=") + number}).status == 2);
  }
}
