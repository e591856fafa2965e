// Heartbeats while a run goes on: produced by its programs, and watched where the exchange of the
// run can bring them.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/program.h"
#include "timing/report.h"

namespace greymet::engine {

// One of the plan, as the run has seen it.
struct RunHeartbeat {
  std::size_t heartbeat = 0;   // into Exchange::heartbeats
  std::uint64_t produced = 0;  // changes by a program of this run
  std::string not_watched;     // why nobody here watches it; empty: somebody does
  std::uint64_t changes_seen = 0;
  std::optional<Duration> longest_gap;  // between two of them
  // From a change here to where it is watched here; nothing where another device may be asked.
  std::optional<Duration> longest_way;
  std::uint64_t alarms = 0;
  std::optional<Duration> first_alarm;   // of the run
  bool alarm = false;                    // it is in alarm now
  std::optional<Duration> latest_alarm;  // by the timing model, after the producer has stopped
};

// What the run does, as far as heartbeats go.
struct HeartbeatRoles {
  std::vector<std::size_t> controllers;  // that are run; all if there are none
  bool writes = false;                   // writes are sent,
  bool broadcasts = false;               // broadcasts too
  bool answers = false;                  // its controllers answer
};

// Collects. One thread.
class RunHeartbeats {
 public:
  // Keeps a reference to the plan.
  RunHeartbeats(const model::ResolvedPlan& plan, const timing::TimingReport& report,
                const HeartbeatRoles& roles);
  // To be called several times a second: of a way only what is looked at while it is the last one
  // is measured.
  void look(const std::vector<Program>& programs);
  [[nodiscard]] const std::vector<RunHeartbeat>& states() const { return states_; }

 private:
  std::vector<RunHeartbeat> states_;
  std::vector<bool> here_;          // per controller: it is run
  std::vector<bool> measures_way_;  // per heartbeat
};

}  // namespace greymet::engine
