// What a run came to, in words somebody at a cabinet can act on: passed, disturbed or failed, and
// why, the gravest first.
#pragma once

#include <string>
#include <vector>

#include "engine/run_heartbeats.h"
#include "engine/run_watch.h"

namespace greymet::engine {

enum class RunOutcome : std::uint8_t {
  passed,
  disturbed,  // all that was expected is there; a few requests failed, were late or came again
  failed
};
// "passed", "disturbed", "failed"
[[nodiscard]] std::string_view to_string(RunOutcome outcome);

struct RunVerdict {
  RunOutcome outcome = RunOutcome::passed;
  std::vector<std::string> because;  // empty where all is well
};

// What is judged. References must outlive the call.
struct RunFacts {
  const model::ResolvedPlan& plan;
  const timing::TimingReport& report;
  const RunWatch& watch;
  const std::vector<MeasuredTransaction>& transactions;
  const std::vector<ExpectationResult>& results;  // parallel to watch.expected()
  std::vector<std::string> never_sent = {};       // values that were stated and went nowhere
  bool accounted = true;
  double tolerated = 0;  // share of requests, 0 to 1, that may fail, come again or come late
  std::vector<RunHeartbeat> heartbeats = {};
  std::vector<std::string> other_programs = {};  // controllers in which another exchange is loaded
};

// Failed: an expectation that is not met, a transaction that was never answered, a stated value
// that was never sent, a heartbeat that was in alarm, a controller with another exchange, and more
// than `tolerated` of the requests failed or late. Disturbed: fewer, or some that were answered in
// a later try only.
[[nodiscard]] RunVerdict judge_run(const RunFacts& facts);

// "meter3: no reply; 3 requests, 9 tries, since 12.3 s. It held line north for 15.0 s, 41 requests
// waited"
[[nodiscard]] std::string text_of(const model::ResolvedPlan& plan,
                                  const timing::TimingReport& report, const SlaveState& state);

// "fan2 no reply since 2.0 s, meter1 exception 02": who does not answer well as of now, three at
// most; empty where all do.
[[nodiscard]] std::string failing_text(const model::ResolvedPlan& plan,
                                       const std::vector<SlaveState>& states);

}  // namespace greymet::engine
