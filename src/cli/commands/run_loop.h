// A run while it goes on. Not for use outside this folder.
#pragma once

#include <deque>
#include <optional>
#include <string>
#include <vector>

#include "cli/wire_files.h"
#include "engine/run_heartbeats.h"
#include "engine/run_watch.h"
#include "live/runtime.h"
#include "value_feed.h"

namespace greymet::cli::internal {

// What a run works with; all must outlive it.
struct RunParts {
  const model::ResolvedPlan& plan;
  live::Runtime& runtime;
  engine::RunWatch& watch;
  engine::RunHeartbeats& heartbeats;
  ValueFeed& feed;
  std::optional<files::RequestLog>& log;
  const engine::MasterOptions& masters;
  const timing::TimingReport& report;
  const std::vector<std::size_t>& read_back;  // see ExpectedOfRun
};

// The run itself, with the table on a terminal and a line a second elsewhere.
class RunLoop {
 public:
  RunLoop(const RunParts& parts, const Terminal& terminal);

  void run(engine::Duration length, bool until_met, bool on_screen);
  // Without what it took to let everything end.
  [[nodiscard]] engine::Duration lasted() const { return lasted_; }

 private:
  void play();
  void put(const engine::DueValue& due);
  void look();
  void tell();
  void note(const engine::RequestRecord& record);
  void keep(std::string line);
  [[nodiscard]] bool all_met() const;
  [[nodiscard]] bool is_trigger(const engine::ValueSpot& spot) const;

  RunParts parts_;
  const Terminal& terminal_;
  std::vector<engine::ControllerMemory*> memories_;
  std::vector<const engine::Master*> masters_;
  std::vector<std::string> told_lines_;  // of values that came, not shown yet
  std::deque<std::string> last_lines_;   // for the screen
  bool on_screen_ = false;
  engine::Duration told_{};
  engine::Duration lasted_{};
};

}  // namespace greymet::cli::internal
