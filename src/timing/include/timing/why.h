// How a bound is made up, share by share, and what came closest to it: a number that people can
// follow.
#pragma once

#include <cstdint>
#include <optional>
#include <vector>

#include "timing/report.h"
#include "timing/simulation.h"

namespace greymet::timing {

// One summand.
struct BoundShare {
  enum class Kind : std::uint8_t {
    first_wait,  // until the controller's first scan boundary
    begun,       // a continuous transaction that has just begun; of several places, one of them
    other,       // another transaction that may go first
    own,
    ways,     // while all places are on the network, or held until a boundary
    held,     // while all places of its connection, or of its controller, are held by others
    foreign,  // what another master puts on the line
    elapsed,  // negative: what has passed at the release; the place is held beyond the end
  } kind = Kind::other;
  std::optional<JobRef> job;
  std::optional<std::size_t> queue;  // of the other master
  std::int64_t times = 1;
  Duration each{};  // scans and foreign requests included
};

// On what the printed bound rests.
enum class BoundProof : std::uint8_t {
  any_phase,    // the sum, whatever the phases
  busy_period,  // the worst busy period that the plan's releases can make
  simulation,   // the simulation with longest durations, which is exact there (and one scan)
  sums,         // the cyclic ones simulated alone, and as many triggers as fit
};

// Why one transaction is answered in time. The shares of a sum add up to its bound exactly:
// any_phase = (first wait + own) + (all others) / places.
struct Why {
  JobRef job;
  Duration any_phase{};
  std::int64_t places = 1;  // that the others share
  std::vector<BoundShare> any_phase_shares;
  Duration bound{};
  BoundProof proof = BoundProof::any_phase;
  std::vector<BoundShare> in_phase_shares;  // where the proof is a busy period
  // The longest simulated response, and the services that it waited for, in the order of starts.
  std::optional<Service> closest;
  std::vector<std::pair<JobRef, Service>> schedule;
};

// Nothing for continuous jobs and where nothing is bounded. `report` is of analyse() or
// analyse_longest().
[[nodiscard]] std::optional<Why> why(const TimingReport& report, JobRef job);

}  // namespace greymet::timing
