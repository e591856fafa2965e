#include <sys/ioctl.h>
#include <unistd.h>

#include <cstdlib>
#include <exception>
#include <iostream>
#include <new>
#include <optional>
#include <string_view>

#include "cli/commands.h"
#include "cli/folding_stream.h"

namespace {

std::size_t width_of_terminal() {
  winsize size{};
  if (::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= 20) return size.ws_col;
  return 100;
}

// Not by exception: libraries have destructors that ask for memory.
void end_without_memory() {
  constexpr std::string_view message = "greymet: there is not enough memory for this\n";
  [[maybe_unused]] const auto written = ::write(STDERR_FILENO, message.data(), message.size());
  ::_exit(greymet::cli::exit_unreachable);
}

}  // namespace

int main(int argc, char** argv) {
  std::set_new_handler(end_without_memory);
  try {
    const bool shown = ::isatty(STDOUT_FILENO) != 0;
    const char* kind = std::getenv("TERM");
    const bool dumb =
        kind == nullptr || std::string_view(kind).empty() || std::string_view(kind) == "dumb";
    const bool colour = shown && !dumb && std::getenv("NO_COLOR") == nullptr;
    const greymet::cli::Terminal terminal{
        std::cout, std::cerr,           colour,        !dumb && ::isatty(STDERR_FILENO) != 0,
        shown,     width_of_terminal(), STDOUT_FILENO, STDERR_FILENO};
    std::optional<greymet::cli::FoldingBuffer> folds_out;
    std::optional<greymet::cli::FoldingBuffer> folds_err;
    if (shown) folds_out.emplace(std::cout, terminal.width);
    if (::isatty(STDERR_FILENO) != 0) folds_err.emplace(std::cerr, terminal.width);
    const int status = greymet::cli::run(argc, argv, terminal);
    std::cout.flush();
    if (!std::cout) {
      std::cerr << "greymet: the output could not be written\n";
      return greymet::cli::exit_unreachable;
    }
    return status;
  } catch (const std::exception& error) {
    std::cerr << "greymet: internal error: " << error.what() << '\n';
  }
  return greymet::cli::exit_unreachable;
}
