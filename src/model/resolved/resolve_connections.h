// The TCP connections of a plan: one per controller and host:port. Not for use outside this folder.
#pragma once

#include <algorithm>
#include <map>
#include <string>
#include <tuple>
#include <vector>

#include "model/resolved_plan.h"

namespace greymet::model::internal {

// Finds or makes the connection of a controller to host:port.
class Connections {
 public:
  explicit Connections(ResolvedPlan& resolved) : resolved_(resolved) {
    const Plan& plan = resolved.plan;
    for (const Line& line : plan.lines) line_names_.push_back(line.name);
    // The name comes from the first slave or gateway of that host:port in file order.
    std::map<std::pair<std::string, std::int64_t>, std::pair<Range, std::string>> first;
    const auto offer = [&first](const std::optional<std::string>& host, std::int64_t port,
                                Range place, const std::string& name) {
      if (!host) return;
      const auto [at, is_new] = first.try_emplace({*host, port}, place, name);
      if (!is_new && place < at->second.first) at->second = {place, name};
    };
    for (std::size_t i = 0; i < plan.slaves.size(); ++i) {
      const ExchangeSlave& slave = resolved.exchange.slaves[i];
      offer(slave.host, slave.port, plan.slaves[i].place, slave.name);
    }
    for (std::size_t i = 0; i < plan.gateways.size(); ++i) {
      const ExchangeGateway& gateway = resolved.exchange.gateways[i];
      offer(gateway.host, gateway.port, plan.gateways[i].place, gateway.name);
    }
    for (const auto& [key, value] : first) names_[key] = value.second;
  }

  ConnectionIndex of(ControllerIndex controller, const std::string& host, std::int64_t port,
                     const std::string& fallback_name, std::optional<GatewayIndex> gateway,
                     Range place) {
    const auto key = std::tuple(controller, host, port);
    const auto found = known_.find(key);
    if (found != known_.end()) return found->second;
    const auto named = names_.find({host, port});
    std::string name = named == names_.end() ? fallback_name : named->second;
    if (std::find(line_names_.begin(), line_names_.end(), name) != line_names_.end()) {
      name += " (tcp)";
    }
    auto& connections = resolved_.exchange.connections;
    connections.push_back({controller, host, port, name, gateway, place});
    return known_[key] = ConnectionIndex(connections.size() - 1);
  }

 private:
  ResolvedPlan& resolved_;
  std::vector<std::string> line_names_;
  std::map<std::pair<std::string, std::int64_t>, std::string> names_;
  std::map<std::tuple<ControllerIndex, std::string, std::int64_t>, ConnectionIndex> known_;
};

}  // namespace greymet::model::internal
