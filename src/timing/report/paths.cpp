#include "timing/paths.h"

#include <algorithm>
#include <map>

#include "model/bit_index.h"
#include "model/resolved_plan.h"
#include "timing/heartbeats.h"
#include "timing/transfers.h"

namespace greymet::timing {

using model::MoveKind;
using model::ResolvedPlan;
using model::TriggerKind;
using model::ValueMove;
using model::ValuePlace;

namespace {

using PlaceKey =
    std::tuple<bool, std::size_t, model::Area, std::size_t, std::uint64_t, std::uint64_t>;

PlaceKey key_of(const ValuePlace& place) {
  return {place.at_controller, place.owner,      place.area,
          place.bits.store,    place.bits.first, place.bits.end};
}

// Longer than any way; a step without a bound still may be taken if nothing else leads there.
constexpr Duration unbounded_step = std::chrono::hours(1000);
constexpr std::size_t most_places = 20'000;

class RouteFinder {
 public:
  RouteFinder(const ResolvedPlan& resolved, const TimingModel& timing,
              const std::vector<std::optional<PathCarrier>>& carriers)
      : plan_(resolved), timing_(timing), carriers_(carriers) {}

  // The way with the least bound.
  [[nodiscard]] std::vector<Hop> find(const ValuePlace& from, const ValuePlace& to) {
    const Search& search = search_from(from);
    const auto end = first_arrival(search, to);
    std::vector<Hop> hops;
    if (!end) return hops;
    for (const auto* at = search.settled[*end]; at->second.before;
         at = &*search.reached.find(*at->second.before)) {
      hops.push_back(at->second.by);
    }
    std::reverse(hops.begin(), hops.end());
    return hops;
  }

 private:
  struct Reached {
    ValuePlace place;
    Duration cost{};
    bool settled = false;
    std::optional<PlaceKey> before;
    Hop by;
  };
  using Owner = std::tuple<bool, std::size_t, model::Area>;
  static Owner owner_of(const ValuePlace& place) {
    return {place.at_controller, place.owner, place.area};
  }
  // Where a value settles with one owner.
  struct Settled {
    std::vector<std::size_t> order;  // into Search::settled
    model::BitIndex places;          // parallel
  };
  // All that a value reaches, the nearest first.
  struct Search {
    std::map<PlaceKey, Reached> reached;
    std::vector<const std::pair<const PlaceKey, Reached>*> settled;
    std::map<Owner, Settled> of_owner;
  };

  // The nearest place that is `to`; one that begins there must have been on its way.
  static std::optional<std::size_t> first_arrival(const Search& search, const ValuePlace& to) {
    const auto of_owner = search.of_owner.find(owner_of(to));
    if (of_owner == search.of_owner.end()) return std::nullopt;
    for (const std::size_t place : of_owner->second.places.overlapping(to.bits)) {
      const std::size_t at = of_owner->second.order[place];
      const Reached& reached = search.settled[at]->second;
      if (reached.before && arrived(reached.place, to)) return at;
    }
    return std::nullopt;
  }

  // The shortest-path search of Dijkstra; paths that begin at one place share it.
  const Search& search_from(const ValuePlace& from) {
    constexpr std::size_t most_kept = 256;
    if (searches_.size() >= most_kept && !searches_.contains(key_of(from))) searches_.clear();
    const auto [known, is_new] = searches_.try_emplace(key_of(from));
    Search& search = known->second;
    if (!is_new) return search;
    auto& reached = search.reached;
    std::multimap<Duration, PlaceKey> open;
    reached[key_of(from)] = {from, {}, false, std::nullopt, {}};
    open.emplace(Duration{}, key_of(from));
    while (!open.empty() && reached.size() < most_places) {
      const auto key = open.begin()->second;
      open.erase(open.begin());
      const auto here = reached.find(key);
      if (here->second.settled) continue;
      here->second.settled = true;
      search.settled.push_back(&*here);
      const Duration cost = here->second.cost;
      for (const ValueMove& move : plan_.flow.moves_of(here->second.place)) {
        if (!move.to) continue;
        const Hop hop = hop_of(move);
        const Duration total = cost + hop.bound.value_or(unbounded_step) + Duration(1);
        const auto next_key = key_of(*move.to);
        auto [at, is_first] = reached.try_emplace(next_key);
        if (!is_first && (at->second.settled || at->second.cost <= total)) continue;
        at->second = {*move.to, total, false, key, hop};
        open.emplace(total, next_key);
      }
    }
    std::map<Owner, std::vector<model::BitRange>> bits;
    for (std::size_t i = 0; i < search.settled.size(); ++i) {
      const ValuePlace& place = search.settled[i]->second.place;
      bits[owner_of(place)].push_back(place.bits);
      search.of_owner[owner_of(place)].order.push_back(i);
    }
    for (auto& [owner, of_owner] : search.of_owner) {
      of_owner.places = model::BitIndex(bits[owner]);
    }
    return search;
  }

  // a word of a longer value, or all of a shorter one
  static bool arrived(const ValuePlace& place, const ValuePlace& to) {
    return inside(to, place) || inside(place, to);
  }

  [[nodiscard]] Duration scan_of(std::size_t controller) const {
    return plan_.exchange.controllers[controller].scan;
  }

  [[nodiscard]] Hop hop_of(const ValueMove& move) const {
    std::optional<std::size_t> into;
    if (move.to_controller) into = move.receiver;
    Hop hop{move.kind, move.index, {}, move.controller, into, {}, {}};
    if (move.kind == MoveKind::copy) {
      hop.bound = scan_of(move.controller);
      return hop;
    }
    const auto& carrier = carriers_[move.index];
    if (!carrier) return hop;
    hop.job = carrier->job;
    const Job& job = job_at(timing_, carrier->job);
    hop.least = least_transfer(job.times, move.kind == MoveKind::read);
    const Duration scan = into ? scan_of(*into) : Duration{};
    if (job.kind == TriggerKind::continuous) {
      if (carrier->interval) hop.bound = *carrier->interval + job.times.longest + scan;
    } else if (carrier->response && job.kind == TriggerKind::cyclic) {
      hop.bound = delay_of_cyclic(job.period, *carrier->response) + scan;
    } else if (carrier->response && job.kind == TriggerKind::on_change) {
      hop.bound = std::max(job.period, *carrier->response) + *carrier->response +
                  scan_of(move.controller) + scan;
    }
    return hop;
  }

  const ResolvedPlan& plan_;
  const TimingModel& timing_;
  const std::vector<std::optional<PathCarrier>>& carriers_;
  std::map<PlaceKey, Search> searches_;
};

void add_up(PathReport& report) {
  if (report.hops.empty()) return;
  Duration least{};
  Duration bound{};
  bool bounded = true;
  for (std::size_t i = 0; i < report.hops.size(); ++i) {
    const Hop& hop = report.hops[i];
    least += hop.least;
    bounded = bounded && hop.bound;
    if (!hop.bound) continue;
    bound += *hop.bound;
    if (!report.dominating || *hop.bound > *report.hops[*report.dominating].bound) {
      report.dominating = i;
    }
  }
  report.least = least;
  if (bounded) report.bound = bound;
}

}  // namespace

std::string_view to_string(PathVerdict verdict) {
  switch (verdict) {
    case PathVerdict::good: return "good";
    case PathVerdict::not_guaranteed: return "not guaranteed";
    case PathVerdict::too_old: return "too old";
    case PathVerdict::not_bounded: return "not bounded";
    case PathVerdict::no_way: return "no way";
  }
  return {};
}

PathVerdict judge_path(const PathReport& path) {
  if (path.hops.empty()) return PathVerdict::no_way;
  if (path.budget && path.simulated && *path.simulated > *path.budget) return PathVerdict::too_old;
  if (!path.bound) return PathVerdict::not_bounded;
  if (path.budget && *path.bound > *path.budget) return PathVerdict::not_guaranteed;
  return PathVerdict::good;
}

std::vector<WantedPath> declared_paths(const ResolvedPlan& resolved) {
  std::vector<WantedPath> wanted;
  for (const model::ResolvedPath& path : resolved.paths) {
    const model::Path& declared = resolved.plan.paths[path.declared];
    wanted.push_back({declared.name, path.from, path.to, {}});
    if (declared.budget) wanted.back().budget = declared.budget->value;
  }
  return wanted;
}

std::vector<PathReport> path_routes(const ResolvedPlan& resolved, const TimingModel& timing,
                                    const std::vector<std::optional<PathCarrier>>& carriers,
                                    const std::vector<WantedPath>& wanted) {
  std::vector<PathReport> reports;
  if (wanted.empty()) return reports;
  RouteFinder finder(resolved, timing, carriers);
  for (const WantedPath& path : wanted) {
    PathReport report;
    report.name = path.name;
    report.budget = path.budget;
    if (path.from && path.to) report.hops = finder.find(*path.from, *path.to);
    add_up(report);
    report.verdict = judge_path(report);
    reports.push_back(std::move(report));
  }
  return reports;
}

}  // namespace greymet::timing
