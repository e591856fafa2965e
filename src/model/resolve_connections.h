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
    std::map<std::pair<std::string, std::int64_t>, std::pair<Place, std::string>> first;
    const auto offer = [&first](const Declared<std::string>& host, std::int64_t port, Place place,
                                const std::string& name) {
      if (!host) return;
      const auto [at, is_new] = first.try_emplace({host->value, port}, place, name);
      if (!is_new && place < at->second.first) at->second = {place, name};
    };
    for (const Slave& s : plan.slaves) {
      offer(s.host, value_or(s.port, defaults::tcp_port), s.place, s.name);
    }
    for (const Gateway& g : plan.gateways) {
      offer(g.host, value_or(g.port, defaults::tcp_port), g.place, g.name);
    }
    for (const auto& [key, value] : first) names_[key] = value.second;
  }

  std::size_t of(std::size_t controller, const std::string& host, std::int64_t port,
                 const std::string& fallback_name, std::optional<std::size_t> gateway,
                 Place place) {
    const auto key = std::tuple(controller, host, port);
    const auto found = known_.find(key);
    if (found != known_.end()) return found->second;
    const auto named = names_.find({host, port});
    std::string name = named == names_.end() ? fallback_name : named->second;
    if (std::find(line_names_.begin(), line_names_.end(), name) != line_names_.end()) {
      name += " (tcp)";
    }
    resolved_.connections.push_back({controller, host, port, name, gateway, place});
    known_[key] = resolved_.connections.size() - 1;
    return resolved_.connections.size() - 1;
  }

 private:
  ResolvedPlan& resolved_;
  std::vector<std::string> line_names_;
  std::map<std::pair<std::string, std::int64_t>, std::string> names_;
  std::map<std::tuple<std::size_t, std::string, std::int64_t>, std::size_t> known_;
};

}  // namespace greymet::model::internal
