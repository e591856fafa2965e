// endpoints.json: where served lines and hosts can be reached on this computer.
#pragma once

#include <map>
#include <string>
#include <tl/expected.hpp>

#include "model/finding.h"
#include "model/resolved_plan.h"

namespace greymet::files {

// Lines by name, and "host:port" of the plan, each with the device or "address:port" that stands
// for it.
struct EndpointTable {
  std::map<std::string, std::string> lines;
  std::map<std::string, std::string> tcp;
};

[[nodiscard]] std::string endpoints_json(const EndpointTable& table);

// Fails with what is wrong, with its place: names the plan does not have, values that are no
// device or address.
[[nodiscard]] tl::expected<EndpointTable, model::Findings> read_endpoints(
    const std::string& text, const model::ResolvedPlan& plan);

}  // namespace greymet::files
