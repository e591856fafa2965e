// Where a command prints, and what that place can show.
#pragma once

#include <ostream>
#include <string>
#include <string_view>

#include "model/utf8_text.h"
#include "timing/progress.h"

namespace greymet::cli {

// Exit statuses; docs/commands.md lists them.
enum Exit : int {
  exit_fine = 0,
  exit_findings = 1,
  exit_usage = 2,
  exit_unreachable = 3,
};

// Two streams and their abilities. Holds references: the streams must outlive it.
struct Terminal {
  std::ostream& out;
  std::ostream& err;
  bool colour = false;    // out is a terminal and NO_COLOR is not set
  bool progress = false;  // err is a terminal
  bool folds = false;     // out is a terminal: long lines are folded at blanks
  std::size_t width = 100;
  int out_fd = -1;  // what lies behind the streams; -1: nothing that could hold anybody up
  int err_fd = -1;
};

// A few lines can be written to the descriptor without waiting: no terminal that was paused, no
// pipe that nobody reads.
[[nodiscard]] bool takes_lines(int fd);

// Every name, message or excerpt from a file or the command line is printed through it.
using model::shown;
// Without colour, bar and folding: for files, and for what goes to stderr.
[[nodiscard]] Terminal plain_terminal(std::ostream& out, std::ostream& err, std::size_t width);

// Says what is wrong with what was asked for. Returns exit_usage.
int usage_error(const Terminal& terminal, std::string_view message);

// Colours by what they mean; nothing without colour.
enum class Tint { none, bold, red, green, yellow, blue, dim };
[[nodiscard]] std::string tinted(const Terminal& terminal, Tint tint, std::string_view text);

// A bar on stderr for work over a second, only on a terminal; gone when the work is done.
class ProgressBar {
 public:
  ProgressBar(const Terminal& terminal, std::string what);
  ProgressBar(const ProgressBar&) = delete;
  ProgressBar& operator=(const ProgressBar&) = delete;
  ~ProgressBar();
  // Empty where no progress is shown.
  [[nodiscard]] timing::ProgressSink sink();

 private:
  void show(double done);

  const Terminal& terminal_;
  std::string what_;
  std::int64_t started_ns_;
  std::int64_t shown_ns_ = 0;
  bool visible_ = false;
};

// Folds a text at blanks to the width; it begins at `column`, its other lines at `indent`.
[[nodiscard]] std::string folded(std::string_view text, std::size_t column, std::size_t indent,
                                 std::size_t width);

}  // namespace greymet::cli
