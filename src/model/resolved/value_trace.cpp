#include "model/value_trace.h"

#include <set>
#include <tuple>

#include "model/resolved_plan.h"

namespace greymet::model {

std::optional<WordOrder> order_behind(const ResolvedPlan& plan, const ValueMove& move,
                                      std::optional<WordOrder> order) {
  if (move.kind == MoveKind::copy) return order;
  const ResolvedTransaction& t = plan.transactions[move.index];
  const auto& swap = move.kind == MoveKind::read ? t.read_swap : t.write_swap;
  return swap ? swap : order;
}

std::vector<TracedPlace> trace_value(const ResolvedPlan& plan, const ValuePlace& from,
                                     std::optional<WordOrder> order) {
  std::vector<TracedPlace> all{{from, order, std::nullopt, {}}};
  using Key = std::tuple<bool, std::size_t, Area, std::size_t, std::uint64_t>;
  const auto key_of = [](const ValuePlace& p) {
    return Key{p.at_controller, p.owner, p.area, p.bits.store, p.bits.first};
  };
  std::set<Key> seen{key_of(from)};
  for (std::size_t i = 0; i < all.size() && all.size() < most_traced; ++i) {
    const ValuePlace here = all[i].place;
    for (const ValueMove& move : plan.flow.moves_of(here)) {
      if (!move.to || !seen.insert(key_of(*move.to)).second) continue;
      all.push_back({*move.to, order_behind(plan, move, all[i].order), i, move});
    }
  }
  return all;
}

}  // namespace greymet::model
