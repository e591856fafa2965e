#include "tables/map_tables.h"

namespace greymet::tables {

Table map_changes_table(const std::vector<MapChangeRow>& rows) {
  Table out{"map changes",
            "the maps say the same",
            {{"kind", "kind", Kind::text, "added, gone, renamed, moved or changed", 9},
             {"point", "point", Kind::text, "its name", 9},
             {"what", "what", Kind::text, "the column that differs", 8},
             {"old", "old", Kind::text, "as it was", 8},
             {"new", "new", Kind::text, "as it is now", 8},
             {"used_by", "used by", Kind::words, "rows of the plan that use it", 7}},
            {}};
  for (const MapChangeRow& row : rows) {
    const model::MapChange& c = row.change;
    out.add({text(to_string(c.kind)), text(c.point), text(c.what), text(c.old), text(c.now),
             Words(row.users)});
  }
  return out;
}

}  // namespace greymet::tables
