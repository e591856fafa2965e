// An address as its manual prints it, beside the one on the wire.
#pragma once

#include <string>

#include "model/resolved_plan.h"

namespace greymet::model {

// "0x0048", "40073", or "73" of a manual that counts from 1; empty where the manual prints what
// goes over the wire, and of other controllers.
[[nodiscard]] inline std::string manual_beside(const ResolvedPlan& plan, const Target& target,
                                               Address address) {
  if (target.is_peer) return {};
  std::string text = plan.manual_address(target.index, address);
  return text == std::to_string(address.offset.value) ? std::string() : text;
}

}  // namespace greymet::model
