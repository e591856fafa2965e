// Parts of a rehearsal. Not for use outside this folder.
#pragma once

#include "engine/rehearsal.h"

namespace greymet::engine::internal {

// The second act: changes the first and the last word of every block and looks whether they
// arrive, for as long as `patience`.
[[nodiscard]] std::vector<RehearsedBlock> rehearse_blocks(const model::ResolvedPlan& plan,
                                                          Stage& stage, Duration patience,
                                                          const Finished& finished);

// The third act without a script: every slave that somebody asks falls silent once.
[[nodiscard]] std::vector<Fault> default_script(const model::ResolvedPlan& plan,
                                                const timing::TimingReport& report);
// What comes after the last fault of a script: all have to be asked again, and to have answered.
[[nodiscard]] Duration patience_after(const model::ResolvedPlan& plan,
                                      const timing::TimingReport& report,
                                      const std::vector<Fault>& script);
[[nodiscard]] Duration length_of_script(const std::vector<Fault>& script, Duration patience);

// What the consumers have seen of each heartbeat in the first act.
[[nodiscard]] std::vector<RehearsedHeartbeat> heartbeats_in_quiet(
    const model::ResolvedPlan& plan, const timing::TimingReport& report,
    const std::vector<Program>& programs);
// The fourth act: each producer stops once, and with it all its heartbeats.
void rehearse_heartbeats(const model::ResolvedPlan& plan, Stage& stage, const Finished& finished,
                         std::vector<RehearsedHeartbeat>& heartbeats);
// How long that takes where every alarm comes as late as it may.
[[nodiscard]] Duration length_of_heartbeats(const model::ResolvedPlan& plan,
                                            const timing::TimingReport& report);

// What is done to one after the other is done to so many at a time: within fifty turns, so that
// what is played grows with the plan, not with its square.
[[nodiscard]] constexpr std::size_t at_a_time(std::size_t count) {
  constexpr std::size_t most_turns = 50;
  return (count + most_turns - 1) / most_turns;
}

// So long after a change every block has been carried that ever will be.
[[nodiscard]] Duration patience_of(const timing::TimingReport& report);

}  // namespace greymet::engine::internal
