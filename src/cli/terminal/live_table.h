// The table of a run while it goes on. Not for use outside this folder.
#pragma once

#include <string>
#include <string_view>

#include "cli/terminal.h"
#include "engine/run_watch.h"

namespace greymet::cli {

// All that fits `rows` lines: transactions first, then values.
[[nodiscard]] std::string live_table_text(
    const model::ResolvedPlan& plan, const engine::RunWatch& watch,
    const std::vector<engine::MeasuredTransaction>& transactions, model::Duration now,
    std::size_t rows, const Terminal& terminal);

// Takes the screen of a terminal, and gives it back as it was. Never waits for it: what a terminal
// that was paused or is slow does not take is left out.
class LiveScreen {
 public:
  explicit LiveScreen(const Terminal& terminal);
  LiveScreen(const LiveScreen&) = delete;
  LiveScreen& operator=(const LiveScreen&) = delete;
  ~LiveScreen();
  void show(const std::string& text);
  [[nodiscard]] std::size_t rows() const;

 private:
  void write(std::string_view text);
  void push_on();

  const Terminal& terminal_;
  int fd_ = -1;        // a description of its own, so that nobody else's writes stop waiting
  std::string begun_;  // the rest of a frame: half of one would leave the screen in disorder
};

}  // namespace greymet::cli
