#include "map_change_lines.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/map_changes.h"

namespace greymet::cli {

std::vector<tables::MapChangeRow> with_users(const std::vector<model::MapChange>& changes,
                                             const model::ResolvedPlan& plan, std::size_t map) {
  std::vector<tables::MapChangeRow> rows;
  rows.reserve(changes.size());
  const auto& slaves = plan.plan.slaves;
  for (const model::MapChange& change : changes) {
    tables::MapChangeRow row{change, {}};
    for (std::size_t s = 0; s < slaves.size(); ++s) {
      const model::Point* point =
          slaves[s].map == map ? plan.plan.maps[map].find(change.point) : nullptr;
      if (point == nullptr) continue;
      for (std::string& user : model::users_of(plan, model::SlaveIndex(s), *point)) {
        if (std::find(row.users.begin(), row.users.end(), user) == row.users.end()) {
          row.users.push_back(std::move(user));
        }
      }
    }
    rows.push_back(std::move(row));
  }
  return rows;
}

std::string map_change_lines(const std::vector<tables::MapChangeRow>& rows,
                             const Terminal& terminal) {
  std::string text;
  for (const tables::MapChangeRow& row : rows) {
    const model::MapChange& c = row.change;
    std::string line = fmt::format("{:<8} {}", to_string(c.kind), c.point);
    if (c.kind == model::MapChangeKind::added) line += fmt::format(": {}", c.now);
    if (c.kind == model::MapChangeKind::gone) line += fmt::format(": {}", c.old);
    if (!c.what.empty()) line += fmt::format(": {} {} -> {}", c.what, c.old, c.now);
    if (!row.users.empty()) {
      constexpr std::size_t most = 6;
      const std::vector<std::string> first(
          row.users.begin(),
          row.users.begin() + static_cast<std::ptrdiff_t>(std::min(most, row.users.size())));
      line +=
          fmt::format(" ({}{})", fmt::join(first, ", "),
                      row.users.size() > most ? fmt::format(" and {} more", row.users.size() - most)
                                              : std::string());
    }
    text += folded(shown(line), 0, 9, std::max<std::size_t>(terminal.width, 80)) + "\n";
  }
  return text;
}

}  // namespace greymet::cli
