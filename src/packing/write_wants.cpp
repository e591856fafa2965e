#include "write_wants.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "model/usual_function.h"

namespace greymet::packing::internal {

using model::Area;
using model::Extent;
using model::Point;
using model::ResolvedPlan;

namespace {

using Functions = std::vector<std::int64_t>;

bool has(const Functions& functions, std::int64_t function) {
  return std::find(functions.begin(), functions.end(), function) != functions.end();
}

std::int64_t writing(Area area, bool single) {
  return model::number_of(*model::writing_function(area, single));
}

// Registers or bits that are written together or not at all.
struct Unit {
  Extent extent;
  Functions functions;  // any of which writes it
  std::vector<const Point*> points;
};

class WriteWant {
 public:
  WriteWant(const ResolvedPlan& resolved, std::size_t want, std::vector<PackProblem>& problems)
      : resolved_(resolved), want_(want), problems_(problems) {}

  void add_requests(std::vector<WriteRequest>& out) {
    const model::ResolvedWant& want = resolved_.wants[want_];
    if (!want.slave || !can_be_asked()) return;
    std::map<Area, std::vector<Unit>> units;
    const model::RegisterMap* map = resolved_.map_of({false, *want.slave, 0});
    for (const std::size_t p : want.points) {
      const Point& point = map->points()[p];
      if (auto unit = unit_of(point)) units[point.address.area].push_back(std::move(*unit));
    }
    for (auto& [area, list] : units) join(area, without_overlaps(std::move(list)), out);
  }

 private:
  [[nodiscard]] const model::Want& declared() const {
    return resolved_.plan.wants[resolved_.wants[want_].declared];
  }
  [[nodiscard]] const model::ExchangeSlave& slave() const {
    return resolved_.exchange.slaves[*resolved_.wants[want_].slave];
  }

  void problem(std::string message, std::string remedy) {
    problems_.push_back({declared().place,
                         {model::SubjectKind::want, std::to_string(declared().number)},
                         std::move(message),
                         std::move(remedy)});
  }

  bool can_be_asked() {
    const model::Want& want = declared();
    if (!resolved_.wants[want_].controller) {
      problem("nothing says which controller wants it", "add controller = \"<name>\"");
      return false;
    }
    const bool once = want.on && (want.on->value == "start" || want.on->value == "return");
    if (want.on && !once && !want.min_gap) {
      problem(fmt::format("nothing says how often `on = \"{}\"` may come", want.on->value),
              "add min_gap = \"1s\", the smallest spacing of the requests");
      return false;
    }
    return want.on || (want.every && want.every->value > Duration{});
  }

  // Nothing where it cannot be written by itself, which is said.
  std::optional<Unit> unit_of(const Point& point) {
    const Area area = point.address.area;
    if (point.access == model::Access::read) {
      problem(fmt::format("'{}' of slave {} cannot be written", point.name, slave().name),
              "leave it out of the want");
      return std::nullopt;
    }
    if (point.bit) {
      problem(fmt::format("'{}' is bit {} of hr:{}: a request would write the other 15 too",
                          point.name, *point.bit, point.address.offset.value),
              "want the whole register under a name of its own, or add a transaction with fc = 22, "
              "which leaves other bits as they are");
      return std::nullopt;
    }
    Unit unit{model::extent_of(point), {}, {&point}};
    const std::uint32_t length = unit.extent.end - unit.extent.first;
    Functions said = point.write_functions;
    if (said.empty()) said = {writing(area, true), writing(area, false)};
    for (const bool single : {true, false}) {
      const std::int64_t function = writing(area, single);
      if (single && length > 1) continue;
      if (has(said, function) && slave().accepts.implements(function)) {
        unit.functions.push_back(function);
      }
    }
    const std::int64_t most = slave().accepts.most(area, false);
    if (unit.functions.empty()) {
      problem(
          fmt::format("no function writes '{}': it takes {}, {} registers at once, and slave {} "
                      "implements {}",
                      point.name, fmt::join(said, " or "), length, slave().name,
                      slave().accepts.functions
                          ? fmt::format("{}", fmt::join(*slave().accepts.functions, ", "))
                          : "all"),
          "leave it out of the want, or correct `functions` of the slave or `write_fc` of the "
          "map");
      return std::nullopt;
    }
    if (length > most) {
      problem(fmt::format("'{}' takes {} registers, and one request carries {}", point.name, length,
                          most),
              "leave it out of the want: a value must not be cut");
      return std::nullopt;
    }
    return unit;
  }

  // By address; points that share registers are one.
  [[nodiscard]] std::vector<Unit> without_overlaps(std::vector<Unit> units) {
    std::sort(units.begin(), units.end(), [](const Unit& a, const Unit& b) {
      return std::pair(a.extent.first, a.extent.end) < std::pair(b.extent.first, b.extent.end);
    });
    std::vector<Unit> out;
    for (Unit& unit : units) {
      if (out.empty() || unit.extent.first >= out.back().extent.end) {
        out.push_back(std::move(unit));
        continue;
      }
      // two values for one register: which of them is to be written?
      problem(fmt::format("'{}' and '{}' share hr:{}: the last one written would count",
                          out.back().points.front()->name, unit.points.front()->name,
                          unit.extent.first),
              "leave one of them out of the want");
    }
    return out;
  }

  void join(Area area, const std::vector<Unit>& units, std::vector<WriteRequest>& out) const {
    const model::ResolvedWant& want = resolved_.wants[want_];
    const std::int64_t several = writing(area, false);
    const auto most = static_cast<std::uint32_t>(slave().accepts.most(area, false));
    for (std::size_t u = 0; u < units.size();) {
      WriteRequest request{want_, *want.controller, *want.slave, area, units[u].extent.first, 0, 0,
                           {}};
      std::uint32_t end = units[u].extent.end;
      std::size_t next = u + 1;
      if (has(units[u].functions, several)) {
        while (next < units.size() && units[next].extent.first == end &&
               has(units[next].functions, several) &&
               units[next].extent.end - request.first <= most) {
          end = units[next++].extent.end;
        }
      }
      request.quantity = end - request.first;
      const std::int64_t single = writing(area, true);
      request.function =
          request.quantity == 1 && has(units[u].functions, single) ? single : several;
      for (; u < next; ++u) {
        request.points.insert(request.points.end(), units[u].points.begin(), units[u].points.end());
      }
      out.push_back(std::move(request));
    }
  }

  const ResolvedPlan& resolved_;
  std::size_t want_;
  std::vector<PackProblem>& problems_;
};

}  // namespace

std::vector<WriteRequest> write_requests(const ResolvedPlan& resolved,
                                         std::vector<PackProblem>& problems) {
  std::vector<WriteRequest> out;
  for (std::size_t w = 0; w < resolved.wants.size(); ++w) {
    if (!resolved.plan.wants[resolved.wants[w].declared].writes()) continue;
    WriteWant(resolved, w, problems).add_requests(out);
  }
  return out;
}

}  // namespace greymet::packing::internal
