#include "address_claims.h"

#include <algorithm>

#include "model/ip_address.h"

namespace greymet::checks::internal {

using model::host_of_address;
using model::place_or;

std::vector<Claim> claims_of(const model::ResolvedPlan& resolved) {
  const model::Plan& plan = resolved.plan;
  std::vector<Claim> claims;
  for (const model::Controller& c : plan.controllers) {
    if (!c.address) continue;
    claims.push_back({BoxKind::controller,
                      subject_of(c),
                      host_of_address(c.address->value),
                      0,
                      0,
                      c.address->place,
                      {},
                      false});
  }
  for (std::size_t i = 0; i < plan.slaves.size(); ++i) {
    const model::Slave& s = plan.slaves[i];
    const model::ExchangeSlave& effective = resolved.exchange.slaves[i];
    if (!s.host || s.line) continue;
    claims.push_back({BoxKind::slave, subject_of(s), s.host->value, effective.port,
                      effective.unit->value, s.host->place, place_or(s.port, s.host->place),
                      s.port.has_value()});
  }
  for (std::size_t i = 0; i < plan.gateways.size(); ++i) {
    const model::Gateway& g = plan.gateways[i];
    if (!g.host) continue;
    claims.push_back({BoxKind::gateway, subject_of(g), g.host->value,
                      resolved.exchange.gateways[i].port, 0, g.host->place,
                      place_or(g.port, g.host->place), g.port.has_value()});
  }
  std::stable_sort(claims.begin(), claims.end(),
                   [](const Claim& a, const Claim& b) { return a.place < b.place; });
  return claims;
}

bool one_box(const Claim& a, const Claim& b) {
  if (a.kind != b.kind || a.kind == BoxKind::controller) return false;
  return a.kind == BoxKind::gateway || a.port == b.port;
}

}  // namespace greymet::checks::internal
