#include "editor/plan_view.h"

#include <algorithm>
#include <filesystem>

namespace greymet::editor {

PlanView::PlanView(std::shared_ptr<const Reading> reading) : reading_(std::move(reading)) {
  const auto& sources = reading_->loaded().sources;
  lines_.resize(sources.size());
  for (std::size_t i = 0; i < sources.size(); ++i) {
    files_.try_emplace(std::filesystem::path(sources[i].name).lexically_normal().string(),
                       static_cast<std::uint32_t>(i));
  }
}

const std::string& PlanView::path_of(std::uint32_t file) const {
  return reading_->loaded().sources[file].name;
}

std::optional<std::uint32_t> PlanView::file_of(const std::string& path) const {
  const auto at = files_.find(std::filesystem::path(path).lexically_normal().string());
  return at == files_.end() ? std::nullopt : std::optional(at->second);
}

const files::SourceText& PlanView::lines(std::uint32_t file) const {
  auto& own = lines_[file];
  if (!own) own = std::make_unique<files::SourceText>(reading_->loaded().sources[file].text);
  return *own;
}

const PlanText& PlanView::plan_text() const {
  if (!plan_text_) {
    plan_text_ = std::make_unique<PlanText>(
        reading_->is_plan ? std::string_view(reading_->loaded().sources.front().text)
                          : std::string_view());
  }
  return *plan_text_;
}

TableKind PlanView::table_kind(std::uint32_t file) const {
  const files::SourceFile& source = reading_->loaded().sources[file];
  if (!source.is_table || source.is_workbook) return TableKind::none;
  if (map_in(file) != nullptr) return TableKind::map;
  if (!controllers_of_tags(file).empty()) return TableKind::tags;
  return reading_->is_plan ? TableKind::transactions : TableKind::none;
}

const files::CsvTable* PlanView::table(std::uint32_t file) const {
  const auto [at, is_new] = tables_.try_emplace(file);
  if (is_new && reading_->loaded().sources[file].is_table) {
    auto table = files::read_csv(reading_->loaded().sources[file].text, file);
    if (table) at->second = std::move(*table);
  }
  return at->second ? &*at->second : nullptr;
}

files::Span PlanView::span(const model::Range& range) const {
  return span_of(lines(range.file), range);
}

files::Span PlanView::span_of_cell(std::uint32_t file, const files::Cell& cell) const {
  files::Span own = span_of(lines(file), cell.place);
  const std::string_view text = lines(file).text();
  // a cell in quotes is its text
  if (own.end - own.begin >= 2 && text[own.begin] == '"' && text[own.end - 1] == '"') {
    ++own.begin;
    --own.end;
  }
  return own;
}

std::optional<CellText> PlanView::cell_at(std::uint32_t file, std::size_t byte) const {
  const files::CsvTable* const own = table(file);
  if (own == nullptr) return std::nullopt;
  const auto look = [&](const std::vector<files::Cell>& cells, std::size_t row,
                        bool is_heading) -> std::optional<CellText> {
    for (std::size_t i = 0; i < cells.size() && i < own->header.size(); ++i) {
      const files::Span place = span_of_cell(file, cells[i]);
      if (place.begin <= byte && byte <= place.end) {
        return CellText{row, i, own->header[i].text, cells[i].text, place, is_heading};
      }
    }
    return std::nullopt;
  };
  if (auto heading = look(own->header, 0, true)) return heading;
  const std::uint32_t line = lines(file).range(byte, byte, file).line;
  // rows are in the order of their lines
  const auto after = std::upper_bound(own->rows.begin(), own->rows.end(), line,
                                      [](std::uint32_t at, const auto& row) {
                                        return !row.empty() && at < row.front().place.line;
                                      });
  if (after == own->rows.begin()) return std::nullopt;
  const auto row = static_cast<std::size_t>(after - own->rows.begin()) - 1;
  return look(own->rows[row], row, false);
}

std::optional<CellText> PlanView::cell_of(std::uint32_t file, std::size_t row,
                                          std::string_view heading) const {
  const files::CsvTable* const own = table(file);
  if (own == nullptr || row >= own->rows.size()) return std::nullopt;
  for (std::size_t i = 0; i < std::min(own->header.size(), own->rows[row].size()); ++i) {
    if (own->header[i].text != heading) continue;
    const files::Cell& cell = own->rows[row][i];
    return CellText{row, i, own->header[i].text, cell.text, span_of_cell(file, cell), false};
  }
  return std::nullopt;
}

std::vector<std::size_t> PlanView::transactions_in(std::uint32_t file,
                                                   const files::Span& span) const {
  std::vector<std::size_t> out;
  const model::Range range = lines(file).range(span.begin, span.end, file);
  for (std::size_t i = 0; i < plan().transactions.size(); ++i) {
    const model::Range& place = plan().declared(plan().transactions[i]).place;
    if (place.file != file) continue;
    const auto at = std::pair(place.line, place.column);
    if (at >= std::pair(range.line, range.column) &&
        at <= std::pair(range.end_line, range.end_column)) {
      out.push_back(i);
    }
  }
  return out;
}

namespace {

template <class List>
std::optional<std::size_t> named(const List& list, std::string_view name) {
  for (std::size_t i = 0; i < list.size(); ++i) {
    if (list[i].name == name) return i;
  }
  return std::nullopt;
}

}  // namespace

std::optional<std::size_t> PlanView::slave_named(std::string_view name) const {
  if (const auto own = named(plan().plan.slaves, name)) return own;
  for (const model::AlikeSlaves& group : plan().plan.alike) {
    if (group.name == name && !group.members.empty()) {
      return named(plan().plan.slaves, group.members.front().name);
    }
  }
  return std::nullopt;
}

std::optional<std::size_t> PlanView::controller_named(std::string_view name) const {
  return named(plan().plan.controllers, name);
}

std::vector<std::size_t> PlanView::slaves_of_map(std::uint32_t file) const {
  std::vector<std::size_t> out;
  const std::string& path = path_of(file);
  const std::string folder = path_of(0).substr(0, path_of(0).rfind('/') + 1);
  for (std::size_t i = 0; i < plan().plan.slaves.size(); ++i) {
    const auto& map = plan().plan.slaves[i].map_file;
    if (map && (map->value == path || folder + map->value == path)) out.push_back(i);
  }
  return out;
}

const model::RegisterMap* PlanView::map_in(std::uint32_t file) const {
  if (!reading_->is_plan) return plan().plan.maps.empty() ? nullptr : &plan().plan.maps.front();
  const auto slaves = slaves_of_map(file);
  if (slaves.empty() || !plan().plan.slaves[slaves.front()].map) return nullptr;
  return &plan().plan.maps[*plan().plan.slaves[slaves.front()].map];
}

std::vector<std::size_t> PlanView::controllers_of_tags(std::uint32_t file) const {
  std::vector<std::size_t> out;
  const std::string folder = path_of(0).substr(0, path_of(0).rfind('/') + 1);
  for (std::size_t i = 0; i < plan().plan.controllers.size(); ++i) {
    const auto& tags = plan().plan.controllers[i].tags_files;
    if (!tags) continue;
    const bool own = std::any_of(tags->value.begin(), tags->value.end(), [&](const auto& name) {
      return name.value == path_of(file) || folder + name.value == path_of(file);
    });
    if (own) out.push_back(i);
  }
  return out;
}

const TableText& PlanView::row_of(const TableText& table) const {
  const std::size_t dot = table.path.rfind('.');
  const bool part = table.path.starts_with("exchange.transactions.");
  if (!part || dot == std::string::npos) return table;
  const TableText* around = &table;  // the last one that begins in front of it
  for (const TableText& each : plan_text().tables()) {
    if (each.path == table.path.substr(0, dot) && each.whole.begin <= table.whole.begin &&
        table.whole.end <= each.whole.end) {
      around = &each;
    }
  }
  return *around;
}

std::optional<std::size_t> PlanView::point_owner(const TableText& table) const {
  return slave_named(plan_text().word_of(row_of(table), "slave"));
}

std::optional<std::size_t> PlanView::memory_owner(const TableText& table,
                                                  std::string_view key) const {
  const PlanText& text = plan_text();
  if (table.path.starts_with("controller.*")) {
    return table.names.empty() ? std::nullopt : controller_named(table.names.front().name);
  }
  if (table.path == "supervision.heartbeats") {
    return controller_named(text.word_of(table, key == "seen" ? "to" : "from"));
  }
  const TableText& row = row_of(table);
  if (const auto own = controller_named(text.word_of(row, "controller"))) return own;
  // the master of the line that the slave hangs on, as the plan was resolved
  for (const std::size_t t : transactions_in(0, row.whole)) {
    if (plan().transactions[t].controller) return plan().transactions[t].controller->value;
  }
  if (const auto slave = slave_named(text.word_of(row, "slave"))) {
    const auto& line = plan().slave_line[model::SlaveIndex(*slave)];
    if (line && plan().line_master[*line]) return plan().line_master[*line]->value;
  }
  if (plan().plan.controllers.size() == 1) return 0;
  return std::nullopt;
}

}  // namespace greymet::editor
