// explain, address, value, frame and memory, end to end.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include <fstream>

#include "plans.h"
#include "process.h"

using namespace greymet;
using test::Outcome;
using Json = nlohmann::json;

namespace {

const std::string examples = GREYMET_EXAMPLES;

Outcome run(const std::vector<std::string>& arguments) {
  return test::run_program(GREYMET_PROGRAM, arguments, examples);
}

Json json_of(std::vector<std::string> arguments) {
  arguments.emplace_back("--json");
  const Outcome outcome = run(arguments);
  INFO(outcome.err);
  CHECK(outcome.status == 0);
  return Json::parse(outcome.out);
}

// One line on stderr that names the text, and status 2.
void check_refused(const std::vector<std::string>& arguments, const std::string& message) {
  const Outcome outcome = run(arguments);
  INFO(outcome.err);
  CHECK(outcome.status == 2);
  CHECK(outcome.out.empty());
  CHECK(outcome.err == "greymet: " + message + "\n");
}

}  // namespace

TEST_CASE("explain shows why, wrong, right and the remedy") {
  const Outcome f11 = run({"explain", "f11"});
  CHECK(f11.status == 0);
  for (const char* part : {"F11 (warning): fence-post", "wrong:\n    { name", "count = 9",
                           "right:\n    { name", "count = 8", "fix: Count again"}) {
    INFO(part);
    CHECK(f11.out.find(part) != std::string::npos);
  }
  const Outcome all = run({"explain"});
  CHECK(all.out.find("H: heartbeats and supervision") != std::string::npos);
  CHECK(std::count(all.out.begin(), all.out.end(), '\n') > 81);
  CHECK(run({"explain", "T"}).out.find("F01") == std::string::npos);
  const Json entry = json_of({"explain", "F02"});
  CHECK(entry[0]["rule"] == "F02");
  CHECK(entry[0]["clause"] == "V1.1b3 6");
  check_refused(
      {"explain", "F99"},
      "there is no rule, word or key 'F99'; write e.g. greymet explain F09, a family such as F, "
      "what is seen: 02, silence, zeros (greymet explain symptoms), a word such as release "
      "(greymet "
      "explain words), or a key of the plan such as park");
}

TEST_CASE("address gives every reading with stable keys") {
  const Json list = json_of({"address", "404097", "hr:13"});
  REQUIRE(list.size() == 2);
  CHECK(list[0]["text"] == "404097");
  CHECK(list[0]["area"] == "hr");
  CHECK(list[0]["offset"] == 4096);
  CHECK(list[0]["hex"] == "0x1000");
  CHECK(list[0]["reference5"] == "44097");
  CHECK(list[0]["reference6"] == "404097");
  CHECK(list[0]["from_1"] == 4097);
  CHECK(list[0]["point"].is_null());
  CHECK(list[1]["functions"] == Json({3, 6, 16, 22, 23}));
  // two countings in four areas
  CHECK(json_of({"address", "0x1001"}).size() == 8);
  const Json point = json_of({"address", "--plan", "maltings.toml", "grain_moisture"});
  CHECK(point[0]["point"] == "moisture.grain_moisture");
  const Outcome text = run({"address", "40014"});
  CHECK(text.out.find("ambiguous: it may be a reference or a plain number") != std::string::npos);
  CHECK(text.out.find("  hr:13     0x000D      14   40014   400014  reference\n") !=
        std::string::npos);
  check_refused({"address", "banana"},
                "'banana' is no number and can only be a name in a plan; write e.g. 4096, 0x1000, "
                "hr:4096 or 404097, or give the plan: --plan plan.toml");
  // those that can be read are answered among others
  const Outcome mixed = run({"address", "banana", "40014"});
  CHECK(mixed.status == 2);
  CHECK(mixed.out.find("hr:13     0x000D") != std::string::npos);
  CHECK(mixed.err.find("'banana' is no number") != std::string::npos);
  check_refused(
      {"address", "7000000"},
      "'7000000' is beyond every area: addresses end at 65535, references at 465536; write "
      "e.g. 4096, 0x1000, hr:4096, 44097 or 404097");
  check_refused({"address", "5", "--slave", "burner"}, "--slave needs a plan: --plan plan.toml");
  check_refused({"address", "5", "--plan", "maltings.toml", "--slave", "burn"},
                "the plan has no slave 'burn'; write e.g. burner");
}

TEST_CASE("value marks the plausible word order") {
  const Json f32 = json_of({"value", "42F6", "E979", "--type", "f32", "--near", "123.4"});
  CHECK(f32["words"] == Json({"42F6", "E979"}));
  REQUIRE(f32["readings"].size() == 4);
  CHECK(f32["readings"][0]["order"] == "ABCD");
  CHECK(f32["readings"][0]["value"] == Approx(123.456));
  CHECK(f32["readings"][0]["plausible"] == true);
  CHECK(f32["readings"][1]["plausible"] == false);
  const Json nan = json_of({"value", "7FC0", "0000", "--type", "f32"});
  CHECK(nan["readings"][0]["value"].is_null());
  CHECK(nan["readings"][0]["plausible"].is_null());
  CHECK(run({"value", "42F6E979", "--type", "f32", "--near", "123.4"})
            .out.find("ABCD  123.456  <- near 123.4\n") == 0);
  CHECK(run({"value", "42F6E979", "--type", "f32", "--near", "5"})
            .out.find("none is within 5 % of 5") != std::string::npos);
  CHECK(run({"value", "FFD8", "--type", "i16", "--factor", "0.1"}).out == "      -40  = -4\n");
  CHECK(run({"value", "5055", "4D50", "--type", "text"}).out.find("ABCD  \"PUMP\"\n") == 0);
  check_refused({"value", "42G6", "--type", "u16"},
                "'42G6' is no register word; write four hexadecimal digits each, as 42F6 E979");
  check_refused({"value", "42F6", "--type", "f32"},
                "f32 takes 2 registers, 1 given; write e.g. 42F6 E979 for f32");
  check_refused(
      {"value", "42F6", "--type", "float"},
      "'float' is no type; write --type f32, or u16 i16 u32 i32 u64 i64 f64 bcd16 bcd32 bool "
      "bits text(12)");
  check_refused({"value", "42F6", "--type", "u16", "--near", "x"},
                "'x' is no number; write e.g. --near 123.4");
  check_refused({"value", "42F6", "--type", "bool", "--bit", "-1"},
                "--bit: '-1' does not fit; write e.g. 3; see greymet value --help");
  check_refused({"value", "42F6", "--type", "u16", "--factor", "x"},
                "--factor: 'x' does not fit; write e.g. 0.1; see greymet value --help");
  check_refused({"value", "42F6", "--type", "bool", "--bit", "16"},
                "a register has bits 0 to 15; write e.g. --bit 3");
}

TEST_CASE("frame shows request and reply, and decodes pasted bytes") {
  const Json frame = json_of({"frame", "maltings.toml", "burner-in"});
  CHECK(frame["mode"] == "rtu");
  CHECK(frame["request_hex"] == "01 04 00 00 00 15 31 C5");
  CHECK(frame["request_bytes"] == 8);
  CHECK(frame["reply_bytes"] == 5 + 2 * 21);
  CHECK(frame["fields"][0]["at"] == 0);
  CHECK(frame["fields"][0]["bytes"] == "01");
  CHECK(frame["fields"][1]["name"] == "function");
  CHECK(frame["fields"][1]["value"] == "4, read input registers");
  const Json all = json_of({"frame", "maltings.toml"});
  CHECK(all.size() == 54);
  const Outcome text = run({"frame", "maltings.toml", "bridge-lamps"});
  CHECK(text.out.find(":010F000000040100EB<CR><LF>") != std::string::npos);
  CHECK(run({"frame", "maltings.toml", "steam-in"}).out.find("(tcp;") != std::string::npos);

  const auto decode = [](const std::string& bytes, const std::string& mode) {
    return run({"frame", "--decode", bytes, "--mode", mode});
  };
  CHECK(decode("01 03 00 00 00 0A C5 CD", "rtu").out.find("the frame is good") !=
        std::string::npos);
  const Outcome exception = decode("01 83 02 C0 F1", "rtu");
  CHECK(exception.status == 0);
  CHECK(exception.out.find("exception         02, illegal data address") != std::string::npos);
  const Outcome bad = decode("01 03 00 00 00 0B C5 CD", "rtu");
  CHECK(bad.status == 1);
  CHECK(bad.out.find("wrong at byte 6 (CRC): C5 CD where 04 0D belongs\n"
                     "if a single byte was disturbed, it is byte 5: 0B where 0A was sent\n") !=
        std::string::npos);
  const Outcome cut = decode("11 03 14 00 01 00 02", "rtu");
  CHECK(cut.out.find("the frame ends here: 7 of 25 bytes") != std::string::npos);
  CHECK(decode(":1103006B00037E", "ascii").status == 0);
  CHECK(decode("0001 0000 0006 FF 03 00 00 00 01", "tcp").status == 0);

  check_refused(
      {"frame"},
      "a plan or bytes are needed: greymet frame plan.toml NAME, or greymet frame --decode 01 "
      "03 00 00 00 0A C5 CD --mode rtu");
  check_refused({"frame", "maltings.toml", "burner-inn"},
                "the plan has no transaction 'burner-inn' (did you mean 'burner-in'?)");
  check_refused({"frame", "maltings.toml", "nope"},
                "the plan has no transaction 'nope'; write e.g. burner-in");
  check_refused(
      {"frame", "--decode", "01 0", "--mode", "rtu"},
      "an odd number of hexadecimal digits at character 5; write pairs of hexadecimal digits, "
      "as 01 03 00 00 00 0A C5 CD");
  check_refused({"frame", "--decode", "01 03"},
                "--decode needs to know the mode: add --mode rtu, ascii or tcp");
  check_refused({"frame", "--decode", "01 03", "--mode", "udp"},
                "'udp' is no mode; write --mode rtu, ascii or tcp");
}

TEST_CASE("memory prints and writes what lies where") {
  const Outcome kiln = run({"memory", "maltings.toml", "kiln"});
  CHECK(kiln.status == 0);
  CHECK(kiln.out.find("    %MW100..%MW107           8  read               moisture-in: "
                      "moisture_grain_moisture, moisture_grain_temp and 2 more\n") !=
        std::string::npos);
  CHECK(kiln.out.find("overlap") == std::string::npos);
  const Json report = json_of({"memory", "maltings.toml"});
  CHECK(report["controllers"].size() == 2);
  CHECK(report["slaves"].size() == 18);
  CHECK(report["controllers"][0]["areas"][0]["overlaps"].empty());
  const test::TemporaryFolder folder;
  const Outcome written =
      run({"memory", "maltings.toml", "burner", "-o", folder.file("out"), "--json"});
  CHECK(written.status == 0);
  CHECK(Json::parse(written.out)["controllers"].empty());
  for (const char* name :
       {"out/memory.json", "out/memory.txt", "out/memory-burner.svg", "out/memory-burner.png"}) {
    CHECK(folder.has(name));
  }
  check_refused({"memory", "maltings.toml", "kilm"},
                "the plan has no controller or slave 'kilm' (did you mean 'kiln'?)");
}

TEST_CASE("check speaks SARIF") {
  const Outcome draft = run({"check", "draft.toml", "--format", "sarif"});
  CHECK(draft.status == 1);
  CHECK(Json::parse(draft.out)["version"] == "2.1.0");
  const Outcome clean = run({"check", "maltings.toml", "--format", "sarif"});
  CHECK(clean.status == 0);
}
