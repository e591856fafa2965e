#include <algorithm>

#include "engine/station.h"
#include "timing/character.h"

namespace greymet::engine {

namespace {

// Who of a plan is there.
class Present {
 public:
  Present(const model::ResolvedPlan& plan, const std::set<model::Target>& present)
      : plan_(plan), present_(present) {}

  [[nodiscard]] bool on_line(std::size_t line) const {
    if (present_.empty()) return true;
    return std::any_of(present_.begin(), present_.end(), [&](const model::Target& target) {
      const model::LineIndex at(line);
      if (!target.is_peer) return plan_.exchange.slaves[target.index].line == at;
      const auto& answers = plan_.exchange.controllers[target.index].answers;
      return std::any_of(answers.begin(), answers.end(),
                         [&](const model::ExchangeAnswer& each) { return each.line == at; });
    });
  }
  [[nodiscard]] bool slave(std::size_t index) const {
    return present_.empty() || present_.contains({false, index, 0});
  }
  [[nodiscard]] bool target(const model::Target& target) const {
    return present_.empty() || present_.contains({target.is_peer, target.index, 0});
  }
  // Somebody on a line behind it.
  [[nodiscard]] bool behind(std::size_t gateway) const {
    const auto& lines = plan_.exchange.lines;
    for (std::size_t l = 0; l < lines.size(); ++l) {
      if (lines[l].via == model::GatewayIndex(gateway) && on_line(l)) return true;
    }
    return present_.empty();
  }

 private:
  const model::ResolvedPlan& plan_;
  const std::set<model::Target>& present_;
};

}  // namespace

StationPlaces station_places(const model::ResolvedPlan& plan,
                             const std::set<model::Target>& present) {
  const Present here(plan, present);
  StationPlaces out;
  const auto& lines = plan.exchange.lines;
  for (std::size_t l = 0; l < lines.size(); ++l) {
    if (lines[l].master && timing::character_timing(lines[l]) && here.on_line(l)) {
      out.lines.emplace_back(model::LineIndex(l));
    }
  }
  const auto add = [&out](const std::string& host, std::int64_t port) {
    const std::pair<std::string, std::int64_t> place{host, port};
    if (std::find(out.hosts.begin(), out.hosts.end(), place) == out.hosts.end()) {
      out.hosts.push_back(place);
    }
  };
  const auto& slaves = plan.exchange.slaves;
  for (std::size_t s = 0; s < slaves.size(); ++s) {
    if (slaves[s].host && here.slave(s)) add(*slaves[s].host, slaves[s].port);
  }
  const auto& gateways = plan.exchange.gateways;
  for (std::size_t g = 0; g < gateways.size(); ++g) {
    if (gateways[g].host && here.behind(g)) add(*gateways[g].host, gateways[g].port);
  }
  for (const model::ExchangeTransaction& t : plan.exchange.transactions) {
    const model::Endpoint& to = t.endpoint;
    if (to.connection && !to.gateway && here.target(t.target)) add(to.host, to.port);
  }
  for (const auto& telling : plan.telling_places()) {
    if (here.target(telling.target)) add(telling.host, telling.port);
  }
  return out;
}

}  // namespace greymet::engine
