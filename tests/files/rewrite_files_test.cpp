// Several files rewritten together: all or none, also after a kill; and nothing outside, ever.
#include "files/rewrite_files.h"

#include <fcntl.h>
#include <sys/ptrace.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <csignal>
#include <filesystem>
#include <thread>

#include <fmt/format.h>
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

namespace {

// A folder with a plan, and a map that has two names and so is overwritten in its place.
struct Site {
  Site() {
    folder.write("plan.toml", old_plan);
    folder.write("map.csv", old_map);
    fs::create_hard_link(folder.file("map.csv"), folder.file("twin.csv"));
  }
  [[nodiscard]] bool rewrite() const {
    return rewrite_files(folder.path(), {{folder.file("new.csv"), std::nullopt, "new\n"},
                                         {folder.file("plan.toml"), old_plan, new_plan},
                                         {folder.file("map.csv"), old_map, new_map}})
        .has_value();
  }
  [[nodiscard]] bool is_old() const {
    return folder.read("plan.toml") == old_plan && folder.read("map.csv") == old_map &&
           !folder.has("new.csv");
  }
  [[nodiscard]] bool is_renewed() const {
    return folder.read("plan.toml") == new_plan && folder.read("map.csv") == new_map &&
           folder.has("new.csv");
  }
  // Whatever has happened: all old or all new, nothing else left, and a run after it goes through.
  void check_whole() const {
    CHECK((is_old() || is_renewed()));
    CHECK(folder.read("twin.csv") == folder.read("map.csv"));
    CHECK_FALSE(folder.has(".greymet-journal"));
    CHECK_FALSE(mend_interrupted(folder.path()));
    const std::string now = folder.read("plan.toml");
    CHECK(rewrite_files(folder.path(), {{folder.file("plan.toml"), now, now + "!"}}).has_value());
    for (const std::string& name : names_of_folder(folder.path())) {
      CHECK((name == "map.csv" || name == "plan.toml" || name == "twin.csv" || name == "new.csv"));
    }
  }

  const std::string old_plan = "old plan\n" + std::string(40, 'p');
  const std::string old_map = "old map\n" + std::string(1 << 20, 'm');
  const std::string new_plan = "new plan, longer\n" + std::string(90, 'q');
  const std::string new_map = "new map\n" + std::string(700'000, 'n');
  test::TemporaryFolder folder;
};

// Some machines let nobody trace, not even a child.
bool may_trace() {
  const pid_t child = ::fork();
  if (child == 0) ::_exit(::ptrace(PTRACE_TRACEME, 0, nullptr, nullptr) == 0 ? 0 : 1);
  int status = 0;
  ::waitpid(child, &status, 0);
  return WIFEXITED(status) && WEXITSTATUS(status) == 0;
}

// Rewrites in a child that is killed at its `stop`-th step into or out of the system.
// False where the child came to its end before.
bool killed_at(const Site& site, int stop) {
  const pid_t child = ::fork();
  if (child == 0) {
    ::ptrace(PTRACE_TRACEME, 0, nullptr, nullptr);
    ::raise(SIGSTOP);
    ::_exit(site.rewrite() ? 0 : 1);
  }
  int status = 0;
  ::waitpid(child, &status, WUNTRACED);
  for (int i = 0; i < stop; ++i) {
    if (::ptrace(PTRACE_SYSCALL, child, nullptr, nullptr) != 0) break;
    ::waitpid(child, &status, 0);
    if (WIFEXITED(status)) return false;
  }
  ::kill(child, SIGKILL);
  ::waitpid(child, &status, 0);
  return true;
}

}  // namespace

TEST_CASE("a kill at any step of the way is found and mended by the next run") {
  if (!may_trace()) {
    WARN("nobody may be traced here: left to the test of any moment");
    return;
  }
  int mended = 0;
  int kept = 0;
  int stop = 1;
  for (;; ++stop) {
    const Site site;
    const bool killed = killed_at(site, stop);
    if (mend_interrupted(site.folder.path())) ++mended;
    INFO(stop);
    kept += site.is_renewed() ? 1 : 0;
    site.check_whole();
    if (!killed) break;
    REQUIRE(stop < 5000);
  }
  CHECK(stop > 50);
  CHECK(mended > 10);
  CHECK(kept > 0);
}

TEST_CASE("a kill at any moment is found and mended by the next run") {
  for (int i = 0; i < 25; ++i) {
    const Site site;
    const pid_t child = ::fork();
    if (child == 0) ::_exit(site.rewrite() ? 0 : 1);
    ::usleep(static_cast<useconds_t>(2000 * i));
    ::kill(child, SIGKILL);
    int status = 0;
    ::waitpid(child, &status, 0);
    (void)mend_interrupted(site.folder.path());
    INFO(i);
    site.check_whole();
  }
}

TEST_CASE("a file that was torn at any byte is put back") {
  const std::string before = "old map, of old\n";
  for (const std::string after : {"new map\n", "old map, of nobody, and longer\n", ""}) {
    for (std::size_t at = 0; at <= after.size(); ++at) {
      const test::TemporaryFolder folder;
      // the new text up to there, and the old one behind it
      const std::string torn =
          after.substr(0, at) + (at < before.size() ? before.substr(at) : std::string());
      folder.write("map.csv", torn);
      folder.write(".greymet-journal",
                   fmt::format("greymet journal 1\n7\nmap.csv\n{}\n{}\n{}\n{}\n", before.size(),
                               before, after.size(), after));
      const auto done = mend_interrupted(folder.path());
      INFO(torn);
      REQUIRE(done);
      CHECK(folder.read("map.csv") == before);
      CHECK(done->left.empty());
    }
  }
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

TEST_CASE(
    "a new file that somebody has changed since stays, and so does all where the journal is not "
    "ours") {
  const test::TemporaryFolder site;
  const std::string journal = "greymet journal 1\n7\nnew.csv\n-\n5\nafter\n";
  site.write("new.csv", "typed since");
  site.write(".greymet-journal", journal);
  const auto mended = mend_interrupted(site.path());
  REQUIRE(mended);
  CHECK(mended->restored.empty());
  CHECK(site.read("new.csv") == "typed since");
  CHECK_FALSE(site.has(".greymet-journal"));
  // a second name may stand anywhere: whoever gave it may write the journal
  site.write("new.csv", "after");
  site.write(".greymet-journal", journal);
  fs::create_hard_link(site.file(".greymet-journal"), site.file("second-name"));
  CHECK_FALSE(mend_interrupted(site.path()));
  CHECK(site.read("new.csv") == "after");
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
