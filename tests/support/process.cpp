#include "process.h"

#include <fcntl.h>
#include <pty.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <filesystem>
#include <fstream>
#include <sstream>
#include <stdexcept>

extern char** environ;

namespace greymet::test {

namespace fs = std::filesystem;

Outcome run_program(const std::string& program, const std::vector<std::string>& arguments,
                    const std::string& folder) {
  return BackgroundProgram(program, arguments, folder).wait();
}

namespace {

// Without escape sequences; what a carriage return goes back over is written over.
std::string text_of_screen(const std::string& bytes) {
  std::string text;
  for (std::size_t i = 0; i < bytes.size(); ++i) {
    if (bytes[i] == '\r') {
      const bool ends_line = i + 1 < bytes.size() && bytes[i + 1] == '\n';
      if (!ends_line) text.erase(text.rfind('\n') + 1);
      continue;
    }
    if (bytes[i] != '\x1b') {
      text += bytes[i];
      continue;
    }
    ++i;
    if (i >= bytes.size() || bytes[i] != '[') continue;
    while (++i < bytes.size() && (bytes[i] < '@' || bytes[i] > '~')) continue;
  }
  return text;
}

}  // namespace

Outcome run_on_terminal(const std::string& program, const std::vector<std::string>& arguments,
                        const std::string& folder, unsigned short columns) {
  std::vector<std::string> words{program};
  words.insert(words.end(), arguments.begin(), arguments.end());
  std::vector<char*> argv;
  for (std::string& word : words) argv.push_back(word.data());
  argv.push_back(nullptr);
  int terminal = -1;
  winsize size{40, columns, 0, 0};
  const pid_t child = ::forkpty(&terminal, nullptr, nullptr, &size);
  if (child < 0) throw std::runtime_error("no terminal");
  if (child == 0) {
    ::setenv("TERM", "xterm", 1);
    ::setenv("NO_COLOR", "1", 1);
    if (::chdir(folder.c_str()) != 0) ::_exit(9);
    ::execv(program.c_str(), argv.data());
    ::_exit(9);
  }
  std::string screen;
  std::array<char, 8192> buffer{};
  for (ssize_t got = 0; (got = ::read(terminal, buffer.data(), buffer.size())) > 0;) {
    screen.append(buffer.data(), static_cast<std::size_t>(got));
  }
  int status = 0;
  ::waitpid(child, &status, 0);
  ::close(terminal);
  Outcome outcome;
  outcome.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  outcome.out = text_of_screen(screen);
  return outcome;
}

BackgroundProgram::BackgroundProgram(const std::string& program,
                                     const std::vector<std::string>& arguments,
                                     const std::string& folder)
    : captured_(std::make_unique<TemporaryFolder>()) {
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_addchdir_np(&actions, folder.c_str());
  posix_spawn_file_actions_addopen(&actions, 0, "/dev/null", O_RDONLY, 0);
  posix_spawn_file_actions_addopen(&actions, 1, captured_->file("out").c_str(), O_CREAT | O_WRONLY,
                                   0600);
  posix_spawn_file_actions_addopen(&actions, 2, captured_->file("err").c_str(), O_CREAT | O_WRONLY,
                                   0600);
  std::vector<std::string> words{program};
  words.insert(words.end(), arguments.begin(), arguments.end());
  std::vector<char*> argv;
  for (std::string& word : words) argv.push_back(word.data());
  argv.push_back(nullptr);
  const int error = posix_spawn(&child_, program.c_str(), &actions, nullptr, argv.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  if (error != 0) throw std::runtime_error("cannot start " + program);
}

BackgroundProgram::~BackgroundProgram() {
  if (ended_) return;
  ::kill(child_, SIGKILL);
  waitpid(child_, nullptr, 0);
}

void BackgroundProgram::signal(int number) const {
  ::kill(child_, number);
}

Outcome BackgroundProgram::wait() {
  int status = 0;
  waitpid(child_, &status, 0);
  ended_ = true;
  Outcome outcome;
  outcome.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  outcome.out = captured_->read("out");
  outcome.err = captured_->read("err");
  return outcome;
}

bool TemporaryFolder::gets(const std::string& name) const {
  for (int i = 0; i < 400; ++i) {
    if (has(name)) return true;
    ::usleep(50'000);
  }
  return false;
}

TemporaryFolder::TemporaryFolder() {
  std::string name = (fs::temp_directory_path() / "greymet-test-XXXXXX").string();
  if (mkdtemp(name.data()) == nullptr) throw std::runtime_error("no temporary folder");
  path_ = name;
}

TemporaryFolder::~TemporaryFolder() {
  std::error_code ignored;
  fs::remove_all(path_, ignored);
}

void TemporaryFolder::write(const std::string& name, const std::string& content) const {
  fs::create_directories(fs::path(file(name)).parent_path());
  std::ofstream(file(name), std::ios::binary) << content;
}

std::string TemporaryFolder::read(const std::string& name) const {
  std::ostringstream text;
  text << std::ifstream(file(name), std::ios::binary).rdbuf();
  return text.str();
}

bool TemporaryFolder::has(const std::string& name) const {
  return fs::exists(file(name));
}

}  // namespace greymet::test
