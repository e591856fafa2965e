// The built program on files in a temporary folder: what it prints, where, and how it ends.
#include <algorithm>
#include <catch2/catch.hpp>
#include <iterator>
#include <nlohmann/json.hpp>
#include <set>

#include <algorithm>
#include <filesystem>
#include <iterator>
#include <set>
#include <sstream>

#include "plans.h"
#include "process.h"

using namespace greymet;
using test::Outcome;
using Json = nlohmann::json;

namespace {

const std::string in_row =
    R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })";

// A folder with a plan and its maps.
class Site : public test::TemporaryFolder {
 public:
  explicit Site(const std::string& plan) {
    write("plan.toml", plan);
    for (const auto& [name, text] : test::base_files()) write(name, text);
  }
  Outcome run(const std::vector<std::string>& arguments) const {
    return test::run_program(GREYMET_PROGRAM, arguments, path());
  }
};

std::string good_plan() {
  return test::nothing_unused(test::with_rows({in_row}));
}
std::string with_error() {
  return test::nothing_unused(
      test::with_rows({test::replaced(in_row, "count = 8", "count = 140")}));
}

// What these plans do not say.
const std::string not_judged =
    "not judged: function codes of slave gauge (no functions), settings of slave gauge (no "
    "settings),\n"
    "            ranges of map gauge.csv (no min and max), limits of controller kiln (no model), "
    "both\n"
    "            ends of values of controller kiln (no tags)\n";

}  // namespace

TEST_CASE("a good plan gets silence and status 0") {
  const Site site(good_plan());
  const Outcome check = site.run({"check", "plan.toml"});
  CHECK(check.status == 0);
  CHECK(check.out ==
        "plan.toml: 1 transaction, 1 slave, 1 line, no connections checked: nothing to report\n" +
            not_judged);
  CHECK(check.err.empty());
}

TEST_CASE("a finding shows its place, its line with a caret, and its remedy") {
  const Site site(with_error());
  const Outcome check = site.run({"check", "plan.toml"});
  CHECK(check.status == 1);
  CHECK(check.out ==
        "plan.toml:19:58: error F02: transaction t: asks for 140 registers; one request carries at "
        "most 125\n"
        "    19 | ve = \"gauge\", fc = 3, at = 0, count = 140, into = \"%MW0\", every = \"1s\", "
        "on_loss = "
        "\"hold\" },\n"
        "       |                                       ^\n"
        "       = fix: split after hr:124: at = 0, count = 125 and at = 125, count = 15\n"
        "plan.toml:5:1: note A04: line north: assumed: the timeout is 500ms; below 184 ms there is "
        "error T03 of line north\n"
        "     5 | [line.north]\n"
        "       | ^\n"
        "       = fix: the controller's configuration shows it; then write timeout = \"300ms\"\n"
        "plan.toml: 1 transaction, 1 slave, 1 line, no connections checked: 1 error, no "
        "warnings, 1 note\n" +
            not_judged);
}

TEST_CASE("the JSON of check is one document, whatever happened") {
  const Site site(with_error());
  Outcome check = site.run({"check", "plan.toml", "--json"});
  CHECK(check.status == 1);
  CHECK(Json::parse(check.out)["findings"][0]["rule"] == "F02");
  check = site.run({"check", "--format", "json", "nowhere.toml"});
  CHECK(check.status == 2);
  CHECK(Json::parse(check.out)["findings"][0]["message"] ==
        "cannot be read: No such file or directory");
  site.write("bad.toml", "[plan]\ntitle = 500ms\n");
  check = site.run({"check", "bad.toml", "--json"});
  CHECK(check.status == 2);
  CHECK(Json::parse(check.out)["findings"][0]["rule"] == "P01");
}

TEST_CASE("an accepted assumption is left out, an idle accept of one is told in every form") {
  const std::string accept =
      "[review]\naccepts = [ { rule = \"A04\", at = \"line north\", why = \"seen\" } ]\n";
  const Site used(with_error() + accept);
  CHECK(used.run({"check", "plan.toml"}).out.find("A04") == std::string::npos);
  const Site idle(good_plan() + accept);  // no verdict rests on its timeout
  for (const std::vector<std::string>& form :
       {std::vector<std::string>{}, {"--json"}, {"--format", "csv"}, {"--format", "sarif"}}) {
    std::vector<std::string> arguments{"check", "plan.toml"};
    arguments.insert(arguments.end(), form.begin(), form.end());
    const Outcome check = idle.run(arguments);
    CHECK(check.status == 0);
    CHECK(check.err.empty());
    CHECK(check.out.find("A04 does not speak about 'line north'") != std::string::npos);
  }
  // whoever does not try assumptions does not judge what is accepted of them
  CHECK(idle.run({"export", "plan.toml", "-o", "out"}).status == 0);
  CHECK(used.run({"check", "plan.toml", "--fix", "--dry-run"}).out.find("P09") ==
        std::string::npos);
}

TEST_CASE("rules can be picked, wrong ones are refused") {
  const Site site(with_error());
  CHECK(site.run({"check", "plan.toml", "--rules", "M"}).status == 0);
  CHECK(site.run({"check", "plan.toml", "--rules", "F02"}).status == 1);
  const Outcome wrong = site.run({"check", "plan.toml", "--rules", "F,Q9"});
  CHECK(wrong.status == 2);
  CHECK(wrong.err ==
        "greymet: --rules 'Q9' is neither a family nor a rule; write e.g. --rules F,M02\n");
}

TEST_CASE("wrong usage is one line and status 2") {
  const Site site(good_plan());
  const std::vector<std::vector<std::string>> wrong{{},
                                                    {"chek", "plan.toml"},
                                                    {"check"},
                                                    {"check", "plan.toml", "--formt"},
                                                    {"check", "plan.toml", "--format", "xml"},
                                                    {"export", "plan.toml"},
                                                    {"timing", "plan.toml", "extra"}};
  for (const auto& arguments : wrong) {
    const Outcome outcome = site.run(arguments);
    INFO(outcome.err);
    CHECK(outcome.status == 2);
    CHECK(outcome.out.empty());
    CHECK(outcome.err.substr(0, 9) == "greymet: ");
  }
  CHECK(site.run({"chek", "plan.toml"}).err ==
        "greymet: unknown command 'chek' (did you mean 'check'?); see greymet --help\n");
  CHECK(site.run({}).err ==
        "greymet: a command is needed: new, check, explain, address, value, frame, timing, "
        "pack, tune, memory, points, serve, run, hand, probe, rehearse, audit, trend, export, "
        "report, diff, editor, schema, "
        "demo; see "
        "greymet "
        "--help\n");
  CHECK(site.run({"--help"}).status == 0);
  CHECK(site.run({"timing", "--help"}).out.find("--out") != std::string::npos);
  CHECK(site.run({"--version"}).out.substr(0, 8) == "greymet ");
}

TEST_CASE("hostile files end with a message and the right status") {
  const Site site(good_plan());
  site.write("empty.toml", "");
  site.write("binary.toml", std::string("\x7F"
                                        "ELF\0\1\2",
                                        7));
  site.write("deep.toml", "x = " + std::string(100'000, '['));
  std::string key(400'000, 'a');
  for (std::size_t i = 1; i < key.size(); i += 2) key[i] = '.';
  site.write("key.toml", key + " = 1\n");
  std::filesystem::create_directory(site.file("folder.toml"));
  site.write("self.toml", test::replaced(good_plan(), "gauge.csv", "self.toml"));
  CHECK(site.run({"check", "empty.toml"}).status == 1);
  CHECK(site.run({"check", "binary.toml"}).status == 2);
  CHECK(site.run({"check", "deep.toml"}).status == 2);
  CHECK(site.run({"check", "key.toml"}).status == 2);
  CHECK(site.run({"check", "folder.toml"})
            .out.find("folder.toml: error P01: plan: cannot be read: is a directory") == 0);
  CHECK(site.run({"check", "folder.toml"}).status == 2);
  CHECK(site.run({"check", "self.toml"}).status == 1);
  CHECK(site.run({"check", "/dev/zero"}).status == 2);
}

TEST_CASE("timing prints the table, and writes results and figures") {
  const Site site(good_plan());
  Outcome timing = site.run({"timing", "plan.toml"});
  CHECK(timing.status == 0);
  CHECK(timing.out.find("in short\n  north          use   ") == 0);
  CHECK(timing.out.find("\n\nnorth  rtu 19200 8E1, master kiln\n") != std::string::npos);
  // 8 + 21 characters at 0.572917 ms + 5 ms + 2.005 ms = 23.62 ms; longest with 20 ms 38.62 ms
  CHECK(timing.out.find("  t            3    8  21    23.62   38.62   1000.0   38.62    38.62  "
                        "1013.2  506.59   29.45\n") != std::string::npos);
  for (std::size_t from = 0; from < timing.out.size();) {
    const std::size_t end = timing.out.find('\n', from);
    CHECK(end - from <= 100);
    from = end + 1;
  }
  timing = site.run({"timing", "plan.toml", "--json", "-o", "out"});
  CHECK(timing.status == 0);
  CHECK(Json::parse(timing.out)["lines"][0]["transactions"][0]["request_bytes"] == 8);
  CHECK(timing.err.find("wrote out/timeline-north.svg") != std::string::npos);
  CHECK(site.read("out/timeline-north.png").substr(1, 3) == "PNG");
  CHECK(Json::parse(site.read("out/timing.json")) == Json::parse(timing.out));
  site.write("out/timing.json", "mine");
  timing = site.run({"timing", "plan.toml", "-o", "out"});
  CHECK(timing.status == 3);
  CHECK(timing.err.find("was changed since greymet wrote it; --force overwrites it") !=
        std::string::npos);
  CHECK(site.run({"timing", "plan.toml", "-o", "out", "--force"}).status == 0);
  CHECK(site.run({"timing", "plan.toml", "-o", "plan.toml/x"}).status == 3);
}

TEST_CASE("commands other than check stop at P errors and go on over others") {
  const Site site(with_error());
  const Outcome timing = site.run({"timing", "plan.toml"});
  CHECK(timing.status == 0);
  CHECK(timing.err ==
        "greymet: plan.toml has 1 error that `greymet check plan.toml` explains; going on\n");
  site.write("typo.toml", test::replaced(good_plan(), "\"gauge\", fc", "\"gouge\", fc"));
  const Outcome typo = site.run({"timing", "typo.toml"});
  CHECK(typo.status == 2);
  CHECK(typo.out.empty());
  CHECK(typo.err.find("typo.toml:19:25: error P03: transaction t: unknown slave 'gouge'") == 0);
}

TEST_CASE("export writes the exchange, and refuses while check has errors") {
  const Site site(good_plan());
  const Outcome done = site.run({"export", "plan.toml", "-o", "out"});
  CHECK(done.status == 0);
  const Json exchange = Json::parse(site.read("out/exchange.json"));
  CHECK(done.out.find(exchange["fingerprint"].get<std::string>()) != std::string::npos);
  CHECK(site.read("out/exchange.csv").find("1,t,kiln,gauge,12,north") != std::string::npos);
  site.write("plan.toml", with_error());
  const Outcome refused = site.run({"export", "plan.toml", "-o", "other"});
  CHECK(refused.status == 1);
  CHECK(refused.err.find("nothing is exported while check reports an error") != std::string::npos);
  CHECK_FALSE(site.has("other"));
}

TEST_CASE("demo writes its plans and goes through every step") {
  const test::TemporaryFolder folder;
  const auto run = [&](const std::vector<std::string>& arguments) {
    return test::run_program(GREYMET_PROGRAM, arguments, folder.path());
  };
  const Outcome demo = run({"demo", "d"});
  CHECK(demo.status == 0);
  for (const char* file :
       {"d/maltings.toml", "d/draft.toml", "d/maps/burner.csv", "d/models/mid.toml",
        "d/results/exchange.json", "d/results/memory-loadout.png", "d/results/exchange.csv",
        "d/results/timing.json", "d/results/timeline-north.png", "d/results/timeline-roof-tcp.svg",
        "d/results/rehearse.json", "d/results/log.csv", "d/results/measured.png"}) {
    INFO(file);
    CHECK(folder.has(file));
  }
  CHECK(demo.out.find("\n13. For the controllers") != std::string::npos);
  CHECK(demo.out.find("  maltings.toml: 54 transactions, 18 slaves, 4 lines, 4 connections "
                      "checked: no\n") != std::string::npos);
  CHECK(demo.out.find("errors, no warnings, 2 notes\n") != std::string::npos);
  // short, and no wider than a terminal; what is shown is what the files hold, and there is more
  std::istringstream lines(demo.out);
  std::size_t count = 0;
  for (std::string line; std::getline(lines, line); ++count) {
    INFO(line);
    CHECK(line.size() <= 80);
  }
  CHECK(count < 110);
  const std::string checked = folder.read("d/results/02-check.txt");
  CHECK(std::count(checked.begin(), checked.end(), '\n') > 200);
  CHECK(
      demo.out.ends_with("Start your own:\n  greymet new plant --line bus=rtu,19200,8E1 --slave "
                         "meter=bus,5,meter.csv\n"));
  // all of it where it is asked for
  const Outcome all = run({"demo", "d", "--all"});
  CHECK(all.status == 0);
  CHECK(all.out.find(checked) != std::string::npos);
  CHECK(folder.read("d/maltings.toml") ==
        test::run_program("/bin/cat", {std::string(GREYMET_EXAMPLES) + "/maltings.toml"}, "/").out);
  CHECK(run({"demo", "d"}).status == 0);  // again, over its own files
  folder.write("d/maltings.toml", "mine");
  const Outcome kept = run({"demo", "d"});
  CHECK(kept.status == 3);
  CHECK(folder.read("d/maltings.toml") == "mine");
}

TEST_CASE("pack writes the requests into the plan and leaves the rest of it alone") {
  const std::string plan =
      test::with_rows({in_row}) +
      "wants = [ { slave = \"gauge\", points = [\"low\", \"high\"], every = \"2s\", into = "
      "\"%MW100\" } ]  # soon\n";
  const Site site(plan);
  const Outcome shown = site.run({"pack", "plan.toml"});
  CHECK(shown.status == 0);
  CHECK(shown.out.find("gauge-low") != std::string::npos);
  CHECK(site.read("plan.toml") == plan);
  const Json json = Json::parse(site.run({"pack", "plan.toml", "--json"}).out);
  CHECK(json["before"]["requests"] == 2);
  CHECK(json["after"]["requests"] == 1);
  CHECK(json["transactions"][0]["at"] == 10);
  CHECK(json["transactions"][0]["count"] == 2);
  CHECK(json["transactions"][0]["every_ms"] == 2000.0);
  const Outcome written = site.run({"pack", "plan.toml", "--write"});
  CHECK(written.status == 0);
  const std::string after = site.read("plan.toml");
  CHECK(after.find("# packed: wants = [ { slave") != std::string::npos);
  CHECK(after.find("# soon") != std::string::npos);
  CHECK(after.find("{ name = \"gauge-low\", slave = \"gauge\", fc = 3, at = 10, count = 2, "
                   "into = \"%MW100\", every = \"2s\", phase = \"") != std::string::npos);
  CHECK(site.run({"check", "plan.toml", "--rules", "P,F,M"}).status == 0);
  const Outcome again = site.run({"pack", "plan.toml"});
  CHECK(again.status == 2);
  CHECK(again.err.find("the plan has no `wants`") == 0);
}

TEST_CASE("what pack says its rows raise is what check then reports more") {
  const Site site(
      test::with_rows({in_row}) +
      "wants = [ { slave = \"gauge\", points = [\"low\", \"high\"], every = \"2s\", into = "
      "\"%MW100\" } ]\n");
  using Heads = std::multiset<std::string>;
  const auto heads = [](const Json& findings) {
    Heads found;
    for (const Json& f : findings) {
      found.insert(f["rule"].get<std::string>() + " " + f["subject"].get<std::string>());
    }
    return found;
  };
  const auto checked = [&] {
    return heads(Json::parse(site.run({"check", "plan.toml", "--json"}).out)["findings"]);
  };
  const Heads before = checked();
  const Json raises = Json::parse(site.run({"pack", "plan.toml", "--json"}).out)["raises"];
  CHECK(site.run({"pack", "plan.toml"}).out.find("With these rows check will report:\n") !=
        std::string::npos);
  CHECK(site.run({"pack", "plan.toml", "--write"}).status == 0);
  const Heads after = checked();
  Heads more;
  std::set_difference(after.begin(), after.end(), before.begin(), before.end(),
                      std::inserter(more, more.end()));
  CHECK(heads(raises) == more);
  CHECK(more.contains("H08 transaction gauge-low"));
}

TEST_CASE("pack writes a whole plan into a folder") {
  const Site site(
      test::with_rows({in_row}) +
      "wants = [ { slave = \"gauge\", points = [\"low\"], every = \"2s\", into = \"%MW\" } ]\n");
  CHECK(site.run({"pack", "plan.toml", "-o", "out"}).status == 0);
  CHECK(site.run({"check", "out/plan.toml", "--rules", "P,F,M"}).status == 0);
  CHECK(site.read("out/gauge.csv") == site.read("gauge.csv"));
  CHECK(Json::parse(site.read("out/pack.json"))["least_proved"] == true);
}

TEST_CASE("timing says how a bound is made up") {
  // 19200 8E1: (8 + 9) and (8 + 25) characters of 11 / 19.2 ms, 20 ms, t3.5: 31.745 and 40.911 ms
  const Site site(test::with_rows(
      {R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s" })",
       R"({ name = "b", slave = "pump", fc = 3, at = 0, count = 10, into = "%MW10", on = "%MX1", min_gap = "9s" })",
       R"({ name = "c", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "1s", phase = "500ms" })"}));
  const Outcome run = site.run({"timing", "plan.toml", "--why", "a"});
  CHECK(run.status == 0);
  CHECK(
      run.out ==
      "a on north is answered within 72.656 ms, counted from its release\n\n"
      "in the plan's own phases: 72.656 ms\n"
      "  the worst busy period that the plan's releases can make\n"
      "    b                                               40.91\n"
      "    a itself                                        31.74\n\n"
      "whatever the phases: 104.401 ms\n  each of the others may go first, once\n"
      "    b                                               40.91\n"
      "    c                                               31.74\n"
      "    a itself                                        31.74\n\n"
      "what came closest: 31.745 ms\n  simulated with longest durations; times from its release at "
      "0ms\n"
      "        0.00 to     31.74  a itself\n\n"
      "All times in ms; with sends = \"scan\" each service but the last takes whole scans. Behind "
      "a\ngateway with several masters each holds what the others may put before it.\n");
  const auto json = Json::parse(site.run({"timing", "plan.toml", "--why", "a", "--json"}).out);
  CHECK(json["proof"] == "busy period");
  CHECK(json["shares"].size() == 2);
  CHECK(json["any_phase_shares"].size() == 3);
  const Outcome unknown = site.run({"timing", "plan.toml", "--why", "aa"});
  CHECK(unknown.status == 2);
  CHECK(unknown.err.find("the plan has no transaction 'aa' (did you mean 'a'?)") !=
        std::string::npos);
}

TEST_CASE("timing tells of paths, silent slaves in pairs, and heartbeats under frame errors") {
  const test::TemporaryFolder folder;
  const Outcome shown = test::run_program(
      GREYMET_PROGRAM,
      {"timing", GREYMET_EXAMPLES "/maltings.toml", "--pairs", "--frame-errors", "1e-3"},
      folder.path());
  CHECK(shown.status == 0);
  CHECK(shown.out.find("moisture at the load-out ") != std::string::npos);
  CHECK(shown.out.find("two silent slaves") != std::string::npos);
  CHECK(shown.out.find("expected at 0.001") != std::string::npos);
  const Json json = Json::parse(test::run_program(GREYMET_PROGRAM,
                                                  {"timing", GREYMET_EXAMPLES "/maltings.toml",
                                                   "--json", "--frame-errors", "1e-3"},
                                                  folder.path())
                                    .out);
  const Json& path = json["paths"][0];
  CHECK(path["verdict"] == "good");
  CHECK(path["simulated_ms"] <= path["bound_ms"]);
  CHECK(path["least_ms"] <= path["typical_ms"]);
  CHECK(path["hops"].size() == 3);
  for (const Json& heartbeat : json["heartbeats"]) {
    CHECK(heartbeat["detection_latest_ms"] <= heartbeat["latest_alarm_ms"]);
    CHECK(heartbeat["false_alarms_per_year"] > 0);
  }
  for (const Json& slave : json["silent_slaves"]) {
    if (slave["simulated"].is_null()) continue;
    CHECK(slave["simulated"]["first_stall_ms"] <= slave["first_stall_ms"]);
    CHECK(slave["simulated"]["steady_stall_ms"] <= slave["steady_stall_ms"]);
  }
}

TEST_CASE("a window of the timelines must make sense") {
  const Site site(good_plan());
  CHECK(site.run({"timing", "plan.toml", "--window", "1s..500ms", "-o", "out"}).err ==
        "greymet: --window takes two instants such as 200ms..600ms; see greymet timing --help\n");
  CHECK(site.run({"timing", "plan.toml", "--window", "0ms..500ms"}).status == 2);
  CHECK(site.run({"timing", "plan.toml", "--window", "1s..1500ms", "-o", "out"}).status == 0);
  CHECK(site.read("out/timeline-north.svg").find("1s to 1500ms") != std::string::npos);
}

TEST_CASE("tune says what is wrong with a line and what would cure it") {
  const Site site(test::with_rows(
      {test::replaced(in_row, "every = \"1s\"", "every = \"50ms\""),
       R"({ name = "u", slave = "pump", fc = 3, at = 0, count = 2, into = "%MW20", every = "50ms", on_loss = "hold" })"}));
  const Outcome shown = site.run({"tune", "plan.toml"});
  CHECK(shown.status == 0);
  // 8 registers: (8 + 21 + 3.5) x 11 / 19.2 + 20 = 38.62 ms; 2: (8 + 9 + 3.5) x 11 / 19.2 + 20 =
  // 31.74 ms; 70.36 of 50
  CHECK(shown.out.find("does not fit: use 140.7 %") != std::string::npos);
  CHECK(shown.out.find("line north: baud = ") != std::string::npos);
  const Json json = Json::parse(site.run({"tune", "plan.toml", "--json"}).out);
  CHECK(json["lines"][0]["goal"] == "fit");
  for (const Json& change : json["lines"][0]["changes"]) CHECK(change["after"]["missed"] == 0);
  const Site calm(good_plan());
  CHECK(calm.run({"tune", "plan.toml"}).out.find("nothing to tune") != std::string::npos);
}
