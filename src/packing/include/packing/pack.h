// Wanted points -> requests: the least line time, then phases, then memory.
//
// For each controller, slave and area the wanted points, with what must not be cut or touched, are
// covered at the least line time per second (packing/partition.h): values and listed values of
// several registers are never cut, limits of the standard and of the slave are kept, and a gap is
// read through only where the slave lets it: over listed registers that can be read, and over
// unlisted ones of a slave whose holes read as zero. Whether another one answers for them nobody
// knows.
//
// Wants that write (`from`) become the fewest requests that write the registers of their points and
// no other (packing/write_wants.h).
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "model/finding.h"
#include "model/transaction.h"

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::packing {

using model::Duration;

// One request that came of the wants.
struct PackedRequest {
  model::Transaction declared;  // as it is to be written into the plan
  model::Address at;
  std::uint32_t quantity = 0;
  Duration every{};  // 0: on a bit, a change, at start or return
  Duration phase{};
  std::vector<std::string> points;  // wanted ones that it brings or writes
};

// Requests and time of the lines and connections that the wants use.
struct PackSide {
  std::size_t requests = 0;                // for the wants alone
  double utilisation_percent = 0;          // of the fullest of these lines, everything included
  std::optional<Duration> response_bound;  // the longest there, for any phases
};

// One line or connection before and after.
struct PackedLine {
  std::string name;
  PackSide before;
  PackSide after;
  std::optional<Duration> response_simulated;  // after, with longest durations
  std::uint64_t missed = 0;
};

// Why a want, or part of it, cannot be packed; or what speaks against the result.
struct PackProblem {
  model::Range place;
  model::Subject subject;
  std::string message;
  std::string remedy;
};

// Wants of one slave and area that go into requests of their own, because they say different things
// of what is done at a loss, or where their values go; and what that costs.
struct KeptApart {
  model::Subject slave;
  model::Area area = model::Area::holding_register;
  std::vector<std::size_t> wants;  // their numbers in the file, from 1
  std::size_t more_requests = 0;   // than if they had said the same
  double line_percent = 0;         // of the time of their line, more than that
};

// `before`: each wanted value fetched by a request of its own.
struct PackResult {
  std::vector<PackedRequest> requests;
  PackSide before;
  PackSide after;
  std::vector<PackedLine> lines;
  std::vector<KeptApart> kept_apart;
  std::vector<PackProblem> problems;  // any of these: do not write the plan
  bool least = true;                  // the line time is proved to be the least
  bool phases_exact = true;
};

// Every wanted point comes as often as its want says or more often, to the place and with the loss
// of its want.
[[nodiscard]] PackResult pack(const model::ResolvedPlan& resolved);

// Its requests as transactions of the plan.
[[nodiscard]] std::vector<model::Transaction> declared_of(const PackResult& result);

}  // namespace greymet::packing
