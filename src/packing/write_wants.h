// Wants that write, as requests. Not for use outside this folder.
//
// The law: the registers that the requests of a want write are those of its points, each once, and
// no other. So nothing is joined over a gap, and no bit of a register is written for itself. Of
// requests that keep it these are the fewest: points that lie side by side go together as far as a
// request carries, from the lowest on.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "model/resolved_plan.h"
#include "packing/pack.h"

namespace greymet::packing::internal {

// One request of a want.
struct WriteRequest {
  std::size_t want = 0;
  std::size_t controller = 0;
  std::size_t slave = 0;
  model::Area area = model::Area::holding_register;
  std::uint32_t first = 0;
  std::uint32_t quantity = 0;
  std::int64_t function = 0;
  std::vector<const model::Point*> points;
};

// The requests of all wants that write, want by want, by address; what cannot be written is among
// the problems.
[[nodiscard]] std::vector<WriteRequest> write_requests(const model::ResolvedPlan& resolved,
                                                       std::vector<PackProblem>& problems);

}  // namespace greymet::packing::internal
