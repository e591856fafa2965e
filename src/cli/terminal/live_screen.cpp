#include "live_screen.h"

#include <fcntl.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include <array>
#include <cerrno>

#include <fmt/format.h>

namespace greymet::cli {

// The other screen, so that what stood on this one comes back.
LiveScreen::LiveScreen(const Terminal& terminal) : terminal_(terminal) {
  const std::string path = fmt::format("/proc/self/fd/{}", terminal.out_fd);
  terminal_.out << std::flush;
  fd_ = ::open(path.c_str(), O_WRONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC);
  write("\x1b[?1049h\x1b[?25l\x1b[?7l");  // lines that are too long are cut
  take_keys();
}

void LiveScreen::take_keys() {
  // of a job in the background the terminal is not
  const bool ours = ::isatty(STDIN_FILENO) != 0 && ::tcgetpgrp(STDIN_FILENO) == ::getpgrp();
  if (!ours || ::tcgetattr(STDIN_FILENO, &before_) != 0) return;
  termios keys = before_;
  keys.c_lflag &= ~static_cast<tcflag_t>(ICANON | ECHO);
  keys.c_cc[VMIN] = 0;
  keys.c_cc[VTIME] = 0;
  keys.c_cc[VSUSP] = _POSIX_VDISABLE;  // who is suspended would leave the screen as it is
  has_keys_ = ::tcsetattr(STDIN_FILENO, TCSANOW, &keys) == 0;
}

std::string LiveScreen::keys() {
  std::string out;
  if (!has_keys_) return out;
  pollfd ready{STDIN_FILENO, POLLIN, 0};
  std::array<char, 256> buffer;  // NOLINT(cppcoreguidelines-pro-type-member-init): written
  if (::poll(&ready, 1, 0) != 1) return out;
  const ssize_t bytes = ::read(STDIN_FILENO, buffer.data(), buffer.size());
  if (bytes > 0) out.assign(buffer.data(), static_cast<std::size_t>(bytes));
  if (bytes == 0) has_keys_ = false;  // nobody is there any more
  return out;
}

LiveScreen::~LiveScreen() {
  if (has_keys_) ::tcsetattr(STDIN_FILENO, TCSANOW, &before_);
  // first what cancels a sequence that was cut
  begun_ = "\x18\x1b[?7h\x1b[?25h\x1b[?1049l";
  constexpr int most_tries = 20;
  for (int i = 0; i < most_tries && !begun_.empty(); ++i) {
    push_on();
    if (begun_.empty()) break;
    pollfd ready{fd_, POLLOUT, 0};
    constexpr int wait_ms = 50;
    ::poll(&ready, 1, wait_ms);
  }
  if (fd_ >= 0) ::close(fd_);
}

void LiveScreen::push_on() {
  while (!begun_.empty()) {
    const ssize_t written = ::write(fd_, begun_.data(), begun_.size());
    if (written < 0 && errno == EINTR) continue;
    if (written <= 0) {
      if (errno != EAGAIN) begun_.clear();  // nobody is there any more
      return;
    }
    begun_.erase(0, static_cast<std::size_t>(written));
  }
}

void LiveScreen::write(std::string_view text) {
  push_on();
  if (!begun_.empty()) return;
  begun_ = text;
  push_on();
}

void LiveScreen::show(const std::string& text) {
  std::string frame = "\x1b[H";
  for (const char c : text) {
    if (c == '\n') frame += "\x1b[K";  // what was longer before
    frame += c;
  }
  write(frame + "\x1b[J");
}
ScreenSize LiveScreen::size() const {
  ScreenSize out;
  winsize size{};
  if (::ioctl(terminal_.out_fd, TIOCGWINSZ, &size) != 0) return out;
  if (size.ws_row > 0) out.rows = size.ws_row;
  if (size.ws_col > 0) out.columns = size.ws_col;
  return out;
}

}  // namespace greymet::cli
