#include <algorithm>

#include <fmt/format.h>

#include "editor/features.h"
#include "model/register_map.h"

namespace greymet::editor {

using files::Span;

namespace {

OutlineKind kind_of(std::string_view path) {
  if (path == "controller.*") return OutlineKind::controller;
  if (path == "line.*") return OutlineKind::line;
  if (path == "gateway.*") return OutlineKind::gateway;
  if (path == "slave.*") return OutlineKind::slave;
  return OutlineKind::section;
}

bool is_list_of_rows(std::string_view path) {
  return path.starts_with("exchange.") || path.starts_with("supervision.") ||
         path.starts_with("review.");
}

// "burner, fc 3, every 1s": what tells rows apart.
std::string detail_of_row(const PlanText& text, const TableText& row) {
  std::string detail;
  for (const std::string_view key : {"slave", "fc", "rule", "at", "every", "on"}) {
    const std::string_view word = text.word_of(row, key);
    if (word.empty()) continue;
    if (!detail.empty()) detail += ", ";
    if (key == "fc" || key == "every") detail += fmt::format("{} ", key);
    detail += word.substr(0, 40);
  }
  return detail;
}

std::vector<OutlineItem> outline_of_plan(const PlanText& text) {
  std::vector<OutlineItem> out;
  // the section of rows that stand in a list of their own
  for (const TableText& table : text.tables()) {
    if (table.whole.empty()) continue;
    const bool row =
        is_list_of_rows(table.path) && std::count(table.path.begin(), table.path.end(), '.') == 1;
    if (row) {
      const std::string_view name = text.word_of(table, "name");
      const KeyText* const named = text.find(table, "name");
      OutlineItem item{name.empty() ? std::string(table.path.substr(table.path.find('.') + 1))
                                    : std::string(name),
                       detail_of_row(text, table),
                       OutlineKind::row,
                       table.whole,
                       named != nullptr ? named->value : table.head,
                       {}};
      // below its header; rows of headers of their own stand by themselves
      if (!out.empty() && out.back().whole.begin <= table.whole.begin &&
          table.whole.end <= out.back().whole.end && !table.is_header) {
        out.back().parts.push_back(std::move(item));
      } else {
        out.push_back(std::move(item));
      }
      continue;
    }
    if (!table.is_header || table.path.empty()) continue;
    const Span head = table.head;
    std::string name = table.names.empty() ? table.path : table.names.front().name;
    if (table.path == "controller.*.memory") name += " memory";
    out.push_back({std::move(name),
                   table.names.empty() ? "" : table.path.substr(0, table.path.find('.')),
                   kind_of(table.path),
                   table.whole,
                   head,
                   {}});
  }
  return out;
}

std::vector<OutlineItem> outline_of_table(const PlanView& view, std::uint32_t file) {
  std::vector<OutlineItem> out;
  const files::CsvTable* const table = view.table(file);
  if (table == nullptr) return out;
  const auto column = [&](std::string_view name) {
    for (std::size_t i = 0; i < table->header.size(); ++i) {
      if (table->header[i].text == name) return i;
    }
    return table->header.size();
  };
  const TableKind kind = view.table_kind(file);
  const std::size_t name = column(kind == TableKind::map    ? "point"
                                  : kind == TableKind::tags ? "tag"
                                                            : "name");
  const std::size_t address = column(kind == TableKind::transactions ? "slave" : "address");
  for (const auto& row : table->rows) {
    if (name >= row.size() || row[name].text.empty()) continue;
    out.push_back(
        {row[name].text,
         address < row.size() ? row[address].text : std::string(),
         OutlineKind::point,
         {view.span_of_cell(file, row.front()).begin, view.span_of_cell(file, row.back()).end},
         view.span_of_cell(file, row[name]),
         {}});
  }
  return out;
}

}  // namespace

std::vector<OutlineItem> outline_of(const PlanView& view, std::uint32_t file) {
  if (view.table_kind(file) != TableKind::none) return outline_of_table(view, file);
  return file == 0 && view.reading().is_plan ? outline_of_plan(view.plan_text())
                                             : std::vector<OutlineItem>{};
}

}  // namespace greymet::editor
