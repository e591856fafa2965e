// What is written: folders, exports, JSON.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "files/exchange_export.h"
#include "files/output_folder.h"
#include "files/result_json.h"
#include "plans.h"
#include "process.h"

using namespace greymet;
using files::OutputFolder;
using Json = nlohmann::json;

namespace {

const std::string row_a =
    R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold", status = { failed = "%MX3" } })";
const std::string row_b =
    R"({ name = "b, \"quoted\"", slave = "gauge", fc = 16, at = 10, count = 4, from = "%MW20", on = "change", min_gap = "2s" })";

files::LoadedPlan plan() {
  return test::load(test::with_rows({row_a, row_b}), test::base_files());
}

std::string fingerprint(const std::string& text) {
  return files::fingerprint_of(test::load(text, test::base_files()).plan);
}

}  // namespace

TEST_CASE("a folder overwrites only what it wrote itself") {
  const test::TemporaryFolder temporary;
  const std::string path = temporary.file("out");
  {
    auto folder = OutputFolder::open(path, false);
    REQUIRE(folder.has_value());
    REQUIRE(folder->write("a.txt", "one").has_value());
    REQUIRE(folder->write("sub/b.txt", "two").has_value());
  }
  REQUIRE(OutputFolder::open(path, false)->write("a.txt", "three").has_value());
  CHECK(temporary.read("out/a.txt") == "three");
  CHECK(temporary.read("out/sub/b.txt") == "two");
  temporary.write("out/a.txt", "edited");
  temporary.write("out/mine.txt", "mine");
  auto folder = OutputFolder::open(path, false);
  REQUIRE(folder.has_value());
  CHECK(folder->write("a.txt", "four").error().message ==
        path + "/a.txt: exists, and was changed since greymet wrote it; --force overwrites it");
  CHECK(folder->write("mine.txt", "four").error().message ==
        path + "/mine.txt: exists, and greymet did not write it; --force overwrites it");
  CHECK(temporary.read("out/a.txt") == "edited");
  // the very same content
  CHECK(OutputFolder::open(path, false)->write("mine.txt", "mine").has_value());
  CHECK(folder->write("sub/b.txt", "five").has_value());
  auto forced = OutputFolder::open(path, true);
  CHECK(forced->write("a.txt", "six").has_value());
  CHECK(temporary.read("out/a.txt") == "six");
  temporary.write("plain", "a file");
  CHECK_FALSE(OutputFolder::open(temporary.file("plain"), false).has_value());
  CHECK_FALSE(OutputFolder::open("/proc/greymet", false).has_value());
}

TEST_CASE("SHA-256 of the standard's example") {
  // FIPS 180-4: "abc"
  CHECK(files::sha256_hex("abc") ==
        "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
}

TEST_CASE("the exchange says for each transaction what the controller needs") {
  const Json document = Json::parse(files::exchange_json(plan().plan));
  CHECK(document["format"] == "greymet-exchange");
  CHECK(document["fingerprint"].get<std::string>().substr(0, 7) == "sha256:");
  const Json& a = document["exchange"]["transactions"][0];
  CHECK(a["name"] == "a");
  CHECK(a["read"]["at"] == 0);
  CHECK(a["read"]["count"] == 8);
  CHECK(a["read"]["reference"] == "400001");
  CHECK(a["read"]["memory"] == "%MW0..%MW7");
  CHECK(a["period_ns"] == 1'000'000'000);
  CHECK(a["status"]["failed"] == "%MX3");
  CHECK(a["write"].is_null());
  const Json& points = a["read"]["points"];
  CHECK(points.size() == 5);
  CHECK(points[1]["name"] == "temp");
  CHECK(points[1]["memory"] == "%MW2");
  CHECK(points[1]["word_order"] == "CDAB");
  const Json& b = document["exchange"]["transactions"][1];
  CHECK(b["when"] == "change");
  CHECK(b["min_gap_ns"] == 2'000'000'000);
  CHECK(b["period_ns"].is_null());
  CHECK(document["exchange"]["lines"][0]["timeout_ns"] == 500'000'000);
}

TEST_CASE("the fingerprint is the SHA-256 of the compact exchange with sorted keys") {
  const Json document = Json::parse(files::exchange_json(plan().plan));
  CHECK(document["fingerprint"] == "sha256:" + files::sha256_hex(document["exchange"].dump()));
}

TEST_CASE("the fingerprint follows the exchange, not the way it is written") {
  const std::string text = test::with_rows({row_a});
  const std::string print = fingerprint(text);
  CHECK(fingerprint("# a comment\n[plan]\ntitle = \"x\"\n" + text) == print);
  CHECK(fingerprint(test::replaced(text, "at = 0, count = 8", "count = 8, at = \"hr:0x0\"")) ==
        print);
  CHECK(fingerprint(test::replaced(text, "\"1s\"", "\"1000ms\"")) == print);
  CHECK(fingerprint(test::replaced(text, "\"1s\"", "\"1001ms\"")) != print);
  CHECK(fingerprint(test::replaced(text, "into = \"%MW0\"", "into = \"%MW1\"")) != print);
  CHECK(fingerprint(test::replaced(text, "19200", "9600")) != print);
  CHECK(fingerprint(test::replaced(text, "\"CDAB\"", "\"ABCD\"")) != print);
}

TEST_CASE("exchange.csv is RFC 4180, one row a transaction") {
  const std::string csv = files::exchange_csv(plan().plan);
  const std::string print = files::fingerprint_of(plan().plan);
  CHECK(csv.substr(0, 40) == "order,name,controller,slave,unit,line,ho");
  CHECK(csv.find("\r\n1,a,kiln,gauge,12,north,,,3,hr,0,8,400001,,%MW0..%MW7,,,,,,,,,cyclic,1000,0,,"
                 ",,hold,500,1,,,,failed %MX3,,,,," +
                 print + "\r\n") != std::string::npos);
  CHECK(csv.find("\r\n2,\"b, "
                 "\"\"quoted\"\"\",kiln,gauge,12,north,,,16,,,,,,,,hr,10,4,400011,,%MW20..%MW23,,"
                 "change,,,2000,,,,500,1,,,,,,,,," +
                 print + "\r\n") != std::string::npos);
}

TEST_CASE("findings and timing as JSON have the keys that others rely on") {
  const auto loaded = test::load(
      test::nothing_unused(test::with_rows(
          {test::replaced(test::replaced(row_a, "count = 8", "count = 9"), "%MX3", "%MW90.0")})),
      test::base_files());
  const auto findings = checks::check(loaded.plan, loaded.findings);
  const Json check = Json::parse(files::findings_json(loaded, findings));
  CHECK(check["errors"] == 0);
  CHECK(check["warnings"] == 1);
  CHECK(check["notes"] == 0);
  const Json& f = check["findings"][0];
  CHECK(f["rule"] == "F11");
  CHECK(f["severity"] == "warning");
  CHECK(f["file"] == "plan.toml");
  CHECK(f["line"] == 19);
  CHECK(f["column"] == 47);
  CHECK(f["subject"] == "transaction a");
  CHECK(f["remedy"] == "write count = 8");
  CHECK(check["not_judged"][0] ==
        Json{{"what", "function codes"},
             {"subjects", {"slave gauge"}},
             {"because", "no functions"},
             {"add", "functions = [3, 16] at the slave, from its manual"}});
  const auto good = plan();
  const Json timing = Json::parse(files::timing_json(good.plan, timing::analyse(good.plan, {})));
  CHECK(timing["fingerprint"] == files::fingerprint_of(good.plan));
  for (const Json& each : timing["lines"][0]["transactions"]) {
    if (!each["tightness"].is_null()) CHECK(each["tightness"] <= 1.0);
  }
  for (const Json& silent : timing["silent_slaves"]) {
    CHECK(silent["first_stall_ms"] >= silent["steady_stall_ms"]);
    CHECK(silent["first_hurts"].is_array());
    for (const char* key : {"slave", "line", "transactions", "park_retry_ms", "steady_hurts"}) {
      CHECK(silent.contains(key));
    }
  }
  CHECK_FALSE(timing["silent_slaves"].empty());
  const Json& line = timing["lines"][0];
  CHECK(line["line"] == "north");
  CHECK(line["master"] == "kiln");
  CHECK(line["character_ms"].get<double>() == Approx(11 / 19.2));
  for (const char* key : {"utilisation_percent", "gap_ms", "round_ms"}) CHECK(line.contains(key));
  const Json& t = line["transactions"][0];
  for (const char* key :
       {"name", "function", "request_bytes", "reply_bytes", "typical_ms", "longest_ms", "period_ms",
        "response_bound_ms", "response_bound_any_phase_ms", "response_simulated_ms",
        "interval_bound_ms", "missed", "silent_ms"}) {
    INFO(key);
    CHECK(t.contains(key));
  }
  CHECK(line["transactions"][1]["period_ms"] == 2000);  // the gap of a triggered one
  CHECK(line["transactions"][1]["interval_bound_ms"].is_null());
}
