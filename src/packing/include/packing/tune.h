// The smallest changes that make a plan fit, or a silent slave harmless.
//
// For each line and connection that misses releases, whose bounds exceed periods, or on which a
// silent slave makes others miss theirs, changes of one kind are tried, each in the least size that
// cures it: phases, timeout, retries, park, longer periods, a higher baud rate, slaves moved to a
// line of their own; where none is enough, two kinds together. Every change is carried out on a
// copy of the plan, of which the line alone is simulated anew with longest durations, in health and
// with each of its slaves silent. Only what passes is given, the least intrusive first.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "model/finding.h"
#include "model/strong.h"
#include "timing/progress.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::packing {

// What a change is to achieve.
enum class TuneGoal : std::uint8_t {
  fit,         // no release is missed, with longest durations
  guarantee,   // nor can any be: every bound is within its period
  endure,      // no silent slave makes others miss releases again and again
  endure_all,  // nor at first, until it is parked
};
[[nodiscard]] std::string_view to_string(TuneGoal goal);

// How intrusive a change is; proposals are ranked by it.
enum class TuneKind : std::uint8_t { phases, retries, timeout, park, period, baud, split, both };
[[nodiscard]] std::string_view to_string(TuneKind kind);

// What the simulation says of a line.
struct LineState {
  double utilisation_percent = 0;
  bool overloaded = false;  // what comes whatever happens needs more time than there is
  std::uint64_t missed = 0;
  std::size_t late = 0;  // transactions whose bound exceeds their period
  std::optional<model::Duration> response_simulated;  // the longest
  std::size_t hurtful = 0;      // slaves whose silence makes others miss again and again
  std::size_t hurtful_all = 0;  // or at first
  std::string worst;            // one of these slaves
};

// One change of the plan that reaches the goal, as simulated.
struct TuneChange {
  TuneKind kind = TuneKind::phases;
  std::string text;  // what to write, in the words of the plan
  std::string cost;  // what it costs
  LineState after;
  model::Fix fix;                  // the same as edits of the plan
  bool rests_on_defaults = false;  // what it leaves room for is assumed: behind all others
};

// One goal of one line.
struct TuneAdvice {
  std::string line;
  TuneGoal goal = TuneGoal::fit;
  LineState before;
  std::vector<TuneChange> changes;  // ranked; empty: nothing that was tried is enough
  std::size_t tried = 0;            // changes simulated
  std::size_t too_many = 0;         // transactions, where they are too many to try changes on
};

// Lines with more transactions than this are left out, and said to be.
inline constexpr std::size_t most_tuned_transactions = 3000;

// How much is offered.
struct TuneOptions {
  std::size_t most_changes = 6;  // per goal
  timing::ProgressSink progress;
};

[[nodiscard]] std::vector<TuneAdvice> tune(const model::ResolvedPlan& resolved,
                                           const TuneOptions& options);

}  // namespace greymet::packing
