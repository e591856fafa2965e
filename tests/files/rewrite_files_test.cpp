// Several files rewritten together: all or none, also after a kill; and nothing outside, ever.
#include "files/rewrite_files.h"

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <csignal>
#include <filesystem>
#include <thread>

#include <catch2/catch.hpp>

#include "process.h"

using namespace greymet;
using files::mend_interrupted;
using files::rewrite_files;
namespace fs = std::filesystem;

namespace {

std::vector<std::string> names_of_folder(const std::string& path) {
  std::vector<std::string> names;
  for (const auto& entry : fs::directory_iterator(path)) names.push_back(entry.path().filename());
  std::sort(names.begin(), names.end());
  return names;
}

}  // namespace

TEST_CASE("a kill between and inside of files is found and mended by the next run") {
  const test::TemporaryFolder site;
  const std::string plan = site.file("plan.toml");
  const std::string map = site.file("map.csv");
  const std::string fresh = site.file("new.csv");
  const std::string old_plan = "old plan\n" + std::string(40, 'p');
  const std::string old_map = "old map\n" + std::string(1 << 20, 'm');
  const std::string new_plan = "new plan, longer\n" + std::string(90, 'q');
  const std::string new_map = "new map\n" + std::string(700'000, 'n');
  std::size_t mended = 0;
  for (int i = 0; i < 60; ++i) {
    fs::remove(plan);
    fs::remove(map);
    fs::remove(fresh);
    fs::remove(site.file("twin.csv"));
    site.write("plan.toml", old_plan);
    site.write("map.csv", old_map);
    // a second name: the file has to be overwritten in its place
    fs::create_hard_link(map, site.file("twin.csv"));
    const pid_t child = ::fork();
    if (child == 0) {
      const auto done = rewrite_files(
          site.path(),
          {{fresh, std::nullopt, "new\n"}, {plan, old_plan, new_plan}, {map, old_map, new_map}});
      ::_exit(done ? 0 : 1);
    }
    ::usleep(static_cast<useconds_t>(1000 * i));
    ::kill(child, SIGKILL);
    int status = 0;
    ::waitpid(child, &status, 0);
    if (mend_interrupted(site.path())) ++mended;
    const bool old = site.read("plan.toml") == old_plan && site.read("map.csv") == old_map &&
                     !site.has("new.csv");
    const bool renewed = site.read("plan.toml") == new_plan && site.read("map.csv") == new_map &&
                         site.has("new.csv");
    INFO(i);
    CHECK((old || renewed));
    CHECK(site.read("twin.csv") == site.read("map.csv"));
    CHECK_FALSE(site.has(".greymet-journal"));
    CHECK_FALSE(mend_interrupted(site.path()));
    // and a run after it goes through
    const std::string now = site.read("plan.toml");
    CHECK(rewrite_files(site.path(), {{plan, now, now + "!"}}).has_value());
    for (const std::string& name : names_of_folder(site.path())) {
      CHECK((name == "map.csv" || name == "plan.toml" || name == "twin.csv" || name == "new.csv"));
    }
  }
  CHECK(mended > 3);
}

TEST_CASE("what somebody changed after a kill is left, and said") {
  const test::TemporaryFolder site;
  site.write("plan.toml", "typed since");
  site.write("map.csv", "after");
  site.write(".greymet-journal",
             "greymet journal 1\n9\nplan.toml\n6\nbefore\n5\nafter\n7\nmap.csv\n6\nbefore\n5\n"
             "after\n");
  const auto mended = mend_interrupted(site.path());
  REQUIRE(mended);
  CHECK(mended->restored == std::vector<std::string>{"map.csv"});
  CHECK(mended->left == std::vector<std::string>{"plan.toml"});
  CHECK(site.read("plan.toml") == "typed since");
  CHECK(site.read("map.csv") == "before");
  CHECK(site.has(".greymet-journal.left"));
}

TEST_CASE("a journal that is none, or leads out, does nothing") {
  const test::TemporaryFolder temporary;
  temporary.write("outside.txt", "after");
  fs::create_directory(temporary.file("site"));
  fs::create_symlink("../outside.txt", temporary.file("site/link.txt"));
  for (const std::string& journal :
       {std::string("greymet journal 1\n14\n../outside.txt\n6\nbefore\n5\nafter\n"),
        std::string("greymet journal 1\n8\nlink.txt\n6\nbefore\n5\nafter\n"),
        std::string("greymet journal 1\n99999999999999999999\nx\n"),
        std::string("greymet journal 1\n9\nplan.toml\n6\nbef"), std::string("other\n"),
        std::string()}) {
    temporary.write("site/.greymet-journal", journal);
    (void)mend_interrupted(temporary.file("site"));
    CHECK(temporary.read("outside.txt") == "after");
  }
}

TEST_CASE("nothing outside of the folder is written, whatever leads there") {
  const test::TemporaryFolder temporary;
  temporary.write("elsewhere/map.csv", "old");
  temporary.write("site/plan.toml", "plan");
  fs::create_symlink("../elsewhere", temporary.file("site/maps"));
  fs::create_symlink("../elsewhere/map.csv", temporary.file("site/one.csv"));
  const std::string site = temporary.file("site");
  for (const std::string& name : {std::string("/maps/map.csv"), std::string("/one.csv"),
                                  std::string("/../elsewhere/map.csv")}) {
    const auto done = rewrite_files(
        site, {{site + "/plan.toml", "plan", "new plan"}, {site + name, "old", "new"}});
    REQUIRE_FALSE(done);
    CHECK(done.error().message.find("outside the plan's folder, where nothing is written") !=
          std::string::npos);
    CHECK(temporary.read("site/plan.toml") == "plan");
    CHECK(temporary.read("elsewhere/map.csv") == "old");
  }
  CHECK_FALSE(rewrite_files(site, {{site + "/maps/new.csv", std::nullopt, "new"}}));
  CHECK_FALSE(temporary.has("elsewhere/new.csv"));
}

TEST_CASE("nor is it when the link is made while files are written") {
  const test::TemporaryFolder temporary;
  const std::string site = temporary.file("site");
  temporary.write("elsewhere/map.csv", "old");
  temporary.write("site/maps/map.csv", "old");
  std::atomic<bool> over{false};
  std::thread other([&] {
    // the folder and a link to elsewhere change places without end
    fs::create_symlink("../elsewhere", temporary.file("site/link"));
    while (!over) {
      ::renameat2(AT_FDCWD, temporary.file("site/maps").c_str(), AT_FDCWD,
                  temporary.file("site/link").c_str(), RENAME_EXCHANGE);
    }
  });
  std::size_t written = 0;
  std::string text = "old";
  for (int i = 0; i < 400; ++i) {
    const std::string next = "new " + std::to_string(i);
    if (!rewrite_files(site, {{site + "/maps/map.csv", text, next}})) continue;
    text = next;
    ++written;
  }
  over = true;
  other.join();
  CHECK(written > 0);
  CHECK(temporary.read("elsewhere/map.csv") == "old");
  CHECK(names_of_folder(temporary.file("elsewhere")) == std::vector<std::string>{"map.csv"});
}
