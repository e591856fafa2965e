// What the program of one controller does around its exchange: copies, heartbeats and their
// watching, once a scan.
#pragma once

#include <vector>

#include "engine/agenda.h"
#include "engine/controller_memory.h"
#include "model/resolved_plan.h"

namespace greymet::engine {

// A change of a heartbeat's alarm at the consumer.
struct AlarmEvent {
  std::size_t heartbeat = 0;  // into Exchange::heartbeats
  Duration at{};
  bool alarm = false;  // false: seen again
};

// What was seen of a heartbeat by its consumer.
struct HeartbeatWatch {
  std::size_t heartbeat = 0;
  std::uint64_t toggles_seen = 0;
  Duration longest_gap{};  // between two changes that were seen
  Duration last_change{};
  bool alarm = false;
  bool last_value = false;
};

// What a producer did of a heartbeat.
struct ProducedBeat {
  std::size_t heartbeat = 0;  // into Exchange::heartbeats
  std::uint64_t changes = 0;
  Duration last_change{};
};

// The program of one controller, in the instants of a run. One thread.
class Program {
 public:
  // Keeps references.
  Program(const model::ResolvedPlan& plan, model::ControllerIndex controller,
          ControllerMemory& memory);

  // Runs the scans that are due by `now`. A scan in which nothing changed and nothing is due does
  // nothing, and is not run.
  void act(Duration now);
  [[nodiscard]] Duration next_wake(Duration now) const;

  // Heartbeats of this producer stop, or go on, as if its program did.
  void stop_heartbeats(bool stopped) { heartbeats_stopped_ = stopped; }
  [[nodiscard]] const std::vector<HeartbeatWatch>& watched() const { return watched_; }
  [[nodiscard]] const std::vector<ProducedBeat>& produced() const { return beats_; }
  [[nodiscard]] const std::vector<AlarmEvent>& alarms() const { return alarms_; }

 private:
  struct Produced {
    BitSequence bit;
    Duration toggle{};
    Duration next{};
  };
  struct Copied {
    BitSequence from;
    BitSequence to;
  };
  void copy_all();
  void watch(Duration now);

  const model::ResolvedPlan& plan_;
  ControllerMemory& memory_;
  Duration scan_;
  std::vector<Produced> produced_;
  std::vector<ProducedBeat> beats_;  // parallel
  std::vector<Copied> copies_;
  std::vector<HeartbeatWatch> watched_;
  std::vector<BitSequence> seen_;  // parallel to watched_
  std::vector<AlarmEvent> alarms_;
  std::uint64_t scanned_revision_ = 0;
  Duration changed_at_ = never;  // memory changed then, and no scan has seen it
  bool heartbeats_stopped_ = false;
};

}  // namespace greymet::engine
