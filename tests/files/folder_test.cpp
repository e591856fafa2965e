// Folders and files under attack: what may be replaced, what is left behind, and who else writes.
#include "files/folder.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>

#include <catch2/catch.hpp>

#include "files/output_folder.h"
#include "files/rewrite_files.h"
#include "process.h"

using namespace greymet;
using files::OutputFolder;
namespace fs = std::filesystem;

namespace {

struct stat status_of(const std::string& path) {
  struct stat status {};
  REQUIRE(::lstat(path.c_str(), &status) == 0);
  return status;
}

// Names in a folder, the manifest left out.
std::vector<std::string> names_in(const std::string& path) {
  std::vector<std::string> names;
  for (const auto& entry : fs::directory_iterator(path)) {
    if (entry.path().filename() != ".greymet-files") names.push_back(entry.path().filename());
  }
  std::sort(names.begin(), names.end());
  return names;
}

using Names = std::vector<std::string>;

// One file, in its own folder.
tl::expected<void, files::FileError> rewrite_file(const std::string& path,
                                                  const std::string& expected,
                                                  const std::string& content) {
  return files::rewrite_files(fs::path(path).parent_path(), {{path, expected, content}});
}

}  // namespace

TEST_CASE("a plan keeps its permissions, its further names and its attributes") {
  const test::TemporaryFolder temporary;
  const std::string plan = temporary.file("plan.toml");
  temporary.write("plan.toml", "old");
  REQUIRE(::chmod(plan.c_str(), 0640) == 0);
  REQUIRE(rewrite_file(plan, "old", "newer, and longer").has_value());
  CHECK(temporary.read("plan.toml") == "newer, and longer");
  CHECK((status_of(plan).st_mode & 07777U) == 0640);
  // a second name is the same file afterwards, too
  REQUIRE(::link(plan.c_str(), temporary.file("twin.toml").c_str()) == 0);
  REQUIRE(rewrite_file(plan, "newer, and longer", "short").has_value());
  CHECK(temporary.read("twin.toml") == "short");
  CHECK(status_of(plan).st_ino == status_of(temporary.file("twin.toml")).st_ino);
  REQUIRE(fs::remove(temporary.file("twin.toml")));
  if (::setxattr(plan.c_str(), "user.note", "kept", 4, 0) == 0) {
    REQUIRE(rewrite_file(plan, "short", "with a note").has_value());
    std::string note(8, '\0');
    CHECK(::getxattr(plan.c_str(), "user.note", note.data(), note.size()) == 4);
  }
  // a link is followed and stays one
  const std::string before = temporary.read("plan.toml");
  REQUIRE(::symlink("plan.toml", temporary.file("link.toml").c_str()) == 0);
  REQUIRE(rewrite_file(temporary.file("link.toml"), before, "through the link").has_value());
  CHECK(S_ISLNK(status_of(temporary.file("link.toml")).st_mode));
  CHECK(temporary.read("plan.toml") == "through the link");
  CHECK(names_in(temporary.path()) == Names{"link.toml", "plan.toml"});
}

TEST_CASE("a plan that is read-only, or that somebody changed, is left as it is") {
  const test::TemporaryFolder temporary;
  const std::string plan = temporary.file("plan.toml");
  temporary.write("plan.toml", "what I typed meanwhile");
  CHECK(rewrite_file(plan, "what was read", "new").error().message ==
        plan + ": was changed while greymet worked on it, and is left as it is; run it again");
  CHECK(rewrite_file(plan, "what I typed", "new").has_value() == false);  // only the begin of it
  CHECK(temporary.read("plan.toml") == "what I typed meanwhile");
  REQUIRE(::chmod(plan.c_str(), 0444) == 0);
  CHECK(rewrite_file(plan, "what I typed meanwhile", "new").error().message ==
        plan + ": is read-only and is left as it is; make it writable first");
  CHECK(temporary.read("plan.toml") == "what I typed meanwhile");
  CHECK_FALSE(rewrite_file(temporary.file("none.toml"), "", "new").has_value());
  CHECK_FALSE(rewrite_file(temporary.path(), "", "new").has_value());
  CHECK(names_in(temporary.path()) == Names{"plan.toml"});
}

TEST_CASE("of two that rewrite one plan, one is told, and nothing is lost") {
  const test::TemporaryFolder temporary;
  const std::string plan = temporary.file("plan.toml");
  constexpr int rounds = 60;
  temporary.write("plan.toml", "0");
  // the other one saves as editors do: a new file, renamed over the old one
  const pid_t other = ::fork();
  if (other == 0) {
    for (int i = 1; i <= rounds; ++i) {
      const std::string name = temporary.file("editor");
      const int fd = ::open(name.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0644);
      const std::string text = "editor " + std::to_string(i);
      if (::write(fd, text.data(), text.size()) < 0) ::_exit(1);
      ::close(fd);
      ::rename(name.c_str(), plan.c_str());
      ::usleep(500);
    }
    ::_exit(0);
  }
  std::string last = "0";
  int status = 0;
  while (::waitpid(other, &status, WNOHANG) == 0) {
    const std::string present = temporary.read("plan.toml");
    if (rewrite_file(plan, present, present + "!").has_value()) last = present + "!";
  }
  // the editor's last word stands, or what was made of it
  const std::string end = temporary.read("plan.toml");
  CHECK(end.starts_with("editor " + std::to_string(rounds)));
  CHECK(names_in(temporary.path()) == Names{"plan.toml"});
}

TEST_CASE("a killed run leaves nothing that the next one trips over") {
  const test::TemporaryFolder temporary;
  const std::string out = temporary.file("out");
  for (int delay_us = 200; delay_us < 6000; delay_us += 400) {
    const pid_t child = ::fork();
    if (child == 0) {
      for (int i = 0;; ++i) {
        auto folder = OutputFolder::open(out, false);
        if (!folder ||
            !folder->write("sub/a.txt", std::string(5000, static_cast<char>('a' + i % 26)))) {
          ::_exit(1);  // refused its own file
        }
      }
    }
    ::usleep(static_cast<useconds_t>(delay_us));
    ::kill(child, SIGKILL);
    int status = 0;
    ::waitpid(child, &status, 0);
    REQUIRE(WIFSIGNALED(status));
    auto next = OutputFolder::open(out, false);
    REQUIRE(next.has_value());
    REQUIRE(next->write("sub/a.txt", "next").has_value());
    CHECK(names_in(out + "/sub") == Names{"a.txt"});
    CHECK(temporary.read("out/sub/a.txt") == "next");
  }
}

TEST_CASE("an ended run finishes its file first and leaves none half done") {
  const test::TemporaryFolder temporary;
  for (const int signal : {SIGINT, SIGTERM}) {
    const pid_t child = ::fork();
    if (child == 0) {
      std::signal(signal, SIG_DFL);
      for (int i = 0;; ++i) {
        auto folder = OutputFolder::open(temporary.file("out"), true);
        (void)folder->write("a.txt", std::string(3000, static_cast<char>('a' + i % 26)));
      }
    }
    while (!temporary.has("out/a.txt")) ::usleep(1000);
    ::usleep(20'000);
    ::kill(child, signal);
    int status = 0;
    ::waitpid(child, &status, 0);
    CHECK((WIFSIGNALED(status) && WTERMSIG(status) == signal));
    CHECK(names_in(temporary.file("out")) == Names{"a.txt"});
    const std::string text = temporary.read("out/a.txt");
    CHECK(text == std::string(3000, text[0]));
  }
}

TEST_CASE("two that write into one folder at a time both stay its owners") {
  const test::TemporaryFolder temporary;
  const std::string out = temporary.file("out");
  const auto write_all = [&](const std::string& prefix) {
    auto folder = OutputFolder::open(out, false);
    for (int i = 0; i < 25; ++i) {
      if (!folder->write(prefix + std::to_string(i), prefix)) return 1;
    }
    return 0;
  };
  const pid_t child = ::fork();
  if (child == 0) ::_exit(write_all("b"));
  CHECK(write_all("a") == 0);
  int status = 0;
  ::waitpid(child, &status, 0);
  CHECK(status == 0);
  // all fifty are known: none is refused
  CHECK(names_in(out).size() == 50);
  CHECK(write_all("a") == 0);
  CHECK(write_all("b") == 0);
}

TEST_CASE("links in a folder lead nowhere, and names do not lead out of it") {
  const test::TemporaryFolder temporary;
  temporary.write("elsewhere/mine.txt", "mine");
  temporary.write("out/seen.txt", "x");
  REQUIRE(::symlink("../elsewhere", temporary.file("out/sub").c_str()) == 0);
  REQUIRE(::symlink("../elsewhere/mine.txt", temporary.file("out/a.txt").c_str()) == 0);
  const std::string out = temporary.file("out");
  auto folder = OutputFolder::open(out, false);
  REQUIRE(folder.has_value());
  CHECK(folder->write("sub/mine.txt", "theirs").error().message ==
        out + "/sub: is a link, which is not followed");
  CHECK_FALSE(folder->write("a.txt", "theirs").has_value());
  auto forced = OutputFolder::open(out, true);
  CHECK_FALSE(forced->write("sub/mine.txt", "theirs").has_value());
  CHECK(forced->write("a.txt", "theirs").has_value());  // the link is replaced, not followed
  CHECK(temporary.read("elsewhere/mine.txt") == "mine");
  for (const char* name :
       {"../x", "a/../x", "/x", "", ".", "a//b", ".greymet-files", "a\nb", "a/"}) {
    INFO(name);
    CHECK_FALSE(forced->write(name, "x").has_value());
  }
  CHECK(forced->write("Report.txt", "one").has_value());
  CHECK(forced->write("report.TXT", "two").error().message ==
        out + "/report.TXT: two results would have this name");
}
