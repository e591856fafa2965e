// A rehearsal: the whole exchange against simulated slaves, in four acts.
//
// 1. quiet: nothing goes wrong; responses are measured and held against what the timing model
//    predicts and bounds.
// 2. blocks: the first and last word of every block is changed at its source and must arrive.
// 3. faults: of a script, or every slave silent once; each must be noticed and recovered from.
// 4. heartbeats: each producer stops once; the alarm must come in time, and go again.
//
// Transactions run as often as they can: triggers as if they came every `min_gap`, gates open.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "engine/measures.h"
#include "engine/stage.h"
#include "timing/report.h"
#include "timing/simulation.h"

namespace greymet::engine {

// Which acts to play, and what counts as predicted.
struct RehearsalOptions {
  timing::Durations durations = timing::Durations::typical;  // that the stage takes
  Duration quiet = std::chrono::seconds(30);
  bool blocks = true;
  bool faults = true;
  std::optional<std::vector<Fault>> script;  // from the beginning of the third act
  bool heartbeats = true;
  // A median duration is as expected within the larger of these.
  double tolerance = 0.03;
  Duration tolerance_at_least = std::chrono::microseconds(300);
};

// What became of a known value at the source of a block.
enum class BlockVerdict : std::uint8_t {
  arrived,
  driven,       // somebody else put a value over ours at the source: not followed
  wrong,        // what lies at its end is not what lies at its source
  not_carried,  // no good request in time
  left_alone,   // mask writes and broadcasts; what waits for a start or a return
};
[[nodiscard]] std::string_view to_string(BlockVerdict verdict);

// One block of a transaction in one direction.
struct RehearsedBlock {
  std::size_t transaction = 0;
  bool is_read = true;
  BlockVerdict first = BlockVerdict::not_carried;
  BlockVerdict last = BlockVerdict::not_carried;
  std::optional<Duration> after;  // from the change to its arrival
};

// One fault of the script, and how soon the masters saw it come and go.
struct RehearsedFault {
  Fault fault;                        // instants from the start of the run
  std::optional<Duration> noticed;    // from its beginning to the first request that failed
  std::optional<Duration> recovered;  // from its end to the first good answer
  // While it lasted everybody else on the same line or connection waited for more than a period.
  bool stalls_all = false;
  bool good = false;
};

// One heartbeat: in good health, and with its producer stopped.
struct RehearsedHeartbeat {
  std::size_t heartbeat = 0;
  std::uint64_t changes_seen = 0;        // in the quiet act
  Duration longest_gap{};                // between two of them
  std::uint64_t false_alarms = 0;        // in the quiet act
  std::optional<Duration> alarm;         // after the producer stopped
  std::optional<Duration> latest_alarm;  // by the timing model
  std::optional<Duration> cleared;       // after it went on
  bool watched = true;                   // the plan says where its consumer looks
  bool good = false;
};

// One act, as far as it was played. In "blocks" values of the rehearsal's own are carried.
struct RehearsedAct {
  std::string_view name;  // "quiet", "blocks", "faults", "heartbeats"
  Duration from{};
  Duration to{};
};

// What a whole rehearsal comes to. `passed`: all of it is as the plan promises.
struct RehearsalResult {
  Duration lasted{};
  std::vector<RehearsedAct> acts;
  std::vector<MeasuredTransaction> transactions;  // in list order
  std::vector<RehearsedBlock> blocks;
  std::vector<RehearsedFault> faults;
  std::vector<RehearsedHeartbeat> heartbeats;
  std::vector<Field::Tripped> watchdogs;  // of slaves, while nothing was wrong
  std::vector<OddWire> odd;               // what came and was no answer
  bool accounted = true;                  // as many frames in the records as on the wires
  bool stopped = false;                   // before its end
  bool passed = false;
  std::vector<std::string> because;  // why it did not, in the order of the acts
};

// How long it will take, as far as it can be told.
[[nodiscard]] Duration length_of(const model::ResolvedPlan& plan,
                                 const timing::TimingReport& report,
                                 const RehearsalOptions& options);

// `report` is that of timing::analyse_longest(). `finished` sees every request as well.
[[nodiscard]] RehearsalResult rehearse(const model::ResolvedPlan& plan,
                                       const timing::TimingReport& report, Stage& stage,
                                       const RehearsalOptions& options, const Finished& finished);

}  // namespace greymet::engine
