#include "figures/gnuplot_process.h"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/mman.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <csignal>
#include <cstdlib>
#include <cstring>
#include <span>
#include <string_view>

#include <fmt/format.h>

namespace greymet::figures {
namespace {

using Clock = std::chrono::steady_clock;

constexpr std::size_t figures_a_run = 32;
constexpr int first_picture_fd = 10;  // in the child
constexpr std::string_view done_mark = "greymet-figure-done ";

// An open descriptor; closed with the object.
class Fd {
 public:
  explicit Fd(int fd = -1) : fd_(fd) {}
  Fd(Fd&& other) noexcept : fd_(std::exchange(other.fd_, -1)) {}
  Fd(const Fd&) = delete;
  Fd& operator=(const Fd&) = delete;
  Fd& operator=(Fd&& other) noexcept {
    std::swap(fd_, other.fd_);
    return *this;
  }
  ~Fd() { close(); }
  void close() {
    if (fd_ >= 0) ::close(std::exchange(fd_, -1));
  }
  [[nodiscard]] int get() const { return fd_; }
  [[nodiscard]] bool open() const { return fd_ >= 0; }

 private:
  int fd_;
};

// A gnuplot that dies early must not take us along.
class PipeSignalIgnored {
 public:
  PipeSignalIgnored() : before_(std::signal(SIGPIPE, SIG_IGN)) {}
  PipeSignalIgnored(const PipeSignalIgnored&) = delete;
  PipeSignalIgnored& operator=(const PipeSignalIgnored&) = delete;
  ~PipeSignalIgnored() { std::signal(SIGPIPE, before_); }

 private:
  void (*before_)(int);
};

// One run of gnuplot over some scripts.
class Run {
 public:
  Run(std::span<const Script> scripts, const RenderLimits& limits)
      : scripts_(scripts), limits_(limits) {}
  Run(const Run&) = delete;
  Run& operator=(const Run&) = delete;
  ~Run() {
    if (child_ <= 0) return;
    ::kill(child_, SIGKILL);
    wait();
  }

  // How many scripts were gone through, and why the next one was not.
  struct Result {
    std::size_t done = 0;
    std::string complaint;
  };

  Result go(const std::function<void(std::size_t)>& on_done) {
    if (const std::string trouble = start(); !trouble.empty()) return {0, trouble};
    const bool in_time = converse(on_done);
    if (!in_time) {
      ::kill(child_, SIGKILL);
      wait();
      return {errors_.size(), fmt::format("gnuplot took longer than {} ms", limits_.time.count())};
    }
    const int status = wait();
    if (errors_.size() == scripts_.size()) return {errors_.size(), {}};
    std::string why = last_line(said_);
    if (why.empty() && WIFSIGNALED(status)) {
      why = WTERMSIG(status) == SIGXFSZ
                ? fmt::format("the picture is larger than {} MB", limits_.bytes >> 20)
                : fmt::format("it was ended by signal {}", WTERMSIG(status));
    }
    return {errors_.size(),
            fmt::format("gnuplot could not draw the figure{}{}", why.empty() ? "" : ": ", why)};
  }

  // What was drawn by a script that was gone through.
  [[nodiscard]] Picture picture(std::size_t index) const {
    if (!errors_[index].empty()) {
      return tl::unexpected("gnuplot could not draw the figure: " + errors_[index]);
    }
    const int fd = pictures_[index].get();
    struct stat status {};
    if (::fstat(fd, &status) != 0) return tl::unexpected(std::string(std::strerror(errno)));
    std::string bytes(static_cast<std::size_t>(status.st_size), '\0');
    std::size_t got = 0;
    while (got < bytes.size()) {
      const ssize_t n =
          ::pread(fd, bytes.data() + got, bytes.size() - got, static_cast<off_t>(got));
      if (n <= 0) break;
      got += static_cast<std::size_t>(n);
    }
    bytes.resize(got);
    if (scripts_[index].format == PictureFormat::svg) bytes = as_xml(std::move(bytes));
    if (is_picture(bytes, scripts_[index].format)) return bytes;
    return tl::unexpected(std::string("gnuplot made no whole picture"));
  }

 private:
  // XML 1.0, 2.4: "]]>" must not stand in a text, and gnuplot leaves its last character as it is.
  static std::string as_xml(std::string svg) {
    constexpr std::string_view end = "]]>";
    constexpr std::string_view begin = "<![CDATA[";
    for (std::size_t at = 0; (at = svg.find(end, at)) != std::string::npos; at += end.size()) {
      const std::size_t opened = svg.rfind(begin, at);
      const bool closes = opened != std::string::npos && svg.find(end, opened) == at;
      if (!closes) svg.replace(at + 2, 1, "&gt;");
    }
    return svg;
  }

  static bool is_picture(std::string_view bytes, PictureFormat format) {
    if (format == PictureFormat::png) {
      constexpr std::string_view signature("\x89PNG\r\n\x1a\n", 8);
      constexpr std::string_view end("IEND\xAE\x42\x60\x82", 8);
      return bytes.starts_with(signature) && bytes.ends_with(end);
    }
    const std::size_t last = bytes.find_last_not_of(" \r\n");
    return bytes.starts_with("<?xml") && bytes.find("<svg") != std::string_view::npos &&
           last != std::string_view::npos && bytes.substr(0, last + 1).ends_with("</svg>");
  }

  // Empty, or why it could not be started.
  std::string start() {
    std::array<int, 2> in{};
    std::array<int, 2> err{};
    if (::pipe2(in.data(), O_CLOEXEC) != 0) return std::strerror(errno);
    Fd child_in(in[0]);
    to_child_ = Fd(in[1]);
    if (::pipe2(err.data(), O_CLOEXEC) != 0) return std::strerror(errno);
    from_child_ = Fd(err[0]);
    Fd child_err(err[1]);
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, child_in.get(), 0);
    posix_spawn_file_actions_addopen(&actions, 1, "/dev/null", O_WRONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, child_err.get(), 2);
    std::string trouble;
    for (std::size_t i = 0; i < scripts_.size(); ++i) {
      // above the child's numbers, so that no dup2 overwrites one that is still needed
      const Fd low(::memfd_create("figure", MFD_CLOEXEC));
      constexpr int above = first_picture_fd + static_cast<int>(figures_a_run);
      pictures_.emplace_back(low.open() ? ::fcntl(low.get(), F_DUPFD_CLOEXEC, above) : -1);
      if (!pictures_.back().open()) trouble = std::strerror(errno);
      posix_spawn_file_actions_adddup2(&actions, pictures_.back().get(),
                                       first_picture_fd + static_cast<int>(i));
      script_ += fmt::format(
          // a plot that nobody sees: else its SVG would begin with the last colour of another's
          "reset session\nset terminal svg\nset output '/dev/null'\nplot x\nunset output\n"
          "reset session\nreset errors\nFIGURE='/dev/fd/{}'\n{}\nunset output\n"
          "print sprintf('{}{} %d %s', GPVAL_ERRNO, GPVAL_ERRMSG)\n",
          first_picture_fd + i, scripts_[i].text, done_mark, i);
    }
    std::string name = "gnuplot";
    std::string defaults = "-d";
    std::array<char*, 3> arguments{name.data(), defaults.data(), nullptr};
    const auto kept = [](const char* variable) {
      const char* value = std::getenv(variable);
      return fmt::format("{}={}", variable, value != nullptr ? value : "");
    };
    // what finding programs, fonts and their cache needs
    std::string path = kept("PATH");
    std::string home = kept("HOME");
    std::string language = "LC_ALL=C.UTF-8";
    std::array<char*, 4> environment{path.data(), home.data(), language.data(), nullptr};
    // what this program keeps from itself must still be able to end the child
    posix_spawnattr_t attributes;
    posix_spawnattr_init(&attributes);
    sigset_t none;
    sigemptyset(&none);
    posix_spawnattr_setsigmask(&attributes, &none);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGMASK);
    const int error = trouble.empty() ? ::posix_spawnp(&child_, name.c_str(), &actions, &attributes,
                                                       arguments.data(), environment.data())
                                      : 0;
    posix_spawnattr_destroy(&attributes);
    posix_spawn_file_actions_destroy(&actions);
    if (!trouble.empty()) return trouble;
    if (error != 0) return fmt::format("gnuplot cannot be started: {}", std::strerror(error));
    const rlimit most{limits_.bytes, limits_.bytes};
    ::prlimit(child_, RLIMIT_FSIZE, &most, nullptr);
    return {};
  }

  // Feeds the scripts and listens at the same time, so that neither side can block. False if one
  // picture takes too long.
  bool converse(const std::function<void(std::size_t)>& on_done) {
    std::string_view script = script_;
    ::fcntl(to_child_.get(), F_SETFL, O_NONBLOCK);
    auto deadline = Clock::now() + limits_.time;
    std::array<char, 1 << 14> buffer{};
    while (true) {
      const auto left =
          std::chrono::duration_cast<std::chrono::milliseconds>(deadline - Clock::now()).count();
      if (left <= 0) return false;
      std::array<pollfd, 2> fds{{{from_child_.get(), POLLIN, 0}, {to_child_.get(), POLLOUT, 0}}};
      if (::poll(fds.data(), to_child_.open() ? 2 : 1, static_cast<int>(left)) < 0) {
        if (errno == EINTR) continue;
        return true;
      }
      if (to_child_.open() && fds[1].revents != 0) {
        const ssize_t n = ::write(to_child_.get(), script.data(), script.size());
        if (n < 0 && errno != EINTR && errno != EAGAIN) to_child_.close();
        if (n > 0) script.remove_prefix(static_cast<std::size_t>(n));
        if (script.empty()) to_child_.close();
      }
      if (fds[0].revents == 0) continue;
      const ssize_t n = ::read(from_child_.get(), buffer.data(), buffer.size());
      if (n < 0 && errno == EINTR) continue;
      if (n <= 0) return true;
      said_.append(buffer.data(), static_cast<std::size_t>(n));
      if (take_marks()) {
        on_done(errors_.size());
        deadline = Clock::now() + limits_.time;
      }
      constexpr std::size_t most_words = 1 << 16;
      if (said_.size() > most_words) said_.erase(0, said_.size() - most_words / 2);
    }
  }

  // True if another script has been gone through; its mark says whether there was an error, which
  // does not keep gnuplot from going on.
  bool take_marks() {
    const std::size_t before = errors_.size();
    while (errors_.size() < scripts_.size()) {
      const std::string mark = fmt::format("{}{} ", done_mark, errors_.size());
      const std::size_t at = said_.find(mark);
      const std::size_t end = at == std::string::npos ? at : said_.find('\n', at);
      if (end == std::string::npos) break;
      const std::string result = said_.substr(at + mark.size(), end - at - mark.size());
      const std::size_t blank = std::min(result.find(' '), result.size());
      errors_.push_back(result.substr(0, blank) == "0" ? std::string()
                                                       : last_line(result.substr(blank)));
      said_.erase(0, end + 1);
    }
    return errors_.size() > before;
  }

  // The last line of what gnuplot said, in short.
  static std::string last_line(std::string_view said) {
    constexpr std::size_t longest = 160;
    while (!said.empty() && (said.back() == '\n' || said.back() == ' ')) said.remove_suffix(1);
    const std::size_t line = said.rfind('\n');
    if (line != std::string_view::npos) said.remove_prefix(line + 1);
    const std::size_t first = said.find_first_not_of(" \t");
    return std::string(first == std::string_view::npos ? "" : said.substr(first, longest));
  }

  int wait() {
    int status = 0;
    while (::waitpid(child_, &status, 0) < 0 && errno == EINTR) {
    }
    child_ = 0;
    return status;
  }

  std::span<const Script> scripts_;
  const RenderLimits& limits_;
  std::vector<Fd> pictures_;
  std::string script_;
  std::string said_;
  Fd to_child_;
  Fd from_child_;
  pid_t child_ = 0;
  std::vector<std::string> errors_;  // of the scripts gone through; empty for none
};

}  // namespace

std::vector<Picture> render(const std::vector<Script>& scripts,
                            const std::function<void(double)>& progress,
                            const RenderLimits& limits) {
  const PipeSignalIgnored ignored;
  std::vector<Picture> pictures;
  while (pictures.size() < scripts.size()) {
    const std::size_t begin = pictures.size();
    const auto some =
        std::span(scripts).subspan(begin).first(std::min(figures_a_run, scripts.size() - begin));
    Run run(some, limits);
    const Run::Result result = run.go([&](std::size_t done) {
      if (progress) {
        progress(static_cast<double>(begin + done) / static_cast<double>(scripts.size()));
      }
    });
    for (std::size_t i = 0; i < result.done; ++i) pictures.push_back(run.picture(i));
    if (result.done < some.size()) pictures.push_back(tl::unexpected(result.complaint));
  }
  return pictures;
}

Picture render(PictureFormat format, std::string script) {
  return render(std::vector<Script>{{format, std::move(script)}}).front();
}

}  // namespace greymet::figures
