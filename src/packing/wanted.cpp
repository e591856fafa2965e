#include "wanted.h"

#include <algorithm>
#include <iterator>
#include <set>
#include <tuple>

#include <fmt/format.h>

#include "model/resolved_plan.h"
#include "model/usual_function.h"

namespace greymet::packing::internal {

using model::Area;
using model::Extent;
using model::Point;
using model::RegisterMap;
using model::ResolvedPlan;
using model::Slave;
using model::value_or;

namespace {

struct Wish {
  const Point* point = nullptr;
  Duration every{};
  std::size_t want = 0;
};

PackProblem problem_of(const ResolvedPlan& resolved, std::size_t want, std::string message,
                       std::string remedy) {
  const model::Want& declared = resolved.plan.wants[want];
  return {declared.place,
          {model::SubjectKind::want, std::to_string(declared.number)},
          std::move(message),
          std::move(remedy)};
}

// A request may read over this gap without an error or a warning.
bool may_read_through(const RegisterMap& map, const model::ExchangeSlave& slave, Area area,
                      Extent gap) {
  if (gap.first >= gap.end) return true;
  for (const Point* point : map.points_touching(area, gap)) {
    if (point->access == model::Access::write) return false;
  }
  // of what a map does not list nobody knows whether the slave answers
  if (slave.holes == model::Holes::zero) return true;
  return map.holes_in(area, gap).empty();
}

// Wishes that overlap, or that overlap the same listed value, stay together.
std::vector<WantedUnit> units_of(const RegisterMap& map, const model::ExchangeSlave& slave,
                                 Area area, std::vector<Wish> wishes) {
  std::sort(wishes.begin(), wishes.end(), [](const Wish& a, const Wish& b) {
    const Extent x = extent_of(*a.point);
    const Extent y = extent_of(*b.point);
    return std::tie(x.first, x.end, a.want) < std::tie(y.first, y.end, b.want);
  });
  std::vector<WantedUnit> units;
  std::set<const Point*> listed;  // in the last unit
  for (const Wish& wish : wishes) {
    Extent extent = extent_of(*wish.point);
    // a unit has grown around all values that touch it: what begins within it lies within it
    if (!units.empty() && extent.first < units.back().unit.end) {
      WantedUnit& last = units.back();
      last.unit.every = std::min(last.unit.every, wish.every);
      last.want = std::min(last.want, wish.want);
      if (listed.insert(wish.point).second) last.points.push_back(wish.point);
      continue;
    }
    // a listed value of several registers must not be cut at the edge of a request
    for (Extent look = extent; look.first < look.end;) {
      Extent grown = extent;
      for (const Point* p : map.points_touching(area, look)) {
        if (!is_multi_register(p->type)) continue;
        const Extent whole = extent_of(*p);
        grown = {std::min(grown.first, whole.first), std::max(grown.end, whole.end)};
      }
      // next only what is new, on the right as a rule
      look = grown.first < extent.first ? grown : Extent{extent.end, grown.end};
      extent = grown;
    }
    listed = {wish.point};
    units.push_back({{extent.first, extent.end, wish.every, false}, {wish.point}, wish.want});
  }
  for (std::size_t i = 1; i < units.size(); ++i) {
    units[i].unit.joins_before =
        may_read_through(map, slave, area, {units[i - 1].unit.end, units[i].unit.first});
  }
  return units;
}

// Controller, slave, area; what is done at a loss, and where the values go, as it is written.
using Key = std::tuple<std::size_t, std::size_t, Area, int, std::string>;

// Slave by slave, of each the first want first.
std::vector<std::pair<Key, std::vector<Wish>>> in_order(std::map<Key, std::vector<Wish>> wishes) {
  std::vector<std::pair<Key, std::vector<Wish>>> out(std::make_move_iterator(wishes.begin()),
                                                     std::make_move_iterator(wishes.end()));
  std::stable_sort(out.begin(), out.end(), [](const auto& a, const auto& b) {
    const auto rank = [](const auto& entry) {
      const auto& [controller, slave, area, loss, into] = entry.first;
      return std::tuple(controller, slave, area, entry.second.front().want);
    };
    return rank(a) < rank(b);
  });
  return out;
}

}  // namespace

std::vector<MergedArea> merged_areas(const ResolvedPlan& resolved,
                                     const std::vector<WantedArea>& areas) {
  std::map<std::tuple<std::size_t, std::size_t, Area>, std::vector<std::size_t>> alike;
  for (std::size_t a = 0; a < areas.size(); ++a) {
    alike[{areas[a].controller, areas[a].slave, areas[a].area}].push_back(a);
  }
  std::vector<MergedArea> out;
  for (const auto& [key, parts] : alike) {
    if (parts.size() < 2) continue;
    MergedArea merged{areas[parts.front()], parts};
    std::vector<Wish> wishes;
    merged.area.wants.clear();
    for (const std::size_t part : parts) {
      for (const WantedUnit& unit : areas[part].units) {
        for (const Point* point : unit.points)
          wishes.push_back({point, unit.unit.every, unit.want});
      }
      merged.area.wants.insert(merged.area.wants.end(), areas[part].wants.begin(),
                               areas[part].wants.end());
    }
    std::sort(merged.area.wants.begin(), merged.area.wants.end());
    const std::size_t slave = areas[parts.front()].slave;
    merged.area.units =
        units_of(*resolved.map_of({false, slave, 0}), resolved.exchange.slaves[slave],
                 merged.area.area, std::move(wishes));
    std::erase_if(merged.area.units, [&](const WantedUnit& unit) {
      return unit.unit.end - unit.unit.first > merged.area.most;
    });
    out.push_back(std::move(merged));
  }
  return out;
}

std::vector<WantedArea> wanted_areas(const ResolvedPlan& resolved,
                                     std::vector<PackProblem>& problems) {
  std::map<Key, std::vector<Wish>> wishes;
  for (std::size_t w = 0; w < resolved.wants.size(); ++w) {
    const model::ResolvedWant& want = resolved.wants[w];
    const model::Want& declared = resolved.plan.wants[want.declared];
    if (declared.writes()) continue;  // write_wants.h
    if (!want.slave || !declared.every || declared.every->value <= Duration{}) continue;
    const Slave& slave = resolved.plan.slaves[*want.slave];
    if (!want.controller) {
      problems.push_back(problem_of(resolved, w, "nothing says which controller wants it",
                                    "add controller = \"<name>\""));
      continue;
    }
    if (!declared.into) {
      problems.push_back(problem_of(resolved, w, "nothing says where its values go",
                                    "add into = \"%MW100\", or into = \"%MW\" for the next free "
                                    "words; a want that writes has `from`"));
      continue;
    }
    const RegisterMap* map = resolved.map_of({false, *want.slave, 0});
    for (std::size_t p : want.points) {
      const Point& point = map->points()[p];
      const Area area = point.address.area;
      if (point.access == model::Access::write) {
        problems.push_back(problem_of(
            resolved, w, fmt::format("'{}' of slave {} cannot be read", point.name, slave.name),
            "leave it out of the want"));
        continue;
      }
      const std::int64_t function = model::number_of(model::reading_function(area));
      if (!resolved.exchange.slaves[*want.slave].accepts.implements(function)) {
        problems.push_back(
            problem_of(resolved, w,
                       fmt::format("'{}' needs function {}, which slave {} does not implement",
                                   point.name, function, slave.name),
                       "leave it out of the want, or correct `functions` of the slave"));
        continue;
      }
      const Key key{*want.controller, *want.slave, area,
                    declared.on_loss ? static_cast<int>(declared.on_loss->value) : -1,
                    declared.into->value};
      wishes[key].push_back({&point, declared.every->value, w});
    }
  }
  std::vector<WantedArea> areas;
  for (auto& [key, list] : in_order(std::move(wishes))) {
    const auto& [controller, index, area, loss, into] = key;
    const model::ExchangeSlave& slave = resolved.exchange.slaves[index];
    WantedArea wanted{
        controller, index, area, {}, static_cast<std::uint32_t>(slave.accepts.most(area, true)),
        {}};
    for (const Wish& wish : list) wanted.wants.push_back(wish.want);
    std::sort(wanted.wants.begin(), wanted.wants.end());
    wanted.wants.erase(std::unique(wanted.wants.begin(), wanted.wants.end()), wanted.wants.end());
    wanted.units = units_of(*resolved.map_of({false, index, 0}), slave, area, std::move(list));
    for (const WantedUnit& unit : wanted.units) {
      if (unit.unit.end - unit.unit.first <= wanted.most) continue;
      problems.push_back(problem_of(
          resolved, unit.want,
          fmt::format("'{}' takes {} registers with what overlaps it, and one request carries {}",
                      unit.points.front()->name, unit.unit.end - unit.unit.first, wanted.most),
          "leave it out of the want: a value must not be cut"));
    }
    std::erase_if(wanted.units, [&](const WantedUnit& unit) {
      return unit.unit.end - unit.unit.first > wanted.most;
    });
    if (!wanted.units.empty()) areas.push_back(std::move(wanted));
  }
  return areas;
}

}  // namespace greymet::packing::internal
