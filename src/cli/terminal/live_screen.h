// The screen and the keys of a terminal while a run goes on. Not for use outside this folder.
#pragma once

#include <termios.h>

#include <string>
#include <string_view>

#include "cli/terminal.h"

namespace greymet::cli {

struct ScreenSize {
  std::size_t rows = 24;
  std::size_t columns = 80;
};

// Takes the screen of a terminal, and gives it back as it was. Never waits for it: what a terminal
// that was paused or is slow does not take is left out. Keys come one by one and unseen, if the
// terminal is ours to read; Ctrl-C stays what it is.
class LiveScreen {
 public:
  explicit LiveScreen(const Terminal& terminal);
  LiveScreen(const LiveScreen&) = delete;
  LiveScreen& operator=(const LiveScreen&) = delete;
  ~LiveScreen();
  void show(const std::string& text);
  [[nodiscard]] ScreenSize size() const;
  // What was pressed since the last call, as bytes; empty where keys cannot be read.
  [[nodiscard]] std::string keys();
  [[nodiscard]] bool has_keys() const { return has_keys_; }

 private:
  void write(std::string_view text);
  void push_on();
  void take_keys();

  const Terminal& terminal_;
  int fd_ = -1;        // a description of its own, so that nobody else's writes stop waiting
  std::string begun_;  // the rest of a frame: half of one would leave the screen in disorder
  bool has_keys_ = false;
  termios before_{};  // of standard input
};

}  // namespace greymet::cli
