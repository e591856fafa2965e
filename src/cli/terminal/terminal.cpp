#include "cli/terminal.h"

#include <poll.h>

#include <algorithm>
#include <chrono>

#include <fmt/format.h>

namespace greymet::cli {
namespace {

constexpr std::int64_t second_ns = 1'000'000'000;
constexpr std::int64_t redraw_ns = second_ns / 10;

std::int64_t now_ns() {
  return std::chrono::steady_clock::now().time_since_epoch().count();
}

}  // namespace

bool takes_lines(int fd) {
  if (fd < 0) return true;
  pollfd ready{fd, POLLOUT, 0};
  return ::poll(&ready, 1, 0) == 1 && (ready.revents & POLLOUT) != 0;
}

int usage_error(const Terminal& terminal, std::string_view message) {
  terminal.err << fmt::format("greymet: {}\n", shown(message));
  return exit_usage;
}

Terminal plain_terminal(std::ostream& out, std::ostream& err, std::size_t width) {
  return {out, err, false, false, false, width};
}

std::string tinted(const Terminal& terminal, Tint tint, std::string_view text) {
  if (!terminal.colour || tint == Tint::none) return std::string(text);
  std::string_view code = "0";
  switch (tint) {
    case Tint::none: break;
    case Tint::bold: code = "1"; break;
    case Tint::red: code = "1;31"; break;
    case Tint::green: code = "1;32"; break;
    case Tint::yellow: code = "1;33"; break;
    case Tint::blue: code = "1;34"; break;
    case Tint::dim: code = "2"; break;
  }
  return fmt::format("\033[{}m{}\033[0m", code, text);
}

ProgressBar::ProgressBar(const Terminal& terminal, std::string what)
    : terminal_(terminal), what_(std::move(what)), started_ns_(now_ns()) {}

ProgressBar::~ProgressBar() {
  if (visible_) terminal_.err << "\r\033[K" << std::flush;
}

timing::ProgressSink ProgressBar::sink() {
  if (!terminal_.progress) return {};
  return [this](double done) { show(done); };
}

void ProgressBar::show(double done) {
  const std::int64_t now = now_ns();
  if (now - started_ns_ < second_ns || now - shown_ns_ < redraw_ns) return;
  if (!takes_lines(terminal_.err_fd)) return;
  shown_ns_ = now;
  visible_ = true;
  constexpr int cells = 30;
  const int full = static_cast<int>(std::clamp(done, 0.0, 1.0) * cells);
  terminal_.err << fmt::format("\r{} [{:=<{}}{: <{}}] {:3.0f} %", what_, "", full, "", cells - full,
                               100 * done)
                << std::flush;
}

std::string folded(std::string_view text, std::size_t column, std::size_t indent,
                   std::size_t width) {
  std::string out;
  bool first = true;
  std::size_t at = 0;
  while (at < text.size()) {
    const std::size_t end = std::min(text.find(' ', at), text.size());
    const std::string_view word = text.substr(at, end - at);
    if (!first && column + 1 + word.size() > width) {
      out += '\n' + std::string(indent, ' ');
      column = indent;
    } else if (!first) {
      out += ' ';
      ++column;
    }
    out += word;
    column += word.size();
    first = false;
    at = end + 1;
  }
  return out;
}

}  // namespace greymet::cli
