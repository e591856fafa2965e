// Family F, functions that a map states for a point (F18).
#include <algorithm>

#include "checks/rules.h"
#include "common/rule_text.h"
#include "model/resolved_plan.h"

namespace greymet::checks {

void check_write_functions(const RuleInput& in, Findings& out) {
  for (const model::ResolvedTransaction& t : in.plan.transactions) {
    if (!t.write || !t.function || !t.target) continue;
    const model::RegisterMap* map = in.plan.map_of(*t.target);
    if (map == nullptr) continue;
    const std::int64_t function = model::number_of(*t.function);
    const Extent block = t.write->extent();
    for (const model::Point* point : map->points_touching(t.write->area, block)) {
      const auto& takes = point->write_functions;
      if (takes.empty() || std::find(takes.begin(), takes.end(), function) != takes.end()) continue;
      const model::Transaction& declared = in.plan.declared(t);
      const std::int64_t single = is_bit_area(t.write->area) ? 5 : 6;
      const bool is_alone =
          extent_of(*point).first == block.first && extent_of(*point).end == block.end;
      const auto fits = std::find_if(takes.begin(), takes.end(), [&](std::int64_t f) {
        return f == single ? block.end - block.first == 1 : f == 15 || f == 16;
      });
      report(out, RuleCode::F18, Severity::error, place_or(declared.function, declared.place),
             subject_of(declared),
             fmt::format("'{}' is written with function {}, by its map; this is function {}",
                         point->name, fmt::join(takes, " or "), function),
             is_alone && fits != takes.end()
                 ? ""
                 : fmt::format("write '{}' with a request of its own", point->name),
             {{point->place, "its row in the map"}});
      if (is_alone && fits != takes.end()) {
        add_fix(
            out.back(),
            {fmt::format("write fc = {}", *fits),
             {{declared.place, {}, model::EditKind::set_keys, {{"fc", fmt::format("{}", *fits)}}}},
             true});
      }
      break;  // of one request the first says it
    }
  }
}

}  // namespace greymet::checks
