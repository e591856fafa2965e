// The table of a run while it goes on. Not for use outside this folder.
#pragma once

#include <string>

#include "cli/terminal.h"
#include "engine/run_watch.h"

namespace greymet::cli {

// All that fits `rows` lines: transactions first, then values.
[[nodiscard]] std::string live_table_text(const model::ResolvedPlan& plan,
                                          const engine::RunWatch& watch,
                                          const std::vector<engine::RunTransaction>& transactions,
                                          model::Duration now, std::size_t rows,
                                          const Terminal& terminal);

// Takes the screen of a terminal, and gives it back as it was.
class LiveScreen {
 public:
  explicit LiveScreen(const Terminal& terminal);
  LiveScreen(const LiveScreen&) = delete;
  LiveScreen& operator=(const LiveScreen&) = delete;
  ~LiveScreen();
  void show(const std::string& text);
  [[nodiscard]] static std::size_t rows();

 private:
  const Terminal& terminal_;
};

}  // namespace greymet::cli
