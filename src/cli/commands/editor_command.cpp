#include <malloc.h>
#include <poll.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <chrono>
#include <filesystem>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>
#include <vector>

#include <fmt/format.h>

#include "cli/build_info.h"
#include "cli/word_book.h"
#include "editor/language_server.h"
#include "editor/message_stream.h"
#include "editor/text_position.h"
#include "line/command_line.h"

namespace greymet::cli {

namespace {

using std::chrono::milliseconds;
using std::chrono::steady_clock;

// A check begins when nobody has typed for a moment; who never pauses is told all the same.
constexpr milliseconds pause_of_typing{10};
constexpr milliseconds longest_wait{600};

// The installed text of the rules, or that of the folder the program was built in.
std::string rules_page() {
  std::error_code failed;
  const auto program = std::filesystem::read_symlink("/proc/self/exe", failed);
  if (failed) return {};
  const auto folder = program.parent_path();
  for (const char* page : {"../share/doc/greymet/docs/rules.md", "../../../docs/rules.md"}) {
    const auto path = (folder / page).lexically_normal();
    if (std::filesystem::is_regular_file(path, failed)) return path.string();
  }
  return {};
}

editor::ServerWords server_words() {
  const std::string page = rules_page();
  return {GREYMET_VERSION,
          [](std::string_view path, std::string_view key) { return key_help(path, key); },
          [link = page.empty() ? page : editor::uri_of_path(page)](model::RuleCode code) {
            return link.empty() ? link : fmt::format("{}#{}", link, to_string(code));
          }};
}

// Checks on a thread of its own, one at a time; what came of it waits to be taken.
class Checker {
 public:
  Checker() {
    if (::pipe(wake_.data()) != 0) wake_ = {-1, -1};
  }
  Checker(const Checker&) = delete;
  Checker& operator=(const Checker&) = delete;
  ~Checker() {
    thread_ = {};  // stopped and waited for
    for (const int fd : wake_) {
      if (fd >= 0) ::close(fd);
    }
  }

  // Readable when there is something to take.
  [[nodiscard]] int wake() const { return wake_[0]; }
  [[nodiscard]] bool is_busy() const { return busy_; }

  void begin(editor::ReadingTask task) {
    busy_ = true;
    if (!untold_since_) untold_since_ = steady_clock::now();
    thread_ = std::jthread([this, task = std::move(task)](const std::stop_token& stop) {
      check(task, stop);
      done();
    });
  }
  // Somebody typed on: what would be found out is old. Not for ever, or nobody were ever told.
  void cancel() {
    const auto now = steady_clock::now();
    if (busy_ && now - untold_since_.value_or(now) < 4 * longest_wait) thread_.request_stop();
  }
  // What has been found out since the last call.
  [[nodiscard]] std::vector<std::shared_ptr<const editor::Reading>> take() {
    std::array<char, 64> bytes{};
    static_cast<void>(::read(wake_[0], bytes.data(), bytes.size()));
    const std::scoped_lock lock(mutex_);
    if (ended_) {
      ended_ = false;
      busy_ = false;
    }
    if (!found_.empty()) untold_since_.reset();
    return std::move(found_);
  }

 private:
  void check(const editor::ReadingTask& task, const std::stop_token& stop) {
    auto reading = std::make_shared<editor::Reading>(editor::read_for_editor(task, &memory_));
    if (stop.stop_requested()) return;
    if (editor::is_large(*reading)) {
      auto half = std::make_shared<editor::Reading>(*reading);
      editor::check_first_half(*half, stop);
      if (!half->is_half_checked) return;
      tell(std::move(half));
    }
    editor::check_reading(*reading, stop);
    if (!reading->is_checked) return;
    tell(reading);
    auto tried = std::make_shared<editor::Reading>(*reading);
    if (!editor::try_fixes(*tried, stop) || stop.stop_requested()) return;
    tell(std::move(tried));
  }
  void tell(std::shared_ptr<const editor::Reading> reading) {
    const std::scoped_lock lock(mutex_);
    found_.push_back(std::move(reading));
    wake_up();
  }
  void done() {
    const std::scoped_lock lock(mutex_);
    ended_ = true;
    wake_up();
  }
  void wake_up() const { static_cast<void>(::write(wake_[1], "", 1)); }

  std::array<int, 2> wake_{-1, -1};
  bool busy_ = false;                                     // of who asks alone
  std::optional<steady_clock::time_point> untold_since_;  // of who asks alone
  std::mutex mutex_;
  bool ended_ = false;
  std::vector<std::shared_ptr<const editor::Reading>> found_;
  files::TomlMemory memory_;  // of the thread alone
  std::jthread thread_;
};

// A plan is read again and again: what one reading gives back the next one takes.
void keep_memory() {
#ifdef __GLIBC__
  constexpr int most = 512 << 20;
  ::mallopt(M_TRIM_THRESHOLD, most);
  ::mallopt(M_MMAP_THRESHOLD, 32 << 20);
#endif
}

// All of it; false where nobody reads any more.
bool write_all(std::string_view text) {
  while (!text.empty()) {
    const ssize_t wrote = ::write(STDOUT_FILENO, text.data(), text.size());
    if (wrote < 0 && errno == EINTR) continue;
    if (wrote <= 0) return false;
    text.remove_prefix(static_cast<std::size_t>(wrote));
  }
  return true;
}

class EditorLoop {
 public:
  EditorLoop() : server_(files::disk_files(), server_words()) {}

  int run() {
    while (true) {
      std::array<pollfd, 2> watched{{{STDIN_FILENO, POLLIN, 0}, {checker_.wake(), POLLIN, 0}}};
      if (::poll(watched.data(), watched.size(), patience()) < 0 && errno != EINTR)
        return exit_usage;
      if (watched[1].revents != 0) {
        for (auto& reading : checker_.take()) server_.publish(std::move(reading));
      }
      if (watched[0].revents != 0 && !read_on()) return exit_fine;
      for (const std::string& message : server_.take_outgoing()) {
        if (!write_all(editor::framed_message(message))) return exit_fine;
      }
      if (const auto status = server_.exit_status()) return *status;
      server_.tidy_up();
      if (is_due() && !checker_.is_busy()) {
        first_change_.reset();
        if (auto task = server_.next_check()) checker_.begin(std::move(*task));
      }
    }
  }

 private:
  // False at the end of the input.
  bool read_on() {
    std::array<char, 65536> bytes{};
    const ssize_t count = ::read(STDIN_FILENO, bytes.data(), bytes.size());
    if (count < 0) return errno == EINTR || errno == EAGAIN;
    if (count == 0) return false;
    stream_.feed({bytes.data(), static_cast<std::size_t>(count)});
    const bool waited = server_.wants_check();
    while (const auto message = stream_.next()) server_.receive(*message);
    if (!server_.wants_check()) return true;
    last_change_ = steady_clock::now();
    if (!waited || !first_change_) first_change_ = last_change_;
    checker_.cancel();
    return true;
  }

  [[nodiscard]] steady_clock::time_point due() const {
    const auto paused = last_change_ + pause_of_typing;
    return first_change_ ? std::min(paused, *first_change_ + longest_wait) : paused;
  }
  [[nodiscard]] bool is_due() const {
    return server_.wants_check() && steady_clock::now() >= due();
  }
  // Milliseconds to wait for input at most.
  [[nodiscard]] int patience() const {
    if (!server_.wants_check() || checker_.is_busy()) return -1;
    const auto left =
        std::chrono::duration_cast<milliseconds>(due() - steady_clock::now()).count() + 1;
    return static_cast<int>(std::max<std::int64_t>(0, left));
  }

  editor::LanguageServer server_;
  editor::MessageStream stream_;
  steady_clock::time_point last_change_;
  std::optional<steady_clock::time_point> first_change_;
  Checker checker_;
};

}  // namespace

int run_editor(const Terminal& terminal) {
  if (::isatty(STDIN_FILENO) == 1) {
    terminal.err << "greymet: an editor speaks to this command; docs/editor.md says how to set "
                    "one up. Ctrl-D ends it\n";
  }
  keep_memory();
  return EditorLoop().run();
}

Action declare_editor(CLI::App& command, const Terminal& terminal) {
  const auto stdio = std::make_shared<bool>();
  command.add_flag("--stdio", *stdio, "standard input and output, as they are used anyway");
  return [stdio, &terminal] { return run_editor(terminal); };
}

}  // namespace greymet::cli
