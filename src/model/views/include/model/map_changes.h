// What differs between two revisions of a register map, and who of a plan uses it.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "model/resolved_plan.h"

namespace greymet::model {

// `renamed`: the same registers and type under another name. `moved`: the same name at another
// address. `changed`: anything else of a row.
enum class MapChangeKind : std::uint8_t { added, gone, renamed, moved, changed };
[[nodiscard]] std::string_view to_string(MapChangeKind kind);

// One difference of one point.
struct MapChange {
  MapChangeKind kind = MapChangeKind::changed;
  std::string point;  // its name in the old map; of an added one in the new map
  std::string what;   // "address", "type", "factor"; empty for added and gone
  std::string old;    // as maps write it: "hr:12", "u16", "0.1"
  std::string now;
};

// In the order of the new map, those that are gone behind them. Names come first: a point is the
// same where its name is; of the others one is renamed where the registers, the bit and the type
// are the same and each of both maps has one such point alone.
[[nodiscard]] std::vector<MapChange> map_changes(const RegisterMap& old, const RegisterMap& now);

// Who uses a point of a slave: "transaction meter-in", "want 2", "tag kiln.power", "path x".
[[nodiscard]] std::vector<std::string> users_of(const ResolvedPlan& plan, SlaveIndex slave,
                                                const Point& point);

}  // namespace greymet::model
