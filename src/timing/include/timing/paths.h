// Paths: the way of a value through reads, copies and writes, and how old it can be at the end.
//
// Each transfer adds at most D, the longest time from a change just after a sample to the
// completion that carries it, and one scan of the controller that receives it; each copy of a
// program adds one scan:
//     cyclic      D = period x ceil(R / period) + R        (timing/heartbeats.h)
//     continuous  D = L + C
//     on change   D = max(min_gap, R) + R, and one scan of the sender, which must notice it
// What runs on a bit of the program, at the start or on return has no D: nothing says when it runs.
// The least age is that of the quickest transfers alone. Of several ways the one with the least
// bound is taken.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "model/value_flow.h"
#include "timing/timing_model.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::timing {

// One step of the way.
struct Hop {
  model::MoveKind kind = model::MoveKind::read;
  std::size_t index = 0;            // a transaction, or a copy, of the resolved plan
  std::optional<JobRef> job;        // of a transaction that could be timed
  std::size_t controller = 0;       // whose master or program does it
  std::optional<std::size_t> into;  // controller that receives it; none: a slave
  Duration least{};
  std::optional<Duration> bound;  // D and the scans; none: not bounded
};

// What is known of a transaction that may carry a value.
struct PathCarrier {
  JobRef job;
  std::optional<Duration> response;  // its bound, for released ones
  std::optional<Duration> interval;  // L, for continuous ones
};

// What can be said of a path and its budget.
enum class PathVerdict : std::uint8_t {
  good,            // bound within the budget
  not_guaranteed,  // the simulation stays within the budget, the bound does not
  too_old,         // the simulation exceeds the budget
  not_bounded,     // a step has no bound
  no_way,          // nothing carries the value there
};
[[nodiscard]] std::string_view to_string(PathVerdict verdict);

// Ages of the value at the end of its way, at an instant of no special kind.
struct AgeDistribution {
  Duration least{};
  Duration median{};
  Duration p99{};
  Duration longest{};
  double mean_ms = 0;
  std::vector<double> histogram;  // share of the time, in equal bins from 0 on
  Duration bin{};
};

// One path: its way, its bounds, and what the simulation says.
struct PathReport {
  std::string name;
  std::vector<Hop> hops;
  std::optional<std::size_t> dominating;  // the hop with the largest bound
  std::optional<Duration> least;
  std::optional<Duration> bound;
  std::optional<Duration> budget;
  std::optional<AgeDistribution> ages;  // durations between shortest and longest
  std::optional<Duration> simulated;    // the oldest seen, with longest durations too
  PathVerdict verdict = PathVerdict::no_way;
};

// A way that somebody asks for; one of its ends may not be known.
struct WantedPath {
  std::string name;
  std::optional<model::ValuePlace> from;
  std::optional<model::ValuePlace> to;
  std::optional<Duration> budget;
};

// The paths of the plan.
[[nodiscard]] std::vector<WantedPath> declared_paths(const model::ResolvedPlan& resolved);

// Ways and bounds of paths. `carriers` are parallel to the plan's transactions. Ages are left to
// timing/path_ages.h; the verdict is judge_path()'s without them.
[[nodiscard]] std::vector<PathReport> path_routes(
    const model::ResolvedPlan& resolved, const TimingModel& timing,
    const std::vector<std::optional<PathCarrier>>& carriers, const std::vector<WantedPath>& wanted);

[[nodiscard]] PathVerdict judge_path(const PathReport& path);

}  // namespace greymet::timing
