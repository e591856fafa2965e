#include "files/map_update.h"

#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "files/csv_reader.h"
#include "files/csv_text.h"
#include "files/map_reader.h"

namespace greymet::files {

using model::MapChangeKind;
using model::Numbering;
using model::Point;
using model::RegisterMap;

namespace {

// A map as text and as what it means.
struct ReadMap {
  CsvTable table;
  RegisterMap map;

  [[nodiscard]] std::optional<std::size_t> column(std::string_view name) const {
    for (std::size_t c = 0; c < table.header.size(); ++c) {
      if (table.header[c].text == name) return c;
    }
    return std::nullopt;
  }
  [[nodiscard]] std::string cell(const std::vector<Cell>& row, std::string_view name) const {
    const auto c = column(name);
    return c && *c < row.size() ? row[*c].text : std::string();
  }
  [[nodiscard]] const std::vector<Cell>* row_of(const std::string& point) const {
    const auto c = column("point");
    for (const auto& row : table.rows) {
      if (c && *c < row.size() && row[*c].text == point) return &row;
    }
    return nullptr;
  }
};

tl::expected<ReadMap, std::string> read(const std::string& csv, Numbering numbering,
                                        std::string_view which) {
  model::Findings findings;
  auto table = read_csv(csv, 0);
  if (!table) return tl::unexpected(fmt::format("{}: {}", which, table.error().message));
  RegisterMap map = read_map(csv, std::string(which), 0, numbering, {}, findings);
  for (const model::Finding& f : findings) {
    if (f.severity == model::Severity::error) {
      return tl::unexpected(fmt::format("{}, line {}: {}", which, f.place.line, f.message));
    }
  }
  return ReadMap{std::move(*table), std::move(map)};
}

std::string address_text(const Point& point, Numbering numbering) {
  if (numbering == Numbering::reference) return model::reference6(point.address);
  return to_plan_text(point.address, model::Notation::plain, numbering);
}

class Updating {
 public:
  Updating(const ReadMap& old, const ReadMap& now, Numbering numbering)
      : old_(old), now_(now), numbering_(numbering) {
    for (const model::MapChange& change : model::map_changes(old.map, now.map)) {
      if (change.kind == MapChangeKind::renamed) old_name_[change.now] = change.point;
    }
  }

  std::string run() {
    std::vector<std::string> columns;
    for (const ReadMap* each : {&old_, &now_}) {
      for (const Cell& cell : each->table.header) {
        if (std::find(columns.begin(), columns.end(), cell.text) == columns.end()) {
          columns.push_back(cell.text);
        }
      }
    }
    CsvWriter out(CsvFor::storage);
    out.row(columns);
    for (const Point& point : now_.map.points()) {
      const std::vector<Cell>* row = now_.row_of(point.name);
      if (row == nullptr) continue;
      std::vector<std::string> cells;
      cells.reserve(columns.size());
      for (const std::string& column : columns) cells.push_back(cell(column, point, *row));
      out.row(cells);
    }
    return out.take();
  }

 private:
  [[nodiscard]] std::string cell(const std::string& column, const Point& point,
                                 const std::vector<Cell>& row) const {
    const auto renamed = old_name_.find(point.name);
    const std::string& name = renamed == old_name_.end() ? point.name : renamed->second;
    const std::vector<Cell>* own = old_.row_of(name);
    const Point* was = old_.map.find(name);
    if (column == "point") return name;
    if (column == "address") {
      // as it is written, where it is the same
      if (own != nullptr && was != nullptr && was->address == point.address &&
          was->bit == point.bit) {
        return old_.cell(*own, column);
      }
      return address_text(point, numbering_);
    }
    if (column == "bit") {
      return point.bit ? fmt::format("{}", *point.bit) : std::string();
    }
    std::string text = now_.cell(row, column);
    if (text.empty() && own != nullptr) text = old_.cell(*own, column);
    return text;
  }

  const ReadMap& old_;
  const ReadMap& now_;
  Numbering numbering_;
  std::map<std::string, std::string> old_name_;  // by the new one
};

}  // namespace

tl::expected<MapUpdate, std::string> updated_map(const std::string& old_csv, Numbering numbering,
                                                 const std::string& new_csv,
                                                 Numbering new_numbering) {
  const auto old = read(old_csv, numbering, "the map as it is");
  if (!old) return tl::unexpected(old.error());
  const auto now = read(new_csv, new_numbering, "the new table");
  if (!now) return tl::unexpected(now.error());
  MapUpdate update{Updating(*old, *now, numbering).run(), {}, {}, 0};
  for (model::MapChange& change : model::map_changes(old->map, now->map)) {
    if (change.kind == MapChangeKind::renamed) update.renamed.push_back(std::move(change));
  }
  const auto result = read(update.csv, numbering, "the updated map");
  if (!result) return tl::unexpected(result.error());
  update.changes = model::map_changes(old->map, result->map);
  std::set<std::string> changed;
  for (const model::MapChange& change : update.changes) changed.insert(change.point);
  update.same = static_cast<std::size_t>(
      std::count_if(result->map.points().begin(), result->map.points().end(),
                    [&](const Point& point) { return changed.count(point.name) == 0; }));
  return update;
}

}  // namespace greymet::files
