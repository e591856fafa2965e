// Files that greymet writes: whose they are, where they are, and all of them or none.
#include <sys/resource.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <fstream>
#include <set>

#include <fmt/format.h>
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>

#include "plans.h"
#include "process.h"

namespace files_written {

using namespace greymet;
namespace fs = std::filesystem;

test::Outcome run_in(const test::TemporaryFolder& site, const std::vector<std::string>& arguments) {
  return test::run_program(GREYMET_PROGRAM, arguments, site.path());
}

const std::string registers = "point,area,address,type\r\nflow,hr,0,u16\r\n";
const std::string others = "point,area,address,type\r\npressure,hr,7,i16\r\n";

TEST_CASE("a slave that joins a plan gets a map of its own, whatever it is called") {
  const test::TemporaryFolder site;
  CHECK(
      run_in(site, {"new", "p", "--line", "l=rtu,19200,8E1", "--slave", "pump-1=l,1", "--example"})
          .status == 0);
  const std::string first = site.read("p/maps/pump-1.csv");
  site.write("other.csv", others);
  int unit = 2;
  for (const std::string name : {"pump 1", "PUMP-1", "泵一", "泵二", "con", "pump~1"}) {
    const auto outcome =
        run_in(site, {"new", "--from", "other.csv", "--slave", fmt::format("{}=l,{}", name, unit++),
                      "--plan", "p/plan.toml"});
    INFO(name << outcome.err << outcome.out);
    CHECK(outcome.status == 0);
  }
  CHECK(site.read("p/maps/pump-1.csv") == first);
  // as many maps as slaves, no two alike
  std::set<std::string> small;
  for (const auto& entry : fs::directory_iterator(site.file("p/maps"))) {
    std::string name = entry.path().filename();
    for (char& c : name) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    CHECK(small.insert(name).second);
    CHECK(name != "con.csv");
  }
  CHECK(small.size() == 7);
  // check says it before anybody exports
  const auto check = run_in(site, {"check", "p/plan.toml"});
  CHECK(
      check.out.find("note P10: slave pump 1: 'pump 1' and 'pump-1' give files of the same name") !=
      std::string::npos);
}

TEST_CASE("a map that could be written and a plan that could not leave nothing behind") {
  const test::TemporaryFolder site;
  CHECK(run_in(site, {"new", "p", "--line", "l=rtu,19200,8E1", "--slave", "a=l,1", "--example"})
            .status == 0);
  site.write("other.csv", others);
  const std::string plan = site.read("p/plan.toml");
  fs::permissions(site.file("p/plan.toml"), fs::perms(0444));
  const auto outcome =
      run_in(site, {"new", "--from", "other.csv", "--slave", "b=l,2", "--plan", "p/plan.toml"});
  CHECK(outcome.status == 3);
  CHECK(outcome.err.find("greymet: nothing was changed\n") != std::string::npos);
  CHECK(site.read("p/plan.toml") == plan);
  CHECK_FALSE(site.has("p/maps/b.csv"));
}

TEST_CASE("a new plan in a folder where it may not be written changes no map there") {
  const test::TemporaryFolder site;
  CHECK(run_in(site, {"new", "p", "--line", "l=rtu,19200,8E1", "--slave", "a=l,1", "--example"})
            .status == 0);
  site.write("p/plan.toml", site.read("p/plan.toml") + "# mine\n");
  site.write("other.csv", others);
  const std::string map = site.read("p/maps/a.csv");
  const auto outcome =
      run_in(site, {"new", "p", "--line", "l=rtu,19200,8E1", "--slave", "a=l,1,other.csv"});
  CHECK(outcome.status == 3);
  CHECK(site.read("p/maps/a.csv") == map);
}

TEST_CASE("an export is all of its files or none") {
  const test::TemporaryFolder site;
  fs::copy(GREYMET_EXAMPLES, site.path(), fs::copy_options::recursive);
  // the last of them by name cannot be written
  site.write("out/things/weather.td.json", "somebody's own");
  const auto refused = run_in(site, {"export", "maltings.toml", "-o", "out"});
  CHECK(refused.status == 3);
  CHECK(refused.out.find("wrote") == std::string::npos);
  std::size_t files = 0;
  for (const auto& entry : fs::recursive_directory_iterator(site.file("out"))) {
    if (entry.is_regular_file() && entry.path().filename() != ".greymet-files") ++files;
  }
  CHECK(files == 1);
  CHECK(site.read("out/things/weather.td.json") == "somebody's own");
  fs::remove(site.file("out/things/weather.td.json"));
  CHECK(run_in(site, {"export", "maltings.toml", "-o", "out"}).status == 0);
  CHECK(run_in(site, {"export", "maltings.toml", "--compare", "out"}).status == 0);
}

TEST_CASE("controllers that are called alike have files of their own") {
  const test::TemporaryFolder site;
  site.write("plan.toml", R"([controller."Kiln 1"]
scan = "10ms"
address = "10.0.0.1/24"
[controller."Kiln 1".memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[controller.kiln-1]
scan = "10ms"
address = "10.0.0.2/24"
[controller.kiln-1.memory]
"%MW" = { kind = "word", first = 0, count = 100 }
[slave.a]
host = "10.0.0.9"
[exchange]
transactions = [
  { name = "x", controller = "Kiln 1", slave = "a", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" },
  { name = "y", controller = "kiln-1", slave = "a", fc = 3, at = 0, count = 2, into = "%MW0", every = "1s", on_loss = "hold" },
]
)");
  const auto outcome = run_in(site, {"export", "plan.toml", "-o", "out", "--only", "st"});
  INFO(outcome.err);
  CHECK(outcome.status == 0);
  std::size_t programs = 0;
  for (const auto& entry : fs::directory_iterator(site.file("out"))) {
    if (entry.path().extension() == ".st") ++programs;
  }
  CHECK(programs == 3);  // and the library that both need
  CHECK(site.has("out/kiln-1.st"));
}

TEST_CASE("fixing stays within the plan's folder, whatever leads out of it") {
  const test::TemporaryFolder temporary;
  const std::string slip =
      test::replaced(test::base_files()["gauge.csv"], "state,hr,4,bits", "state,hr,4,Bit field");
  for (const bool of_folder : {false, true}) {
    fs::remove_all(temporary.file("site"));
    temporary.write("elsewhere/gauge.csv", slip);
    temporary.write("site/pump.csv", test::base_files().at("pump.csv"));
    if (of_folder) {
      fs::create_directory_symlink("../elsewhere", temporary.file("site/maps"));
    } else {
      fs::create_directory(temporary.file("site/maps"));
      fs::create_symlink("../../elsewhere/gauge.csv", temporary.file("site/maps/gauge.csv"));
    }
    temporary.write("site/plan.toml",
                    test::replaced(test::base_plan(), "gauge.csv", "maps/gauge.csv"));
    (void)test::run_program(GREYMET_PROGRAM, {"check", "site/plan.toml", "--fix"},
                            temporary.path());
    CHECK(temporary.read("elsewhere/gauge.csv") == slip);
  }
  // nor is the plan itself written where a link leads out
  std::string slipped = test::nothing_unused(test::with_rows(
      {R"({ name = "t", slave = "gauge", fc = 3, at = 0, count = 8, into = "%MW0", every = "1s", on_loss = "hold" })"}));
  slipped.replace(slipped.find("every"), 5, "evry");
  fs::remove_all(temporary.file("site"));
  temporary.write("elsewhere/plan.toml", slipped);
  for (const auto& [name, text] : test::base_files()) temporary.write("site/" + name, text);
  fs::create_symlink("../elsewhere/plan.toml", temporary.file("site/plan.toml"));
  const std::string before = slipped;
  const auto outcome =
      test::run_program(GREYMET_PROGRAM, {"check", "site/plan.toml", "--fix"}, temporary.path());
  CHECK(outcome.status == 3);
  CHECK(outcome.err.find("outside the plan's folder, where nothing is written") !=
        std::string::npos);
  CHECK(temporary.read("elsewhere/plan.toml") == before);
}

TEST_CASE("what a killed --fix left half done the next command undoes, and says so") {
  const test::TemporaryFolder site;
  for (const auto& [name, text] : test::base_files()) site.write(name, text);
  const std::string plan = test::base_plan();
  site.write("plan.toml", plan + "# new\n");
  site.write(".greymet-journal", fmt::format("greymet journal 1\n9\nplan.toml\n{}\n{}\n{}\n{}\n",
                                             plan.size(), plan, plan.size() + 6, plan + "# new\n"));
  const auto outcome = run_in(site, {"check", "plan.toml"});
  CHECK(outcome.err ==
        "greymet: plan.toml: a run that was interrupted while it wrote has been undone here\n");
  CHECK(site.read("plan.toml") == plan);
  CHECK(run_in(site, {"check", "plan.toml"}).err.empty());
}

}  // namespace files_written
