// Whole plans through the loader: typed values with their places, and hostile or broken files.
#include <catch2/catch.hpp>

#include <sstream>

#include <set>

#include <fmt/format.h>

#include "archive.h"
#include "files/source_text.h"
#include "model/duration_text.h"
#include "model/resolved_plan.h"
#include "plans.h"

using namespace greymet;
using test::findings_of;
using test::replaced;
using test::with_rows;

namespace {

// The first finding of a plan whose slave gauge has this line.
std::string slave_line(const std::string& line) {
  const auto all = findings_of(
      replaced(with_rows({}), "map = \"gauge.csv\"\n", "map = \"gauge.csv\"\n" + line + "\n"));
  return all.empty() ? "" : all.front();
}

std::string transaction(const std::string& rest) {
  const auto all = findings_of(with_rows({"{ name = \"t\", slave = \"gauge\", " + rest + " }"}));
  return all.empty() ? "" : all.front();
}

}  // namespace

TEST_CASE("every value keeps its file, line and column") {
  const auto loaded = test::load(
      with_rows(
          {R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", phase = "250ms", on_loss = "hold" })"}),
      test::base_files());
  const auto& t = loaded.plan.plan.transactions.at(0);
  CHECK(t.phase->value == model::Duration(std::chrono::milliseconds(250)));
  CHECK(test::begin_of(t.phase->place) == test::Spot{0, 25, 98});
  CHECK(t.on_loss->value == model::OnLoss::hold);
  const auto& slave = loaded.plan.plan.slaves.at(0);
  CHECK(test::begin_of(slave.unit->place) == test::Spot{0, 13, 8});
  CHECK(slave.reply->value.max == model::Duration(std::chrono::milliseconds(20)));
  CHECK(loaded.sources[1].name == "gauge.csv");
  CHECK(test::begin_of(loaded.plan.plan.maps[0].points()[1].place) == test::Spot{1, 3, 1});
}

TEST_CASE("wrong values are named with what was expected") {
  CHECK(slave_line("unit_load = \"much\"") ==
        "error P05 15:13 slave gauge: `unit_load` is \"much\"");
  CHECK(slave_line("max_read = 0") == "error P05 15:12 slave gauge: `max_read` is 0");
  CHECK(slave_line("holes = \"refuses\"") == "error P05 15:9 slave gauge: `holes` is \"refuses\"");
  CHECK(slave_line("watchdog = 2").substr(0, 65) ==
        "error P05 15:12 slave gauge: `watchdog` is 2, a number without a ");
  CHECK(slave_line("functions = [3, \"4\"]") ==
        "error P05 15:17 slave gauge: `functions` is \"4\"");
  CHECK(slave_line("word_order = \"CDAB\"").find("P04") !=
        std::string::npos);  // it is there already
  CHECK(slave_line("settings = 5") == "error P05 15:12 slave gauge: `settings` is 5");
  CHECK(slave_line("host = \"10.0.0.1\"").find("a slave is on a `line` or at a `host`, not both") !=
        std::string::npos);
  CHECK(slave_line("idle = \"5s\"").find("`idle` belongs to slaves with a `host`") !=
        std::string::npos);
  CHECK(slave_line("character_gap = 1.6") == "error P05 15:17 slave gauge: `character_gap` is 1.6");
  CHECK(slave_line("scans = 10").substr(0, 59) ==
        "error P05 15:9 slave gauge: `scans` is 10, a number without");
  CHECK(slave_line("wordorder = \"CDAB\"") ==
        "error P02 15:1 slave gauge: unknown key `wordorder`");
  CHECK(transaction(R"(fc = 3, at = 0, count = 8, into = "%MW0", every = "0ms")")
            .find("`every` is \"0ms\"") != std::string::npos);
  CHECK(transaction(R"(fc = 99, at = 0, count = 8, into = "%MW0", every = "1s")")
            .find("function code 99 moves no registers") != std::string::npos);
  CHECK(transaction(R"(fc = 3, at = 0, count = 1000000000, into = "%MW0", every = "1s")")
            .find("count 1000000000 is out of range: 1 to 65536") != std::string::npos);
  CHECK(transaction(R"(fc = 3, at = -1, count = 1, into = "%MW0", every = "1s")")
            .find("`at` is -1") != std::string::npos);
  CHECK(transaction(R"(fc = 3, at = "hr:4.2", count = 1, into = "%MW0", every = "1s")")
            .find("names a bit of a register") != std::string::npos);
  CHECK(transaction(R"(fc = 3, at = "%MW4", count = 1, into = "%MW0", every = "1s")")
            .find("memory of a controller, and gauge is none") != std::string::npos);
  CHECK(transaction(R"(fc = 3, at = 0, count = 8, into = "%MW0.3", every = "1s")")
            .find("'%MW0.3' names one bit, the block has 8") != std::string::npos);
}

TEST_CASE("keys without effect are refused, not ignored") {
  CHECK(transaction(R"(fc = 6, at = 12, from = "%MW0", on = "start", phase = "1s")")
            .find("`phase` has no effect here: it belongs to a period") != std::string::npos);
  CHECK(transaction(R"(fc = 6, at = 12, from = "%MW0", every = "1s", min_gap = "1s")")
            .find("`min_gap` has no effect here: it belongs to `on`") != std::string::npos);
  CHECK(transaction(R"(fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", phase = "1s")")
            .empty());
  const auto far = findings_of(with_rows({}) + "[slave.far]\nhost = \"10.0.0.7\"\nunit = 256\n");
  REQUIRE(far.size() == 1);
  CHECK(far[0].find("slave far: `unit` is 256") != std::string::npos);
}

TEST_CASE("missing keys are named, and the consequence of a slip is not") {
  CHECK(transaction(R"(fc = 3, at = 0, into = "%MW0", every = "1s")")
            .find("P06 25:47 transaction t: `count` is missing") != std::string::npos);
  CHECK(transaction(R"(at = 0, count = 1, into = "%MW0", every = "1s")").find("`fc` is missing") !=
        std::string::npos);
  CHECK(transaction(R"(fc = 3, at = 0, count = 1, every = "1s")").find("`into` is missing") !=
        std::string::npos);
  CHECK(
      transaction(R"(fc = 3, at = 0, count = 1, into = "%MW0")").find("neither `every` nor `on`") !=
      std::string::npos);
  CHECK(transaction(R"(fc = 6, at = 12, from = "%MW0", on = "change")")
            .find("`min_gap` is missing") != std::string::npos);
  const auto misspelt = findings_of(with_rows(
      {R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", evry = "1s" })"}));
  CHECK(misspelt == std::vector<std::string>{"error P02 25:76 transaction t: unknown key `evry`"});
}

TEST_CASE("keys below a block of transactions are sent where they belong") {
  const std::string plan =
      test::base_plan() +
      "[[exchange.transactions]]\nname = \"t\"\nslave = \"gauge\"\nfc = 3\nat = 0\ncount = 8\n"
      "into = \"%MW0\"\nevery = \"1s\"\ncopies = []\n";
  const auto loaded = test::load(plan, test::base_files());
  REQUIRE(loaded.findings.size() == 1);
  CHECK(loaded.findings[0].remedy == "`copies` belongs above the first [[exchange.transactions]]");
}

TEST_CASE("transactions may stand in a CSV, rows before those of the plan") {
  auto files = test::base_files();
  files["x.csv"] =
      "name,slave,fc,at,count,into,from,every,phase,read.at,read.count,read.into,write.at,write."
      "count,write.from,status.failed,points\n"
      "a,gauge,3,0,8,%MW0,,1s,100ms,,,,,,,%MX5,\n"
      "b,gauge,23,,,,,1s,,0,2,%MW20,10,3,%MW30,,\n"
      "c,gauge,,,,%MW40,,1s,,,,,,,,,raw1 raw3\n";
  const auto loaded = test::load(
      replaced(
          with_rows(
              {R"({ name = "d", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW50", every = "1s" })"}),
          "[exchange]\n", "[exchange]\ntable = \"x.csv\"\n"),
      files);
  for (const auto& f : loaded.findings) FAIL_CHECK(f.message);
  REQUIRE(loaded.plan.transactions.size() == 4);
  CHECK(loaded.plan.plan.transactions[0].name == "a");
  CHECK(loaded.plan.plan.transactions[3].name == "d");
  CHECK(loaded.plan.transactions[1].write->quantity == 3);
  CHECK(loaded.plan.transactions[2].read->quantity == 3);
  CHECK(test::begin_of(loaded.plan.transactions[0].status[0].place) == test::Spot{1, 2, 36});
  CHECK(test::begin_of(loaded.plan.plan.transactions[0].phase->place) == test::Spot{1, 2, 24});
}

TEST_CASE("files that cannot be used are findings, and the rest is read") {
  const std::string plan = with_rows(
      {R"({ name = "t", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s" })"});
  const auto outcome = [&](const std::string& map) {
    auto files = test::base_files();
    files["gauge.csv"] = map;
    const auto loaded = test::load(plan, files);
    return fmt::format("{} {}", loaded.unreadable ? "unreadable" : "read",
                       loaded.findings.empty() ? "" : loaded.findings[0].message);
  };
  CHECK(outcome("") == "read 'gauge.csv' is empty");
  CHECK(outcome(std::string("point\0", 6)).find("is not UTF-8 text: byte 0x00 in line 1") !=
        std::string::npos);
  CHECK(outcome("point,area\n\xFF").find("byte 0xFF in line 2") != std::string::npos);
  auto files = test::base_files();
  files.erase("gauge.csv");
  const auto missing = test::load(plan, files);
  CHECK(missing.unreadable);
  CHECK(missing.findings[0].message == "'gauge.csv' cannot be read: No such file or directory");
  CHECK(missing.plan.transactions[0].read.has_value());
  const auto itself = test::load(replaced(plan, "gauge.csv", "plan.toml"), test::base_files());
  CHECK(itself.findings.at(0).message == "'plan.toml' is the plan itself");
  CHECK_FALSE(itself.unreadable);
}

TEST_CASE("lists, things of a kind and tables end at 65536, and a plan of mistakes at 10000") {
  const auto many = [](std::size_t count, const char* before, const char* each,
                       const char* behind) {
    std::string text = before;
    for (std::size_t i = 0; i < count; ++i) text += fmt::format(fmt::runtime(each), i);
    return text + behind;
  };
  const auto has = [](const std::string& plan, const std::string& text, test::Files files = {}) {
    for (const auto& f : test::load(plan, std::move(files)).findings) {
      if (f.message == text && f.severity == model::Severity::error) return true;
    }
    return false;
  };
  const std::string copies = "65537 entries of `copies`: at most 65536 are read";
  CHECK(has(many(65'537, "[exchange]\ncopies = [", "{{}},", "]\n"), copies));
  CHECK_FALSE(has(many(65'536, "[exchange]\ncopies = [", "{{}},", "]\n"), copies));
  const std::string lines = "65537 tables [line.*]: at most 65536 are read";
  CHECK(has(many(65'537, "", "line.l{}={{}}\n", ""), lines));
  const std::string table = "[exchange]\ntable = \"t.csv\"\n";
  const std::string rows = "has more than 65536 rows";
  CHECK(has(table, rows, {{"t.csv", many(65'537, "name,slave,fc\n", "n{},s,3\n", "")}}));
  const std::string mistakes = "more than 10000 mistakes in what is read: the rest is not listed";
  CHECK(has(many(10'001, "[plan]\n", "k{}=1\n", ""), mistakes));
  CHECK_FALSE(has(many(10'000, "[plan]\n", "k{}=1\n", ""), mistakes));
  CHECK(test::load(many(30'000, "[plan]\n", "k{}=1\n", "")).findings.size() == 10'001);
}

TEST_CASE("hostile plans are refused without harm") {
  CHECK(test::load("").findings.at(0).message == "is empty: it declares nothing");
  CHECK(test::load(std::string(1 << 16, '\0')).unreadable);
  CHECK(test::load("\x7F"
                   "ELF\x02\x01\x01")
            .unreadable);
  CHECK(files::load_plan("nowhere.toml", files::memory_files({})).unreadable);
  CHECK(files::load_plan("/tmp", files::disk_files()).findings[0].message ==
        "cannot be read: is a directory");
  CHECK(files::load_plan("/dev/zero", files::disk_files()).findings[0].message ==
        "cannot be read: is not a regular file");
  const auto large = files::load_plan(
      "plan.toml", files::memory_files({{"plan.toml", std::string(files::largest_plan + 1, ' ')}}));
  CHECK(large.findings[0].message == "cannot be read: is larger than 16 MB");
  std::string nested = "x = ";
  for (int i = 0; i < 300; ++i) nested += "[";
  CHECK(test::load(nested).unreadable);
  // tables where values belong, and the reverse
  for (const char* text : {"slave = 5\n", "[slave]\nx = 5\n", "exchange = []\n",
                           "[exchange]\ntransactions = 5\n", "[exchange]\ntransactions = [5]\n",
                           "[controller.a]\nmemory = 5\n", "[controller.a.memory]\n\"%MW\" = 5\n",
                           "[supervision]\nheartbeats = [{}]\n", "[plan]\ntitle = 5\n"}) {
    INFO(text);
    const auto loaded = test::load(text);
    CHECK_FALSE(loaded.findings.empty());
    CHECK_FALSE(loaded.unreadable);
  }
}

TEST_CASE("a model of a controller is read like the plan") {
  auto files = test::base_files();
  files["m.toml"] = "functions = [3]\nmin_period = 20\nspeed = 1\n";
  const auto loaded = test::load(
      replaced(with_rows({}), "scan = \"10ms\"\n", "scan = \"10ms\"\nmodel = \"m.toml\"\n"), files);
  REQUIRE(loaded.findings.size() == 2);
  CHECK(loaded.findings[0].message == "`min_period` is 20, a number without a unit");
  CHECK(loaded.findings[1].message == "unknown key `speed`");
  CHECK(loaded.sources[loaded.findings[1].place.file].name == "m.toml");
  CHECK(loaded.plan.plan.controllers[0].model->functions->value.size() == 1);
}

TEST_CASE("names, accepts and paths are looked up") {
  const std::string plan = with_rows(
      {R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s" })"});
  const auto message = [&](const std::string& more) {
    const auto all = findings_of(plan + more);
    return all.empty() ? std::string() : all.front();
  };
  CHECK(message("[review]\naccepts = [ { rule = \"F1\", at = \"x\", why = \"y\" } ]\n")
            .find("'F1' is no code of a rule") != std::string::npos);
  CHECK(message("[supervision]\npaths = [ { name = \"p\", from = \"gauge.tmp\", to = "
                "\"kiln.%MW3\", budget = \"1s\" } ]\n")
            .find("P03 28:32 path p: slave gauge has no point 'tmp' (did you mean 'temp'?)") !=
        std::string::npos);
  CHECK(message("[supervision]\npaths = [ { name = \"p\", from = \"gauge.temp\", to = "
                "\"kiln.%MW3\", budget = \"1s\" } ]\n")
            .empty());
  CHECK(message("[supervision]\npaths = [ { name = \"p\", from = \"temp\", to = \"kiln.%MW3\", "
                "budget = \"1s\" } ]\n")
            .find("P05") != std::string::npos);
  CHECK(message("[slave.kiln]\nline = \"north\"\nunit = 3\n")
            .find("'kiln' names both a slave and a controller") != std::string::npos);
  CHECK(
      message("[slave.\"gauge.2\"]\nline = \"north\"\nunit = 3\n")
          .find("P05 27:1 slave gauge.2: the name 'gauge.2' has a dot: before a point nobody could "
                "tell where it ends") != std::string::npos);
  CHECK(message("[controller.\"a.b\"]\nscan = \"10ms\"\n").find("before a tag or memory nobody") !=
        std::string::npos);
  for (const std::string thing : {"slave", "line", "gateway", "controller"}) {
    CHECK(message("[" + thing + ".\"\"]\n").find("the " + thing + " has an empty name") !=
          std::string::npos);
  }
  CHECK(message("[slave.z]\nline = \"nort\"\nunit = 3\n").find("unknown line 'nort'") !=
        std::string::npos);
  CHECK(message("[line.z]\nmode = \"rtu\"\nbaud = 9600\nformat = \"8E1\"\n")
            .find("neither `master` nor `via`") != std::string::npos);
}

TEST_CASE("a cure as data removes its finding when it is carried out") {
  // every finding with edits, in a plan with slips of all the kinds that have some
  const std::string plan = test::replaced(
      test::replaced(
          with_rows(
              {R"({ name = "t", slave = "guage", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_lss = "hold" })"}),
          "word_order = \"CDAB\"", "wordorder = \"CDAB\""),
      "master = \"kiln\"", "master = \"klin\"");
  const auto loaded = test::load(plan, test::base_files());
  std::size_t cured = 0;
  for (const auto& f : loaded.findings) {
    if (f.fixes.empty()) continue;
    INFO(to_text(f.subject) << ": " << f.message);
    std::string changed = plan;
    REQUIRE(f.fixes.front().edits.size() == 1);
    const model::Edit& edit = f.fixes.front().edits.front();
    const files::SourceText source(plan);
    const std::size_t begin = source.offset(edit.range.line, edit.range.column);
    const std::size_t end = source.offset(edit.range.end_line, edit.range.end_column);
    changed.replace(begin, end - begin, edit.text);
    const auto again = test::load(changed, test::base_files());
    CHECK(again.findings.size() < loaded.findings.size());
    for (const auto& g : again.findings) CHECK(g.message != f.message);
    ++cured;
  }
  CHECK(cured == 4);
}

TEST_CASE("a misspelt owner in a path gets no cure that would drop the point") {
  const auto loaded = test::load(
      with_rows({}) +
          "[supervision]\npaths = [ { name = \"p\", from = \"guage.temp\", to = \"kiln.%MW3\", "
          "budget = \"1s\" } ]\n",
      test::base_files());
  REQUIRE(loaded.findings.size() == 1);
  CHECK(loaded.findings[0].rule == model::RuleCode::P03);
  CHECK(loaded.findings[0].remedy == "write 'gauge'");
  CHECK(loaded.findings[0].fixes.empty());
}

TEST_CASE(
    "keys of ports and slaves where they do not belong, and delays that contradict themselves") {
  const auto words = [](const std::string& text) {
    std::vector<std::string> out;
    for (const auto& f : test::load(text, test::base_files()).findings) {
      out.push_back(fmt::format("{}: {} | {}", f.subject, f.message, f.remedy));
    }
    return out;
  };
  const std::string plan =
      test::base_plan() +
      "[gateway.box]\nhost = \"10.0.0.9\"\n[line.roof]\nvia = "
      "\"box\"\nmode = \"rtu\"\nbaud = 9600\nformat = \"8N2\"\n[slave.air]\nhost = "
      "\"10.0.0.8\"\n";
  CHECK(words(plan).empty());
  CHECK(words(test::replaced(plan, "via = \"box\"\n",
                             "via = \"box\"\nlatency = { typical = \"1ms\", max = \"2ms\" }\n")) ==
        std::vector<std::string>{
            "line roof: `latency` belongs to lines with a `master` | write it as "
            "`delay` of the gateway"});
  CHECK(words(plan + "character_gap = 1.0\n") ==
        std::vector<std::string>{
            "slave air: `character_gap` belongs to slaves on a `line` | remove it"});
  CHECK(words(plan + "reply = { min = \"6ms\", typical = \"5ms\", max = \"9ms\" }\n") ==
        std::vector<std::string>{
            "slave air: `min` is longer than `typical` | the shortest delay is at "
            "most the typical one"});
  CHECK(words(plan + "rtt = { min = \"1ms\", typical = \"5ms\", max = \"9ms\" }\n")
            .at(0)
            .find("slave air: unknown key `min`") == 0);
}

TEST_CASE("where a key belongs is said of every key of every table") {
  // a table, how it is called, and a plan with an unknown key in it
  const std::vector<std::pair<std::string, std::string>> tables{
      {"[plan]", "[plan]\nzzzzzzzz = 1\n"},
      {"[controller.NAME]", "[controller.c]\nzzzzzzzz = 1\n"},
      {"an entry of `answers`", "[controller.c]\nanswers = [ { zzzzzzzz = 1 } ]\n"},
      {"an area of [controller.NAME.memory]",
       "[controller.c.memory]\n\"%MW\" = { kind = \"word\", count = 1, zzzzzzzz = 1 }\n"},
      {"[line.NAME]", "[line.l]\nzzzzzzzz = 1\n"},
      {"[gateway.NAME]", "[gateway.g]\nzzzzzzzz = 1\n"},
      {"[slave.NAME]", "[slave.s]\nzzzzzzzz = 1\n"},
      {"[exchange]", "[exchange]\nzzzzzzzz = 1\n"},
      {"a transaction", "[exchange]\ntransactions = [ { zzzzzzzz = 1 } ]\n"},
      {"[supervision]", "[supervision]\nzzzzzzzz = 1\n"},
      {"a heartbeat", "[supervision]\nheartbeats = [ { zzzzzzzz = 1 } ]\n"},
      {"a path", "[supervision]\npaths = [ { zzzzzzzz = 1 } ]\n"},
      {"[review]", "[review]\nzzzzzzzz = 1\n"},
      {"an accept", "[review]\naccepts = [ { zzzzzzzz = 1 } ]\n"}};
  const auto remedy_of = [](const std::string& plan, const std::string& key) {
    for (const model::Finding& f : test::load(plan).findings) {
      if (f.rule == model::RuleCode::P02 && f.message == "unknown key `" + key + "`")
        return f.remedy;
    }
    return std::string();
  };
  // those that several tables share without a home of their own
  const std::set<std::string> everywhere{"name",       "from", "to",     "slave",
                                         "controller", "at",   "on_loss"};
  std::size_t seen = 0;
  for (const auto& [table, plan] : tables) {
    const std::string remedy = remedy_of(plan, "zzzzzzzz");
    INFO(table << ": " << remedy);
    REQUIRE(remedy.starts_with("known here: "));
    std::istringstream list(remedy.substr(12));
    for (std::string key; std::getline(list >> std::ws, key, ',');) {
      if (everywhere.contains(key)) continue;
      ++seen;
      // in a table that knows neither it nor one like it
      const bool plan_knows = key == "title" || key == "revision";
      const std::string elsewhere = plan_knows ? "[review]\n" : "[plan]\n";
      INFO(key);
      CHECK(remedy_of(elsewhere + key + " = 1\n", key).find(table) != std::string::npos);
    }
  }
  CHECK(seen > 90);
}

TEST_CASE("a table of transactions under other headings is read, and its headings are named once") {
  const std::string plan =
      test::replaced(test::with_rows({}), "transactions = [\n]\n", "table = \"t.csv\"\n");
  auto files = test::base_files();
  files["t.csv"] =
      "Name,Device,Function code,Start address,Quantity,into,Cycle,on_loss\n"
      "a,gauge,3,0,8,%MW0,1s,hold\n"
      "b,pump,3,0,2,%MW20,1s,hold\n";
  const auto loaded = test::load(plan, files);
  REQUIRE(loaded.plan.plan.transactions.size() == 2);
  CHECK(loaded.plan.plan.transactions[1].name == "b");
  const auto said = test::findings_of_rule("P02", plan, files);
  CHECK(said == std::vector<std::string>{
                    "error exchange: column 'Name' is called `name` here | write name",
                    "error exchange: column 'Device' is called `slave` here | write slave",
                    "error exchange: column 'Function code' is called `fc` here | write fc",
                    "error exchange: column 'Start address' is called `at` here | write at",
                    "error exchange: column 'Quantity' is called `count` here | write count",
                    "error exchange: column 'Cycle' is called `every` here | write every"});
  CHECK(test::findings_of_rule("P07", plan, files).empty());
  files["t.csv"] = "name,slave,fc,at,count,Memory,every\na,gauge,3,0,8,%MW0,1s\n";
  CHECK(test::findings_of_rule("P02", plan, files).front() ==
        "error exchange: column 'Memory' is no key of a transaction | make two columns of it: "
        "`into` for what is read, `from` for what is sent");
}

TEST_CASE("a workbook of transactions becomes rows, whatever it calls their keys") {
  const std::string plan =
      test::replaced(test::with_rows({}), "transactions = [\n]\n", "table = \"t.xlsx\"\n");
  auto files = test::base_files();
  const auto rows_of = [&](const std::vector<std::vector<std::string>>& sheet) {
    files["t.xlsx"] = test::workbook_of(sheet);
    const auto loaded = test::load(plan, files);
    std::string text;
    for (const model::Transaction& t : loaded.plan.plan.transactions) {
      text += fmt::format("{} {} fc{} {}+{} {}{} {}, ", t.name, t.slave->value, t.function->value,
                          t.block.at->value.text, t.block.count->value,
                          t.into ? "<- " + t.into->value : "", t.from ? "-> " + t.from->value : "",
                          model::to_text(t.every->value.period));
    }
    for (const model::Finding& f : loaded.findings) {
      text += fmt::format("{}:{} {}, ", f.place.line, to_string(f.rule), f.message);
    }
    return text;
  };
  CHECK(
      rows_of({{"Our exchange"},
               {},
               {"Transaction", "Device", "FC", "Start", "Qty", "Memory", "Period (ms)", "on loss"},
               {"a", "gauge", "3", "0", "8", "%MW0", "500", "hold"},
               {},
               {"b", "gauge", "16", "10", "2", "%MW40", "2s", ""}}) ==
      "a gauge fc3 0+8 <- %MW0 500ms, b gauge fc16 10+2 -> %MW40 2s, ");
  // a row of the sheet is the place of what is wrong in it
  CHECK(rows_of({{"Our exchange"},
                 {"Name", "Slave", "Function", "Address", "Count", "into", "Cycle [s]"},
                 {"a", "gauge", "3", "0", "8", "%MW0", "1"},
                 {"b", "gauge", "3", "0", "much", "%MW9", "1"}})
            .find("4:P05 `count` is 'much'") != std::string::npos);
  CHECK(rows_of({{"Name", "Colour"}, {"a", "red"}}) ==
        "24:P07 't.xlsx' is a workbook: no sheet has a row of headings for the name of a "
        "transaction, its slave and its function, such as Name, Slave, FC, ");
}
