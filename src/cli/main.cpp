#include <sys/ioctl.h>
#include <unistd.h>

#include <cstdlib>
#include <exception>
#include <iostream>

#include "cli/commands.h"

namespace {

std::size_t width_of_terminal() {
  winsize size{};
  if (::ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= 20) return size.ws_col;
  return 100;
}

}  // namespace

int main(int argc, char** argv) {
  try {
    const bool shown = ::isatty(STDOUT_FILENO) != 0;
    const bool colour = shown && std::getenv("NO_COLOR") == nullptr;
    const greymet::cli::Terminal terminal{
        std::cout, std::cerr, colour, ::isatty(STDERR_FILENO) != 0, shown, width_of_terminal()};
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
  return EXIT_FAILURE;
}
