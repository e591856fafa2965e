// The network as a drawing: controllers, lines, gateways, hosts, slaves. Not for use outside this
// folder.
#pragma once

#include <string>

namespace greymet::model {
struct ResolvedPlan;
}

namespace greymet::exports {

// An <svg> element for a page; its colours are those of the page. Everything of the plan that is
// connected is in it once.
[[nodiscard]] std::string network_svg(const model::ResolvedPlan& plan);

}  // namespace greymet::exports
