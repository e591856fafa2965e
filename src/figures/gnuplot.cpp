#include "figures/gnuplot.h"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <csignal>
#include <cstring>

#include <fmt/format.h>

extern char** environ;  // POSIX: not declared by every <unistd.h>

namespace greymet::figures {
namespace {

constexpr double points_per_pixel = 0.75;  // pngcairo sizes are points at 96 dpi, svg sizes pixels

// Two ends of a pipe, closed with the object.
struct Pipe {
  int read_end = -1;
  int write_end = -1;
  Pipe() {
    std::array<int, 2> ends{};
    if (::pipe2(ends.data(), O_CLOEXEC) == 0) {
      read_end = ends[0];
      write_end = ends[1];
    }
  }
  Pipe(const Pipe&) = delete;
  Pipe& operator=(const Pipe&) = delete;
  ~Pipe() {
    close_end(read_end);
    close_end(write_end);
  }
  static void close_end(int& fd) {
    if (fd >= 0) ::close(fd);
    fd = -1;
  }
  [[nodiscard]] bool ok() const { return read_end >= 0; }
};

// Feeds the script and collects the output at the same time, so that neither side can block.
tl::expected<std::string, std::string> converse(Pipe& to_child, Pipe& from_child,
                                                std::string_view script) {
  std::string output;
  std::array<char, 1 << 16> buffer{};
  while (true) {
    std::array<pollfd, 2> fds{{{from_child.read_end, POLLIN, 0}, {to_child.write_end, POLLOUT, 0}}};
    if (::poll(fds.data(), to_child.write_end >= 0 ? 2 : 1, -1) < 0) {
      if (errno == EINTR) continue;
      return tl::unexpected(std::string(std::strerror(errno)));
    }
    if (to_child.write_end >= 0 && fds[1].revents != 0) {
      const ssize_t n = ::write(to_child.write_end, script.data(), script.size());
      if (n < 0 && errno != EINTR && errno != EAGAIN) Pipe::close_end(to_child.write_end);
      if (n > 0) script.remove_prefix(static_cast<std::size_t>(n));
      if (script.empty()) Pipe::close_end(to_child.write_end);
    }
    if (fds[0].revents == 0) continue;
    const ssize_t n = ::read(from_child.read_end, buffer.data(), buffer.size());
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) return output;
    output.append(buffer.data(), static_cast<std::size_t>(n));
  }
}

}  // namespace

std::string_view extension(PictureFormat format) {
  return format == PictureFormat::svg ? ".svg" : ".png";
}

std::string quoted(std::string_view text) {
  std::string out = "'";
  for (char c : text) {
    if (static_cast<unsigned char>(c) < 0x20) continue;
    if (c == '\'') out += '\'';
    out += c;
  }
  return out + "'";
}

std::string quoted_tic(std::string_view text) {
  std::string doubled;
  for (char c : text) {
    doubled += c;
    if (c == '%') doubled += c;
  }
  return quoted(doubled);
}

std::string font(PictureFormat format, double pixels) {
  const double size = format == PictureFormat::svg ? pixels : pixels * points_per_pixel;
  return fmt::format("'DejaVu Sans,{:g}'", size);
}

std::string heading(std::string_view title, std::string_view subtitle, double left,
                    PictureFormat format) {
  return fmt::format(
      "set label 1 {} at screen {:g}, screen 0.955 font {} textcolor rgb C_TXT\n"
      "set label 2 {} at screen {:g}, screen 0.905 textcolor rgb C_SUB\n",
      quoted(title), left, font(format, 22), quoted(subtitle), left);
}

std::string common_look(PictureFormat format) {
  const bool svg = format == PictureFormat::svg;
  return fmt::format(
      "set terminal {} size 1280,800 {}font {} background '#FFFFFF' noenhanced linewidth 1.2\n"
      "set output\n"
      "set encoding utf8\n"
      "C_REQ='#1F4B7A'; C_RSP='#6BA6D6'; C_TURN='#CDD4DB'; C_BAD='#D9711C'; C_MUTE='#A9B2BC'\n"
      "C_TXT='#2B3138'; C_SUB='#5A646E'; C_GRID='#E3E7EB'; C_BAND='#F6F8FA'\n"
      "set border 3 lc rgb C_MUTE lw 1\n"
      "set tics nomirror out scale 0.6 textcolor rgb C_TXT\n"
      "set xlabel textcolor rgb C_TXT\n"
      "set key textcolor rgb C_TXT\n"
      "set style fill solid 1.0 noborder\n"
      "TX = {}\n",
      svg ? "svg" : "pngcairo", svg ? "dynamic " : "", font(format, 16), svg ? "0" : "-0.3");
}

tl::expected<std::string, std::string> render(const std::string& script) {
  Pipe to_child;
  Pipe from_child;
  if (!to_child.ok() || !from_child.ok()) return tl::unexpected(std::string(std::strerror(errno)));
  posix_spawn_file_actions_t actions;
  posix_spawn_file_actions_init(&actions);
  posix_spawn_file_actions_adddup2(&actions, to_child.read_end, 0);
  posix_spawn_file_actions_adddup2(&actions, from_child.write_end, 1);
  posix_spawn_file_actions_addopen(&actions, 2, "/dev/null", O_WRONLY, 0);
  std::array<char, 8> name{"gnuplot"};
  std::array<char*, 2> arguments{name.data(), nullptr};
  pid_t child = 0;
  const int error =
      ::posix_spawnp(&child, name.data(), &actions, nullptr, arguments.data(), environ);
  posix_spawn_file_actions_destroy(&actions);
  if (error != 0) {
    return tl::unexpected(fmt::format("gnuplot cannot be started: {}", std::strerror(error)));
  }
  Pipe::close_end(to_child.read_end);
  Pipe::close_end(from_child.write_end);
  // A gnuplot that dies early must not take us along.
  const auto old_handler = std::signal(SIGPIPE, SIG_IGN);
  auto output = converse(to_child, from_child, script);
  std::signal(SIGPIPE, old_handler);
  int status = 0;
  while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
  }
  if (!output) return output;
  if (!WIFEXITED(status) || WEXITSTATUS(status) != 0 || output->empty()) {
    return tl::unexpected(std::string("gnuplot could not draw the figure"));
  }
  return output;
}

}  // namespace greymet::figures
