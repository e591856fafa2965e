// What is shown of a run while it goes on, and what keys make of it. Not for use outside this
// folder.
#pragma once

#include <deque>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "cli/terminal.h"
#include "engine/run_watch.h"
#include "live_screen.h"
#include "value_history.h"

namespace greymet::cli {

// All that is shown; references must outlive the call.
struct LiveData {
  const model::ResolvedPlan& plan;
  const engine::RunWatch& watch;
  const std::vector<engine::MeasuredTransaction>& transactions;
  const ValueHistory& history;
  const std::deque<std::string>& lines;  // of what went wrong or was typed, the last one last
  model::Duration now{};
  bool has_keys = false;
};

// Transactions above, failing ones first; the values of the chosen one below, the last minute of
// the chosen value, and the last lines of the log. No line is longer than the screen is wide, but
// for what the terminal cuts.
class LiveView {
 public:
  // Keeps references.
  LiveView(const model::ResolvedPlan& plan, const timing::TimingReport& report);

  // Bytes as a keyboard sends them, in any pieces; true once the run is to end.
  bool press(std::string_view keys);
  // The whole screen, of at most that many lines.
  [[nodiscard]] std::string text(const LiveData& data, ScreenSize size, const Terminal& terminal);

 private:
  enum class Key { up, down, page_up, page_down, first, last, tab, escape, none };
  using Rows = std::vector<const engine::MeasuredTransaction*>;

  static Key key_of(std::string_view sequence);
  void press(Key key);
  bool press(char c);
  void move(std::ptrdiff_t by);
  [[nodiscard]] Rows rows_of(const LiveData& data) const;
  [[nodiscard]] bool matches(const engine::MeasuredTransaction& t) const;
  [[nodiscard]] std::size_t choose(const Rows& rows);
  [[nodiscard]] std::string table(const LiveData& data, const Rows& rows, std::size_t height,
                                  std::size_t columns, const Terminal& terminal) const;
  [[nodiscard]] std::string values(const LiveData& data, const std::vector<CarriedValue>& all,
                                   std::size_t height, std::size_t columns,
                                   const Terminal& terminal);
  [[nodiscard]] std::string last_minute(const LiveData& data, const CarriedValue& value) const;

  const model::ResolvedPlan& plan_;
  std::vector<std::string> wires_;  // per transaction
  std::string begun_;               // of a sequence of a key
  std::string filter_;
  bool types_filter_ = false;
  bool failing_first_ = true;
  bool in_values_ = false;  // up and down choose a value
  bool chosen_by_key_ = false;
  std::optional<std::size_t> chosen_;  // transaction; the first shown without
  std::ptrdiff_t moved_ = 0;           // by keys since the last text()
  std::size_t top_ = 0;                // first row shown
  std::size_t height_ = 10;            // of the table, as it was shown last
  std::size_t value_ = 0;              // chosen, of the values of the chosen transaction
  std::size_t value_top_ = 0;
  std::ptrdiff_t value_moved_ = 0;
};

}  // namespace greymet::cli
