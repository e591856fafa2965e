// check --fix and tune --write on real files: what is written, what stays, what is refused.
#include <sys/stat.h>
#include <unistd.h>
#include <catch2/catch.hpp>

#include <filesystem>

#include <nlohmann/json.hpp>

#include "plans.h"
#include "process.h"

using namespace greymet;
namespace fs = std::filesystem;
using Json = nlohmann::json;

namespace {

class CuredFolder : public test::TemporaryFolder {
 public:
  CuredFolder() {
    for (const auto& [name, text] : test::base_files()) write(name, text);
    write("plan.toml", slipped);
  }
  [[nodiscard]] test::Outcome run(const std::vector<std::string>& arguments) const {
    return test::run_program(GREYMET_PROGRAM, arguments, path());
  }

  inline static const std::string good = test::nothing_unused(test::with_rows(
      {R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })"}));
  // a wrong key and a count one too many, each with one meaning
  inline static const std::string slipped = [] {
    std::string text = good;
    text.replace(text.find("every"), 5, "evry");
    text.replace(text.find("count = 8"), 9, "count = 9");
    return text;
  }();
};

}  // namespace

TEST_CASE("check --fix writes what has one meaning, says it, and ends as check would") {
  const CuredFolder site;
  const test::Outcome dry = site.run({"check", "plan.toml", "--fix", "--dry-run"});
  CHECK(site.read("plan.toml") == CuredFolder::slipped);
  CHECK(dry.out.find("wrote") == std::string::npos);
  const test::Outcome done = site.run({"check", "plan.toml", "--fix"});
  CHECK(done.status == 0);
  CHECK(done.err.empty());
  CHECK(site.read("plan.toml") == CuredFolder::good);
  CHECK(done.out.find("--- plan.toml\n+++ plan.toml\n@@ ") == 0);
  CHECK(done.out.find("\nfixed P02 transaction t (plan.toml:19): write `every`\n") !=
        std::string::npos);
  CHECK(done.out.find("\nfixed F11 transaction t (plan.toml:19): write count = 8\n") !=
        std::string::npos);
  CHECK(done.out.find("\nwrote plan.toml\n") != std::string::npos);
  CHECK(done.out.find("checked: nothing to report\n") != std::string::npos);
  // all but the last lines are the same as without --dry-run
  CHECK(done.out.substr(0, done.out.find("wrote")) == dry.out.substr(0, done.out.find("wrote")));
  const test::Outcome again = site.run({"check", "plan.toml", "--fix"});
  CHECK(again.out.find("no finding has a fix that could be carried out\n") == 0);
  // offers are spoken of only where there are some
  site.write("offer.toml", test::replaced(CuredFolder::good, "count = 8", "count = 140"));
  const test::Outcome offered = site.run({"check", "offer.toml", "--fix"});
  CHECK(offered.out.find("no finding has a certain fix; --fix=offers takes offers too\n") == 0);
  const test::Outcome offers = site.run({"check", "plan.toml", "--fix=offers"});
  CHECK(offers.out.find("no finding has a fix that could be carried out\n") == 0);
}

TEST_CASE("check --fix keeps links, modes and times of what it does not write") {
  const CuredFolder site;
  fs::create_directory(site.file("real"));
  fs::rename(site.file("plan.toml"), site.file("real/plan.toml"));
  fs::rename(site.file("gauge.csv"), site.file("real/gauge.csv"));
  fs::create_symlink("real/plan.toml", site.file("link.toml"));
  fs::create_symlink("real/gauge.csv", site.file("gauge.csv"));
  ::chmod(site.file("real/plan.toml").c_str(), 0640);
  CHECK(site.run({"check", "link.toml", "--fix"}).status == 0);
  CHECK(fs::is_symlink(site.file("link.toml")));
  CHECK(site.read("real/plan.toml") == CuredFolder::good);
  CHECK((fs::status(site.file("real/plan.toml")).permissions() & fs::perms::mask) ==
        fs::perms(0640));
}

TEST_CASE("check --fix refuses what it may not write, and then changes nothing at all") {
  CuredFolder site;
  // a slip in the map too: two files are to be written
  site.write("gauge.csv", test::replaced(test::base_files()["gauge.csv"], "state,hr,4,bits",
                                         "state,hr,4,Bit field"));
  ::chmod(site.file("plan.toml").c_str(), 0444);
  const std::string map = site.read("gauge.csv");
  const test::Outcome refused = site.run({"check", "plan.toml", "--fix"});
  CHECK(refused.status == 3);
  CHECK(
      refused.err.find("plan.toml: is read-only and is left as it is; make it writable first\n") !=
      std::string::npos);
  CHECK(refused.err.find("greymet: nothing was changed\n") != std::string::npos);
  CHECK(site.read("plan.toml") == CuredFolder::slipped);
  CHECK(site.read("gauge.csv") == map);
  CHECK(refused.out.find("wrote") == std::string::npos);
}

TEST_CASE("options of --fix that contradict each other are refused") {
  const CuredFolder site;
  const auto error = [&](const std::vector<std::string>& arguments) {
    const test::Outcome outcome = site.run(arguments);
    CHECK(outcome.status == 2);
    CHECK(outcome.out.empty());
    return outcome.err;
  };
  CHECK(error({"check", "plan.toml", "--dry-run"}) ==
        "greymet: --dry-run belongs to --fix: greymet check PLAN --fix --dry-run\n");
  CHECK(error({"check", "plan.toml", "--fix", "--json"}) ==
        "greymet: --fix prints text; leave --format out\n");
  CHECK(error({"check", "plan.toml", "--fix=all"}).find("--fix") != std::string::npos);
  CHECK(error({"check", "plan.toml", "--least", "some"}).find("--least") != std::string::npos);
  CHECK(site.read("plan.toml") == CuredFolder::slipped);
}

TEST_CASE("check --least shows no less, and counts all the same") {
  CuredFolder site;
  site.write("plan.toml", test::replaced(CuredFolder::good, "count = 8", "count = 9"));
  const test::Outcome all = site.run({"check", "plan.toml"});
  CHECK(all.out.find("warning F11") != std::string::npos);
  const test::Outcome errors = site.run({"check", "plan.toml", "--least", "error"});
  CHECK(errors.out.find("F11") == std::string::npos);
  CHECK(errors.out.find("no errors, 1 warning, no notes (1 not shown)\n") != std::string::npos);
  CHECK(errors.status == 0);
  const Json json = Json::parse(site.run({"check", "plan.toml", "--least", "error", "--json"}).out);
  CHECK(json["findings"].empty());
  const Json cures = Json::parse(site.run({"check", "plan.toml", "--json"}).out);
  CHECK(cures["findings"][0]["fixes"][0]["edits"][0]["text"] == "8");
  CHECK(cures["findings"][0]["fixes"][0]["certain"] == true);
}

TEST_CASE("tune --write puts one proposal into the plan, if nothing grave comes of it") {
  CuredFolder site;
  const std::string busy = test::nothing_unused(test::with_rows(
      {R"({ name = "a", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "60ms", on_loss = "hold" })",
       R"({ name = "b", slave = "gauge", fc = 3, at = 10, count = 4, into = "%MW10", every = "60ms", on_loss = "hold" })"}));
  site.write("plan.toml", busy);
  const Json tune = Json::parse(site.run({"tune", "plan.toml", "--json"}).out);
  const Json& changes = tune["lines"][0]["changes"];
  REQUIRE(changes.size() > 1);
  CHECK(changes[0]["number"] == 1);
  CHECK(changes[0]["edits"][0]["file"] == "plan.toml");
  const auto most = std::to_string(changes.size());
  const test::Outcome beyond = site.run({"tune", "plan.toml", "--write", "99"});
  CHECK(beyond.status == 2);
  CHECK(beyond.err == "greymet: there is no proposal 99; there are " + most + "\n");
  CHECK(site.read("plan.toml") == busy);
  bool any = false;
  for (std::size_t n = 1; n <= changes.size(); ++n) {
    site.write("plan.toml", busy);
    const test::Outcome written = site.run({"tune", "plan.toml", "--write", std::to_string(n)});
    INFO(changes[n - 1]["change"].get<std::string>());
    if (written.status != 0) {
      CHECK(written.err.find("greymet: nothing is written: it would bring ") == 0);
      CHECK(site.read("plan.toml") == busy);
      continue;
    }
    any = true;
    CHECK(written.out.find("--- plan.toml\n") == 0);
    CHECK(written.out.find("wrote plan.toml\n") != std::string::npos);
    // what was promised holds
    const Json after = Json::parse(site.run({"timing", "plan.toml", "--json"}).out);
    for (const Json& line : after["lines"]) {
      for (const Json& t : line["transactions"]) CHECK(t["missed"] == 0);
    }
  }
  CHECK(any);
}

TEST_CASE(
    "slaves that are written once are packed into one row, tuned as one and compared as one") {
  const test::TemporaryFolder site;
  site.write("drive.csv", "point,area,address,type,access\nstatus,hr,0,u16,r\nspeed,hr,1,u16,r\n");
  const std::string plan = R"([controller.kiln]
scan = "10ms"
[controller.kiln.memory]
"%MW" = { kind = "word", first = 0, count = 1000 }
[line.north]
master = "kiln"
mode = "rtu"
baud = 19200
format = "8E1"
[slave.fan]
count = 8
line = "north"
unit = 1
map = "drive.csv"
[exchange]
)";
  site.write("plan.toml",
             plan +
                 "wants = [\n  { slave = \"fan\", points = [\"*\"], every = \"2s\", into = "
                 "\"%MW600\", on_loss = \"hold\" },\n]\n");
  const auto run = [&](const std::vector<std::string>& arguments) {
    return test::run_program(GREYMET_PROGRAM, arguments, site.path());
  };
  CHECK(run({"pack", "plan.toml", "--write"}).status == 0);
  const std::string asks =
      "  { name = \"fan-status\", slave = \"fan\", fc = 3, at = 0, count = 2, into = "
      "\"%MW600+2\", ";
  const std::string row = asks + "every = \"400ms\", ";
  const std::string packed = site.read("plan.toml");
  REQUIRE(packed.find("transactions = [\n" + asks + "every = \"2s\", phase_step = \"") !=
          std::string::npos);
  CHECK(packed.find("fan2") == std::string::npos);
  // what tune proposes is what --write writes: of the row, and so of all slaves
  site.write("full.toml", plan + "transactions = [\n" + row + "on_loss = \"hold\" },\n]\n");
  const test::Outcome advice = run({"tune", "full.toml"});
  CHECK(advice.out.find("1. fan-status every = \"500ms\"\n") != std::string::npos);
  CHECK(advice.out.find("fan2") == std::string::npos);
  CHECK(run({"tune", "full.toml", "--write", "1"}).status == 0);
  CHECK(site.read("full.toml") ==
        test::replaced(plan + "transactions = [\n" + row + "on_loss = \"hold\" },\n]\n", "400ms",
                       "500ms"));
  site.write("now.toml", test::replaced(site.read("full.toml"), "unit = 1", "unit = 101"));
  CHECK(run({"diff", "full.toml", "now.toml"}).out ==
        "slave fan1: unit 1 -> 101 (alike: fan2 to fan8)\n");
}
