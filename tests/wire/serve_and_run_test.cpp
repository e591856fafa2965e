// rehearse, serve and run end to end, and what they say of wrong files.
#include <unistd.h>

#include <csignal>
#include <cstring>
#include <filesystem>
#include <map>
#include <sstream>

#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plain_modbus.h"
#include "plans.h"
#include "process.h"

using namespace greymet;
using Json = nlohmann::json;

namespace {

class WireSite : public test::TemporaryFolder {
 public:
  WireSite() {
    std::filesystem::copy(GREYMET_EXAMPLES, path(), std::filesystem::copy_options::recursive);
  }
  [[nodiscard]] test::Outcome run(const std::vector<std::string>& arguments) const {
    return test::run_program(GREYMET_PROGRAM, arguments, path());
  }
};

std::vector<std::vector<std::string>> rows_of(const std::string& csv) {
  std::vector<std::vector<std::string>> rows;
  std::istringstream in(csv);
  for (std::string line; std::getline(in, line);) {
    if (line.ends_with('\r')) line.pop_back();
    std::vector<std::string> cells(1);
    for (const char c : line) {
      if (c == ',') {
        cells.emplace_back();
      } else {
        cells.back().push_back(c);
      }
    }
    rows.push_back(std::move(cells));
  }
  return rows;
}

Json named(const Json& list, const std::string& key, const std::string& name) {
  for (const Json& each : list) {
    if (each[key] == name) return each;
  }
  return nullptr;
}

}  // namespace

TEST_CASE("the demo's rehearsal passes, and its log accounts for every request") {
  const WireSite site;
  const test::Outcome outcome =
      site.run({"rehearse", "maltings.toml", "--fast", "--json", "-o", "out"});
  INFO(outcome.err);
  REQUIRE(outcome.status == 0);
  const Json json = Json::parse(outcome.out);
  CHECK(json["verdict"] == "passed");
  CHECK(json["accounted"] == true);
  for (const char* const key : {"fingerprint", "duration_s", "transactions", "heartbeats", "faults",
                                "blocks", "watchdogs_tripped", "oddities"}) {
    CHECK(json.contains(key));
  }
  std::map<std::string, std::map<std::string, std::uint64_t>> logged;
  const auto rows = rows_of(site.read("out/log.csv"));
  CHECK(rows[0] == std::vector<std::string>{"time_s", "transaction", "slave", "fc", "tries",
                                            "outcome", "exception", "response_ms", "words",
                                            "released_s", "started_s", "duration_ms", "reason"});
  for (std::size_t i = 1; i < rows.size(); ++i) {
    REQUIRE(rows[i].size() == 13);
    ++logged[rows[i][1]][rows[i][5]];
  }
  for (const Json& t : json["transactions"]) {
    INFO(t["name"]);
    const auto& of = logged[t["name"]];
    const auto count = [&of](const char* outcome_name) {
      const auto at = of.find(outcome_name);
      return at == of.end() ? std::uint64_t{0} : at->second;
    };
    CHECK(t["sent"] == t["good"].get<std::uint64_t>() + t["exceptions"].get<std::uint64_t>() +
                           t["timeouts"].get<std::uint64_t>() + t["bad"].get<std::uint64_t>());
    CHECK(t["good"] == count("good"));
    CHECK(t["timeouts"] == count("timeout"));
    CHECK(t["exceptions"] == count("exception"));
    CHECK(t["dropped"] == count("dropped"));
    // virtual time: what was measured is what was predicted
    if (!t["predicted_ms"].is_null()) CHECK(t["response_median_ms"] == t["predicted_ms"]);
  }
  // every slave that is asked fell silent, and came back
  CHECK(json["faults"].size() == 18);
  for (const Json& fault : json["faults"]) {
    CHECK(fault["noticed_ms"] > 0);
    CHECK(fault["recovered_ms"] > 0);
  }
  for (const Json& block : json["blocks"]) {
    INFO(block["transaction"]);
    CHECK(block["first_word"] != "wrong");
    CHECK(block["last_word"] != "not carried");
  }
  const Json alive = named(json["heartbeats"], "name", "kiln-alive");
  CHECK(alive["verdict"] == "good");
  CHECK(alive["alarm_ms"] <= alive["latest_alarm_ms"]);
  CHECK(site.has("out/rehearse.txt"));
  CHECK(site.has("out/measured.svg"));
  CHECK(site.has("out/measured.png"));
  // the next one overwrites what this one wrote
  CHECK(site.run({"rehearse", "maltings.toml", "--fast", "--no-faults", "-o", "out"}).status == 0);
}

TEST_CASE("a rehearsal finds a plan that does not work") {
  const WireSite site;
  // two reads fill the same words: the second one's block is not what the slave has
  std::string plan = site.read("maltings.toml");
  plan = test::replaced(plan, "count = 17, into = \"%MW421\"", "count = 17, into = \"%MW401\"");
  site.write("maltings.toml", plan);
  const test::Outcome outcome =
      site.run({"rehearse", "maltings.toml", "--fast", "--no-faults", "--json"});
  CHECK(outcome.status == 1);
  const Json json = Json::parse(outcome.out);
  CHECK(json["verdict"] == "failed");
  bool wrong = false;
  for (const Json& block : json["blocks"]) {
    const std::string name = block["transaction"];
    wrong = wrong || (name.starts_with("fan") && block["first_word"] == "wrong");
  }
  CHECK(wrong);
}

TEST_CASE(
    "faults of a table are rehearsed, and what is wrong with a table is said with its place") {
  const WireSite site;
  site.write("faults.csv",
             "at,for,slave,fault,with\n1s,2s,air,drop,\n2s,3s,moisture,garbled,0.5\n"
             "5s,2s,burner,exception,6\n6s,1s,steam,slow,50ms\n7s,,silo,silent,\n");
  const test::Outcome outcome =
      site.run({"rehearse", "maltings.toml", "--fast", "--faults", "faults.csv", "--json"});
  CHECK(outcome.status == 0);
  const Json json = Json::parse(outcome.out);
  REQUIRE(json["faults"].size() == 5);
  CHECK(json["faults"][2]["slave"] == "burner");
  CHECK(named(json["transactions"], "name", "burner-in")["exceptions"] >= 2);
  CHECK(named(json["transactions"], "name", "moisture-in")["exceptions"] == 0);
  CHECK(json["faults"][4]["recovered_ms"].is_null());

  site.write("bad.csv",
             "at,for,slave,fault,with\n5,,air,silent,\n1s,2s,aair,silent,\n1s,,air,silnt,\n"
             "1s,,air,garbled,2\n1s,,air,silent,3\n");
  const test::Outcome refused =
      site.run({"rehearse", "maltings.toml", "--fast", "--faults", "bad.csv"});
  CHECK(refused.status == 2);
  CHECK(refused.err ==
        "bad.csv:2:1: error: row 2: at '5' is not valid\n"
        "       = fix: write a time with its unit, such as 500ms, 2s or 1min\n"
        "bad.csv:3:7: error: row 3: slave 'aair' is not valid\n"
        "       = fix: write air\n"
        "bad.csv:4:9: error: row 4: fault 'silnt' is not valid\n"
        "       = fix: write silent\n"
        "bad.csv:5:17: error: row 5: with '2' is not valid\n"
        "       = fix: write a share above 0, at most 1, such as 0.2\n"
        "bad.csv:6:16: error: row 6: with '3' is not valid\n"
        "       = fix: write nothing here: this fault takes no number\n");
}

TEST_CASE("what cannot be opened ends with status 3 and one line") {
  const WireSite site;
  const auto one_line = [](const std::string& text) {
    return std::count(text.begin(), text.end(), '\n') == 1;
  };
  // no device, none permitted, none at all
  const test::Outcome missing = site.run({"run", "maltings.toml", "--duration", "1s"});
  CHECK(missing.status == 3);
  CHECK(one_line(missing.err));
  site.write("file.txt", "no device");
  site.write("endpoints.json", R"({"lines": {"north": "file.txt"}})");
  const test::Outcome no_device =
      site.run({"run", "maltings.toml", "--endpoints", "endpoints.json", "--duration", "1s"});
  CHECK(no_device.status == 3);
  CHECK(no_device.err == "greymet: file.txt: is no serial device\n");
  const test::Outcome no_address =
      site.run({"serve", "maltings.toml", "--listen", "203.0.113.1", "--duration", "1s"});
  CHECK(no_address.status == 3);
  CHECK(no_address.err ==
        "greymet: cannot listen on 203.0.113.1: Cannot assign requested address\n");
  CHECK(site.run({"run", "maltings.toml", "--endpoints", "gone.json"}).status == 2);
  CHECK(site.run({"run", "maltings.toml", "--allow-broadcast"}).status == 2);
  CHECK(site.run({"run", "maltings.toml", "--controller", "klin"}).err ==
        "greymet: the plan has no controller 'klin' (did you mean 'kiln'?)\n");
  CHECK(site.run({"rehearse", "maltings.toml", "--duration", "5"}).status == 2);
}

TEST_CASE("endpoints are checked against the plan, with places") {
  const WireSite site;
  site.write("e.json",
             "{\n  \"lines\": {\"nort\": \"/dev/x\"},\n  \"tcp\": {\"10.20.0.31:502\": 7}\n}\n");
  const test::Outcome outcome = site.run({"run", "maltings.toml", "--endpoints", "e.json"});
  CHECK(outcome.status == 2);
  CHECK(outcome.err ==
        "e.json:2:13: error: the plan has no line 'nort'\n"
        "       = fix: name one of the plan's (did you mean 'north'?)\n"
        "e.json:3:11: error: its value is no address:port\n"
        "       = fix: write {\"lines\": {\"north\": \"/dev/ttyUSB0\"}, \"tcp\": "
        "{\"10.20.0.31:502\": \"127.0.0.1:40123\"}}\n");
  site.write("e.json", "{\"lines\": ");
  CHECK(site.run({"run", "maltings.toml", "--endpoints", "e.json"}).err.starts_with("e.json:1:"));
}

TEST_CASE("run reads what serve serves, and proves it by what is expected") {
  const WireSite site;
  site.write("values.csv",
             "where,value\nmoisture.grain_moisture,12.5\nair.net_pressure,constant 7.25\n");
  test::BackgroundProgram served(
      GREYMET_PROGRAM, {"serve", "maltings.toml", "--values", "values.csv", "-o", "served"},
      site.path());
  REQUIRE(site.gets("served/endpoints.json"));
  site.write("expect.csv",
             "where,value,tolerance,within\nmoisture.grain_moisture,12.5,0.01,20s\n"
             "air.net_pressure,7.25,0.01,20s\n");
  const test::Outcome good =
      site.run({"run", "maltings.toml", "--endpoints", "served/endpoints.json", "--expect",
                "expect.csv", "--until-met", "--duration", "20s", "-o", "out", "--json"});
  INFO(good.err);
  INFO(good.out);
  const Json json = Json::parse(good.out);
  CHECK(json["accounted"] == true);
  for (const Json& e : json["expected"]) CHECK(e["verdict"] == "met");
  for (const Json& t : json["transactions"]) {
    INFO(t["name"]);
    const bool writes = t["left_out"] == "writes are not allowed";
    if (writes) CHECK(t["sent"] == 0);
  }
  CHECK(named(json["transactions"], "name", "burner-set")["verdict"] == "left out");
  CHECK(named(json["transactions"], "name", "damper1-trim")["verdict"] == "left out");  // 23
  const auto values = rows_of(site.read("out/values.csv"));
  bool found = false;
  for (const auto& row : values) {
    if (row[0] != "moisture.grain_moisture") continue;
    found = true;
    CHECK(row[1] == "12.50");
    CHECK(row[3] == "0000 4148");  // 12.5 is 41480000, the gauge sends the low word first
  }
  CHECK(found);
  // what is not there is not met
  site.write("expect.csv", "where,value,tolerance,within\nmoisture.grain_moisture,13,0.1,1s\n");
  const test::Outcome bad =
      site.run({"run", "maltings.toml", "--endpoints", "served/endpoints.json", "--expect",
                "expect.csv", "--duration", "2s", "--json"});
  CHECK(bad.status == 1);
  CHECK(Json::parse(bad.out)["expected"][0]["verdict"] == "not met");
  CHECK(Json::parse(bad.out)["expected"][0]["found"] == "12.50");
  served.signal(SIGINT);
  const test::Outcome stopped = served.wait();
  CHECK(stopped.status == 0);
  CHECK(stopped.out.find("served ") != std::string::npos);
}

TEST_CASE("writes are sent only if told to, and only words that have a value") {
  const WireSite site;
  test::BackgroundProgram served(
      GREYMET_PROGRAM, {"serve", "maltings.toml", "--still", "-o", "served"}, site.path());
  REQUIRE(site.gets("served/endpoints.json"));
  // burner-release sends one word, fan1-set two of which one is stated
  site.write("values.csv", "where,value\nkiln.%MW1021,3\nkiln.%MW1050,7\n");
  const test::Outcome outcome =
      site.run({"run", "maltings.toml", "--endpoints", "served/endpoints.json", "--allow-writes",
                "--values", "values.csv", "--duration", "5s", "--json"});
  INFO(outcome.err);
  const Json json = Json::parse(outcome.out);
  CHECK(named(json["transactions"], "name", "burner-release")["good"] >= 1);
  const Json fan = named(json["transactions"], "name", "fan1-set");
  CHECK(fan["sent"] == 0);
  CHECK(fan["left_out"] == "values that nobody stated");
  const Json endpoints = Json::parse(site.read("served/endpoints.json"));
  auto master = test::PlainMaster::on_device(endpoints["lines"]["north"]);
  // the burner's release register, 1011h
  CHECK(master.ask(1, {3, 0x10, 0x11, 0, 1}) == test::Octets{3, 2, 0, 3});
}

TEST_CASE("what a killed run leaves can be read") {
  const WireSite site;
  test::BackgroundProgram served(GREYMET_PROGRAM, {"serve", "maltings.toml", "-o", "served"},
                                 site.path());
  REQUIRE(site.gets("served/endpoints.json"));
  for (const int milliseconds : {900, 1300, 1700}) {
    test::BackgroundProgram run(
        GREYMET_PROGRAM,
        {"run", "maltings.toml", "--endpoints", "served/endpoints.json", "-o", "out"}, site.path());
    REQUIRE(site.gets("out/log.csv"));
    ::usleep(static_cast<unsigned>(milliseconds) * 1000);
    run.signal(SIGKILL);
    CHECK(run.wait().status == 128 + SIGKILL);
    const std::string log = site.read("out/log.csv");
    CHECK(log.ends_with("\r\n"));
    for (const auto& row : rows_of(log)) CHECK(row.size() == 13);
    // and the next run takes the folder again
    const test::Outcome next =
        site.run({"run", "maltings.toml", "--endpoints", "served/endpoints.json", "-o", "out",
                  "--duration", "300ms"});
    CHECK(next.status != 3);
  }
}

TEST_CASE("a run that is asked to stop keeps what it measured") {
  const WireSite site;
  test::BackgroundProgram served(GREYMET_PROGRAM, {"serve", "maltings.toml", "-o", "served"},
                                 site.path());
  REQUIRE(site.gets("served/endpoints.json"));
  test::BackgroundProgram run(
      GREYMET_PROGRAM,
      {"run", "maltings.toml", "--endpoints", "served/endpoints.json", "-o", "out"}, site.path());
  REQUIRE(site.gets("out/log.csv"));
  ::usleep(1'500'000);
  run.signal(SIGINT);
  const test::Outcome stopped = run.wait();
  CHECK(stopped.status <= 1);
  CHECK(Json::parse(site.read("out/run.json"))["duration_s"] > 1);
  // a device that goes away in the middle: status 3, and what was measured stays
  test::BackgroundProgram orphan(
      GREYMET_PROGRAM,
      {"run", "maltings.toml", "--endpoints", "served/endpoints.json", "-o", "orphaned"},
      site.path());
  REQUIRE(site.gets("orphaned/log.csv"));  // its ports are open
  ::usleep(1'500'000);
  served.signal(SIGKILL);
  (void)served.wait();
  const test::Outcome lost = orphan.wait();
  CHECK(lost.status == 3);
  INFO(lost.err);
  CHECK(lost.err.find("the device is gone") != std::string::npos);
  CHECK(Json::parse(site.read("orphaned/run.json"))["lost"].is_string());
}

TEST_CASE("trend follows points through a log, as far as it can be read") {
  const WireSite site;
  REQUIRE(site.run({"rehearse", "maltings.toml", "--fast", "--no-faults", "-o", "out"}).status ==
          0);
  const test::Outcome outcome =
      site.run({"trend", "out/log.csv", "--plan", "maltings.toml", "moisture.grain_moisture",
                "silo.level_percent", "--json", "-o", "trend"});
  INFO(outcome.err);
  REQUIRE(outcome.status == 0);
  const Json json = Json::parse(outcome.out);
  REQUIRE(json["points"].size() == 2);
  const Json& moisture = json["points"][0];
  CHECK(moisture["unit"] == "%");
  CHECK(moisture["samples"] >= 30);
  CHECK(moisture["time_s"].size() == moisture["samples"]);
  // the log's own words, decoded by hand: the gauge sends the low word first
  const auto rows = rows_of(site.read("out/log.csv"));
  for (const auto& row : rows) {
    if (row[1] != "moisture-in" || row[5] != "good") continue;
    const std::uint32_t bits = static_cast<std::uint32_t>(
        std::stoul(row[8].substr(5, 4) + row[8].substr(0, 4), nullptr, 16));
    float value = 0;
    std::memcpy(&value, &bits, sizeof value);
    CHECK(moisture["value"][0].get<double>() == Approx(value).epsilon(1e-5));
    break;
  }
  CHECK(site.has("trend/trend-moisture-grain_moisture-silo-level_percent.png"));
  // a log that ends in the middle of a row, as a kill leaves one that was not ours to finish
  const std::string log = site.read("out/log.csv");
  site.write("cut.csv", log.substr(0, log.size() * 2 / 3 + 7));
  const test::Outcome cut = site.run(
      {"trend", "cut.csv", "--plan", "maltings.toml", "moisture.grain_moisture", "--json"});
  CHECK(cut.status == 0);
  CHECK(Json::parse(cut.out)["points"][0]["samples"] < moisture["samples"]);
  site.write("no.csv", "a,b\n1,2\n");
  CHECK(site.run({"trend", "no.csv", "--plan", "maltings.toml", "moisture.grain_moisture"}).err ==
        "greymet: no.csv: is no log of run or rehearse, which begins with "
        "\"time_s,transaction,slave,fc,tries,outcome,exception,response_ms,words,released_s,"
        "started_s,duration_ms,reason\"\n");
  // and one of before, without the last columns
  std::string older;
  for (const auto& row : rows) {
    for (std::size_t i = 0; i < 9; ++i) older += (i > 0 ? "," : "") + row[i];
    older += "\r\n";
  }
  site.write("older.csv", older);
  CHECK(Json::parse(site.run({"trend", "older.csv", "--plan", "maltings.toml",
                              "moisture.grain_moisture", "--json"})
                        .out)["points"][0]["samples"] == moisture["samples"]);
  CHECK(site.run({"trend", "out/log.csv", "--plan", "maltings.toml", "silo.levl_percent"}).err ==
        "greymet: slave silo has no point 'levl_percent' (did you mean 'level_percent'?)\n");
  CHECK(site.run({"trend", "gone.csv", "--plan", "maltings.toml", "silo.level_percent"}).status ==
        2);
}

TEST_CASE("a full disk ends with status 3 and one line, and what was measured stays readable") {
  const WireSite site;
  const test::Outcome full = test::run_program(
      "/bin/bash",
      {"-c", std::string("ulimit -f 64; trap '' XFSZ; exec ") + GREYMET_PROGRAM +
                 " rehearse maltings.toml --fast --no-faults --duration 60s -o out"},
      site.path());
  CHECK(full.status == 3);
  CHECK(full.err == "greymet: out/log.csv: File too large; the log ends here, the rest goes on\n");
  CHECK(Json::parse(site.read("out/rehearse.json"))["accounted"] == true);
  const test::Outcome trend = site.run(
      {"trend", "out/log.csv", "--plan", "maltings.toml", "moisture.grain_moisture", "--json"});
  CHECK(trend.status == 0);
  CHECK(Json::parse(trend.out)["points"][0]["samples"] > 5);
}

TEST_CASE("rows that no run could fulfil are refused with their place before anything is opened") {
  const WireSite site;
  site.write("values.csv", "where,value\nmoisture.range_low,10\nmoisture.grain_moisture,3\n");
  const test::Outcome values = site.run({"run", "maltings.toml", "--values", "values.csv"});
  CHECK(values.status == 2);
  CHECK(values.err ==
        "values.csv:3:1: error: moisture.grain_moisture: no write of the plan carries this point\n"
        "       = fix: leave the row out, or name a point that is written\n");
  site.write("values.csv", "where,value\nair.pressure_set,sine 3 200 30s\n");
  CHECK(site.run({"run", "maltings.toml", "--values", "values.csv"}).err ==
        "values.csv:2:18: error: row 2: value 'sine 3 200 30s' is not valid\n"
        "       = fix: write one that stays within 5 to 13, the range that the map states\n");
  site.write("expect.csv", "where,value\nmoisture.grain_moisture,3\nkiln.%MW100,1\n");
  const test::Outcome expected =
      site.run({"run", "maltings.toml", "--expect", "expect.csv", "--controller", "loadout"});
  CHECK(expected.status == 2);
  CHECK(expected.err ==
        "expect.csv:2:1: error: moisture.grain_moisture: no transaction of this run reads this "
        "point\n"
        "       = fix: leave the row out, or name a point that is read\n"
        "expect.csv:3:1: error: kiln.%MW100: this controller is not run\n"
        "       = fix: see --controller\n");
  CHECK(site.run({"run", "maltings.toml", "--until-met"}).status == 2);
  CHECK(site.run({"rehearse", "maltings.toml", "--fast", "--no-faults", "--faults", "x.csv"}).err ==
        "greymet: --faults and --no-faults exclude each other\n");
}

TEST_CASE("the demo passes with its longest and with random delays too") {
  const WireSite site;
  for (const char* durations : {"longest", "random"}) {
    const test::Outcome outcome = site.run(
        {"rehearse", "maltings.toml", "--fast", "--no-faults", "--durations", durations, "--json"});
    CHECK(outcome.status == 0);
    CHECK(Json::parse(outcome.out)["verdict"] == "passed");
  }
}

TEST_CASE("a run that cannot open its ports leaves the log of the one before") {
  const WireSite site;
  REQUIRE(site.run({"rehearse", "maltings.toml", "--fast", "--no-faults", "-o", "out"}).status ==
          0);
  const std::string before = site.read("out/log.csv");
  CHECK(site.run({"run", "maltings.toml", "-o", "out"}).status == 3);
  CHECK(site.read("out/log.csv") == before);
}
