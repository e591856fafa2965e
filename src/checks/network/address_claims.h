// Who says to be at which address of the network. Not for use outside this folder.
#pragma once

#include <string>
#include <vector>

#include "common/words.h"

namespace greymet::checks::internal {

// Who claims an address on the network.
enum class BoxKind : std::uint8_t { controller, slave, gateway };

// One claim to a host: a controller's own address, or the host of a slave or gateway.
struct Claim {
  BoxKind kind = BoxKind::controller;
  model::Subject subject;  // "slave air"
  std::string host;
  std::int64_t port = 0;
  std::int64_t unit = 0;
  Range place;
  Range port_place;
  bool port_written = false;
};

// All claims of a plan, in the order of its text.
[[nodiscard]] std::vector<Claim> claims_of(const ResolvedPlan& resolved);

// Two claims to one host that one box can satisfy.
[[nodiscard]] bool one_box(const Claim& a, const Claim& b);

}  // namespace greymet::checks::internal
