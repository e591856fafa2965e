// Who answers and who does not, what for, since when; and whom others had to wait for.
//
// Fed with what has ended, in that order. Of what ended before, each line or connection keeps the
// last 64: who waited longer than that is said to have waited for the one among them. One thread.
#pragma once

#include <cstdint>
#include <deque>
#include <map>
#include <optional>
#include <vector>

#include "engine/request_record.h"
#include "model/resolved_plan.h"

namespace greymet::engine {

// One slave or answering controller as a master sees it.
struct SlaveState {
  model::Target target;
  bool answers = true;  // the last request that went to it was answered, if only by an exception
  Cause cause = Cause::none;      // of the last one that was not answered well
  std::uint8_t exception = 0;     // of the last one that was refused
  std::optional<Duration> since;  // it answers, or does not, from then on; none before the first
  std::uint64_t sent = 0;
  std::uint64_t unanswered = 0;     // none of their tries was
  std::uint64_t refused = 0;        // answered by an exception
  std::uint64_t again = 0;          // answered, though not in the first try
  std::uint64_t tries = 0;          // of those that were not answered
  std::uint64_t not_asked = 0;      // dropped: parked, or without a connection
  Duration held{};                  // time that its unanswered tries took of a line or connection
  std::uint64_t waited = 0;         // requests to others that waited for that
  std::optional<std::size_t> link;  // where: into TimingModel::queues

  // Something was not as it should be.
  [[nodiscard]] bool is_odd() const { return unanswered + refused + again + not_asked > 0; }
};

// One line or connection.
struct WireState {
  std::size_t link = 0;           // into TimingModel::queues
  bool works = true;              // the last request over it was answered, by whomever
  Cause cause = Cause::none;      // of the last one that was not
  std::optional<Duration> since;  // it works, or does not, from then on; none before the first
  std::uint64_t sent = 0;
  std::uint64_t answered = 0;
  std::uint64_t not_sent = 0;  // dropped: no connection, or whoever was asked is parked
};

// The longest that a transaction waited from its release to its turn, and for whom.
struct LongestWait {
  Duration waited{};
  std::optional<std::size_t> behind;  // the transaction that took most of it
  bool behind_failing = false;        // which was not answered, or not at once
};

class SlaveWatch {
 public:
  explicit SlaveWatch(const model::ResolvedPlan& plan);
  void add(const RequestRecord& record);

  // Those that were asked, in the order of the plan, controllers last.
  [[nodiscard]] std::vector<SlaveState> states() const;
  // Those that were used, in the order of the queues.
  [[nodiscard]] std::vector<WireState> wires() const;
  [[nodiscard]] const LongestWait& longest_wait(std::size_t transaction) const {
    return waits_[transaction];
  }
  // Between two answers with what was asked for, from the start on and up to `now`; nothing where
  // none has come.
  [[nodiscard]] std::optional<Duration> longest_gap(std::size_t transaction, Duration now) const;

 private:
  struct Turn {
    std::size_t transaction = 0;
    Duration start{};
    Duration end{};
    bool failing = false;
  };
  void note_wait(const RequestRecord& record);
  void note_wire(const RequestRecord& record);

  const model::ResolvedPlan& plan_;
  std::map<model::Target, SlaveState> states_;
  std::map<std::size_t, WireState> wires_;         // by link
  std::map<std::size_t, std::deque<Turn>> turns_;  // per link, of late
  std::vector<LongestWait> waits_;                 // per transaction
  std::vector<std::optional<Duration>> last_good_;
  std::vector<Duration> longest_gap_;
};

}  // namespace greymet::engine
