#include "timing/paths.h"

#include <algorithm>
#include <map>

#include "timing/heartbeats.h"
#include "timing/transfers.h"

namespace greymet::timing {

using model::BitRange;
using model::DeviceBlock;
using model::PathEnd;
using model::ResolvedPlan;
using model::ResolvedTransaction;
using model::TriggerKind;

namespace {

// Where the value lies: at a controller or a slave.
using Spot = PathEnd;

auto key_of(const Spot& spot) {
  return std::tuple(spot.at_controller, spot.owner, spot.area, spot.bits.store, spot.bits.first,
                    spot.bits.end);
}

bool inside(const BitRange& part, const BitRange& whole) {
  return part.store == whole.store && whole.first <= part.first && part.end <= whole.end;
}

BitRange block_bits(const DeviceBlock& block) {
  const std::uint64_t width = is_bit_area(block.area) ? 1 : model::bits_per_word;
  return {0, block.offset * width, (std::uint64_t{block.offset} + block.quantity) * width};
}

// The same bits of `from`, counted from the begin of `to`.
BitRange moved(const BitRange& bits, const BitRange& from, const BitRange& to) {
  const std::uint64_t first = to.first + (bits.first - from.first);
  return {to.store, first, first + (bits.end - bits.first)};
}

// Longer than any way; a step without a bound still may be taken if nothing else leads there.
constexpr Duration unbounded_step = std::chrono::hours(1000);
constexpr std::size_t most_spots = 20'000;

class RouteFinder {
 public:
  RouteFinder(const ResolvedPlan& resolved, const TimingModel& timing,
              const std::vector<std::optional<PathCarrier>>& carriers)
      : plan_(resolved), timing_(timing), carriers_(carriers) {
    for (std::size_t i = 0; i < plan_.transactions.size(); ++i) {
      const ResolvedTransaction& t = plan_.transactions[i];
      if (!t.controller || !t.target) continue;
      if (t.write && t.from) writes_of_[*t.controller].push_back(i);
      if (!t.read || !t.into) continue;
      auto& readers = t.target->is_peer ? reads_of_peer_ : reads_of_slave_;
      readers[t.target->index].push_back(i);
    }
    for (std::size_t i = 0; i < plan_.copies.size(); ++i) {
      const model::ResolvedCopy& copy = plan_.copies[i];
      if (copy.controller && copy.from && copy.to) copies_of_[*copy.controller].push_back(i);
    }
  }

  // The way with the least bound, by the shortest-path search of Dijkstra.
  [[nodiscard]] std::vector<Hop> find(const Spot& from, const Spot& to) {
    struct Reached {
      Spot spot;
      Duration cost{};
      bool settled = false;
      std::optional<
          std::tuple<bool, std::size_t, model::Area, std::size_t, std::uint64_t, std::uint64_t>>
          before;
      Hop by;
    };
    std::map<decltype(key_of(from)), Reached> reached;
    std::multimap<Duration, decltype(key_of(from))> open;
    reached[key_of(from)] = {from, {}, false, std::nullopt, {}};
    open.emplace(Duration{}, key_of(from));
    while (!open.empty() && reached.size() < most_spots) {
      const auto key = open.begin()->second;
      open.erase(open.begin());
      Reached& here = reached[key];
      if (here.settled) continue;
      here.settled = true;
      // a path that ends where it begins must have been on its way
      if (here.before && arrived(here.spot, to)) {
        std::vector<Hop> hops;
        for (auto at = key; reached[at].before; at = *reached[at].before) {
          hops.push_back(reached[at].by);
        }
        std::reverse(hops.begin(), hops.end());
        return hops;
      }
      const Duration cost = here.cost;
      for (auto& [hop, next] : steps_from(here.spot)) {
        const Duration total = cost + hop.bound.value_or(unbounded_step) + Duration(1);
        const auto next_key = key_of(next);
        auto [at, is_new] = reached.try_emplace(next_key);
        if (!is_new && (at->second.settled || at->second.cost <= total)) continue;
        at->second = {next, total, false, key, hop};
        open.emplace(total, next_key);
      }
    }
    return {};
  }

 private:
  static bool arrived(const Spot& spot, const Spot& to) {
    if (spot.at_controller != to.at_controller || spot.owner != to.owner) return false;
    if (!spot.at_controller && spot.area != to.area) return false;
    // a word of a longer value, or all of a shorter one
    return inside(to.bits, spot.bits) || inside(spot.bits, to.bits);
  }

  using Step = std::pair<Hop, Spot>;

  [[nodiscard]] std::vector<Step> steps_from(const Spot& spot) {
    std::vector<Step> steps;
    if (!spot.at_controller) {
      for (std::size_t i : reads_of_slave_[spot.owner]) {
        const ResolvedTransaction& t = plan_.transactions[i];
        const BitRange block = block_bits(*t.read);
        if (t.read->area != spot.area || !inside(spot.bits, block)) continue;
        land(i, Hop::Kind::read, *t.controller, moved(spot.bits, block, t.into->bits), t.into->bits,
             steps);
      }
      return steps;
    }
    for (std::size_t i : copies_of_[spot.owner]) {
      const model::ResolvedCopy& copy = plan_.copies[i];
      if (!inside(spot.bits, copy.from->bits)) continue;
      Hop hop{Hop::Kind::copy, i, {}, spot.owner, spot.owner, {}, scan_of(spot.owner)};
      steps.emplace_back(
          hop, Spot{true, spot.owner, {}, moved(spot.bits, copy.from->bits, copy.to->bits)});
    }
    for (std::size_t i : writes_of_[spot.owner]) write_step(spot, i, steps);
    for (std::size_t i : reads_of_peer_[spot.owner]) {
      const ResolvedTransaction& t = plan_.transactions[i];
      const auto memory =
          plan_.layouts[spot.owner].serving(t.read->area, t.read->offset, t.read->quantity);
      if (!memory || !inside(spot.bits, memory->bits)) continue;
      land(i, Hop::Kind::read, *t.controller, moved(spot.bits, memory->bits, t.into->bits),
           t.into->bits, steps);
    }
    return steps;
  }

  void write_step(const Spot& spot, std::size_t index, std::vector<Step>& steps) {
    const ResolvedTransaction& t = plan_.transactions[index];
    if (!inside(spot.bits, t.from->bits)) return;
    if (!t.target->is_peer) {
      const BitRange to = moved(spot.bits, t.from->bits, block_bits(*t.write));
      if (!inside(to, block_bits(*t.write))) return;
      steps.emplace_back(hop_of(index, Hop::Kind::write, std::nullopt),
                         Spot{false, t.target->index, t.write->area, to});
      return;
    }
    const auto memory =
        plan_.layouts[t.target->index].serving(t.write->area, t.write->offset, t.write->quantity);
    if (!memory) return;
    land(index, Hop::Kind::write, t.target->index, moved(spot.bits, t.from->bits, memory->bits),
         memory->bits, steps);
  }

  // The value arrives in a controller's memory, within `whole`.
  void land(std::size_t index, Hop::Kind kind, std::size_t controller, const BitRange& bits,
            const BitRange& whole, std::vector<Step>& steps) {
    if (!inside(bits, whole)) return;
    steps.emplace_back(hop_of(index, kind, controller), Spot{true, controller, {}, bits});
  }

  [[nodiscard]] Duration scan_of(std::size_t controller) const {
    return plan_.exchange.controllers[controller].scan;
  }

  [[nodiscard]] Hop hop_of(std::size_t index, Hop::Kind kind,
                           std::optional<std::size_t> into) const {
    const ResolvedTransaction& t = plan_.transactions[index];
    Hop hop{kind, index, {}, *t.controller, into, {}, {}};
    const auto& carrier = carriers_[index];
    if (!carrier) return hop;
    hop.job = carrier->job;
    const Job& job = job_at(timing_, carrier->job);
    hop.least = least_transfer(job.times, kind == Hop::Kind::read);
    const Duration scan = into ? scan_of(*into) : Duration{};
    if (job.kind == TriggerKind::continuous) {
      if (carrier->interval) hop.bound = *carrier->interval + job.times.longest + scan;
    } else if (carrier->response && job.kind == TriggerKind::cyclic) {
      hop.bound = delay_of_cyclic(job.period, *carrier->response) + scan;
    } else if (carrier->response && job.kind == TriggerKind::on_change) {
      hop.bound = std::max(job.period, *carrier->response) + *carrier->response +
                  scan_of(*t.controller) + scan;
    }
    return hop;
  }

  const ResolvedPlan& plan_;
  const TimingModel& timing_;
  const std::vector<std::optional<PathCarrier>>& carriers_;
  std::map<std::size_t, std::vector<std::size_t>> reads_of_slave_;  // transactions
  std::map<std::size_t, std::vector<std::size_t>> reads_of_peer_;
  std::map<std::size_t, std::vector<std::size_t>> writes_of_;  // per controller
  std::map<std::size_t, std::vector<std::size_t>> copies_of_;
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

std::vector<PathReport> path_routes(const ResolvedPlan& resolved, const TimingModel& timing,
                                    const std::vector<std::optional<PathCarrier>>& carriers) {
  std::vector<PathReport> reports;
  if (resolved.paths.empty()) return reports;
  RouteFinder finder(resolved, timing, carriers);
  for (const model::ResolvedPath& path : resolved.paths) {
    const model::Path& declared = resolved.plan.paths[path.declared];
    PathReport report;
    report.name = declared.name;
    if (declared.budget) report.budget = declared.budget->value;
    if (path.from && path.to) report.hops = finder.find(*path.from, *path.to);
    add_up(report);
    reports.push_back(std::move(report));
  }
  return reports;
}

}  // namespace greymet::timing
