#include <algorithm>

#include <fmt/format.h>

#include "descriptions.h"
#include "editor/features.h"
#include "editor/roles.h"
#include "files/plan_keys.h"
#include "markdown.h"

namespace greymet::editor {

using internal::as_code;
using internal::as_words;
using internal::point_markdown;
using model::SubjectKind;

namespace {

std::optional<HoverText> hover_in_map(const PlanView& view, std::uint32_t file, std::size_t byte) {
  const auto cell = view.cell_at(file, byte);
  const files::CsvTable* const table = view.table(file);
  const model::RegisterMap* const map = view.map_in(file);
  if (!cell || cell->is_heading || table == nullptr || map == nullptr) return std::nullopt;
  const auto& row = table->rows[cell->row];
  const auto slaves = view.slaves_of_map(file);
  for (const model::Point& point : map->points()) {
    if (point.place.line != row.front().place.line) continue;
    std::string text = slaves.empty() ? internal::lonely_point_markdown(point) : std::string();
    constexpr std::size_t most_slaves = 4;
    for (std::size_t i = 0; i < std::min(slaves.size(), most_slaves); ++i) {
      if (i > 0) text += "\n---\n\n";
      text += point_markdown(view, slaves[i], point);
    }
    return HoverText{std::move(text), {file, cell->span}};
  }
  return std::nullopt;
}

// "read.at" of a table is `at` of `[exchange.transactions.read]`.
std::pair<std::string, std::string> key_of_heading(const std::string& heading) {
  const std::size_t dot = heading.rfind('.');
  const std::string path = "exchange.transactions";
  if (dot == std::string::npos) return {path, heading};
  return {path + "." + heading.substr(0, dot), heading.substr(dot + 1)};
}

std::optional<HoverText> hover_in_rows(const PlanView& view, std::uint32_t file, std::size_t byte,
                                       const KeyHelp& help) {
  const auto cell = view.cell_at(file, byte);
  if (!cell) return std::nullopt;
  const auto [path, key] = key_of_heading(cell->heading);
  std::string markdown;
  if (!cell->is_heading && role_of(path, key) == Role::point) {
    const auto asked = view.cell_of(file, cell->row, "slave");
    const auto function = view.cell_of(file, cell->row, "fc");
    if (const auto slave = asked ? view.slave_named(asked->text) : std::nullopt) {
      markdown =
          internal::address_markdown(view, cell->text, *slave, function ? function->text : "");
    }
  }
  if (markdown.empty()) {
    const std::string about = help(path, key);
    if (!about.empty()) markdown = fmt::format("{}: {}", as_code(cell->heading), as_words(about));
  }
  if (markdown.empty()) return std::nullopt;
  return HoverText{std::move(markdown), {file, cell->span}};
}

// "`[line.NAME]`", "a transaction"
std::string table_words(const std::string& path) {
  const std::string name = files::name_of_table(path);
  return name.starts_with('[') ? as_code(name) : name;
}

std::optional<HoverText> hover_in_plan(const PlanView& view, std::size_t byte,
                                       const KeyHelp& help) {
  const PlanText& text = view.plan_text();
  const KeyText* const key = text.key_at(byte);
  if (key == nullptr) return std::nullopt;
  const TableText& table = text.tables()[key->table];
  if (!key->is_element && byte <= key->key_span.end) {
    if (table.path == "controller.*.memory" && !table.names.empty()) {
      const auto owner = view.controller_named(table.names.front().name);
      std::string area = owner ? internal::area_markdown(view, *owner, key->key) : std::string();
      if (area.empty()) return std::nullopt;
      return HoverText{std::move(area), {0, key->key_span}};
    }
    const std::string about = help(table.path, key->key);
    if (about.empty()) return std::nullopt;
    return HoverText{
        fmt::format("{} of {}\n\n{}", as_code(key->key), table_words(table.path), as_words(about)),
        {0, key->key_span}};
  }
  const std::string_view word = text.word(key->value);
  std::string markdown;
  switch (role_of(table.path, key->key)) {
    case Role::point: {
      const auto slave = view.point_owner(table);
      if (!slave) break;
      const auto& map = view.plan().plan.slaves[*slave].map;
      const model::Point* const point = map ? view.plan().plan.maps[*map].find(word) : nullptr;
      markdown = point != nullptr ? point_markdown(view, *slave, *point)
                                  : internal::address_markdown(
                                        view, word, *slave, text.word_of(view.row_of(table), "fc"));
      break;
    }
    case Role::own_name: {
      if (table.path != "exchange.transactions") break;
      const auto own = view.transactions_in(0, table.whole);
      for (std::size_t i = 0; i < std::min<std::size_t>(own.size(), 3); ++i) {
        if (i > 0) markdown += "\n---\n\n";
        markdown += transaction_markdown(view, own[i]);
      }
      if (own.size() > 3) markdown += fmt::format("\nand {} more of this row\n", own.size() - 3);
      break;
    }
    case Role::rule:
      if (const auto code = model::rule_code_from(word)) markdown = rule_markdown(*code);
      break;
    default: break;
  }
  if (markdown.empty()) {
    const std::string about = help(table.path, key->key);
    if (!about.empty()) markdown = fmt::format("{}: {}", as_code(key->key), as_words(about));
  }
  if (markdown.empty()) return std::nullopt;
  return HoverText{std::move(markdown), {0, key->value}};
}

}  // namespace

std::optional<HoverText> hover_at(const PlanView& view, std::uint32_t file, std::size_t byte,
                                  const KeyHelp& help) {
  if (view.table_kind(file) == TableKind::map) return hover_in_map(view, file, byte);
  if (const auto place = memory_at(view, file, byte)) {
    FileSpan where{file, {byte, byte}};
    if (file == 0) {
      if (const KeyText* const key = view.plan_text().key_at(byte)) where.span = key->value;
    } else if (const auto cell = view.cell_at(file, byte)) {
      where.span = cell->span;
    }
    return HoverText{internal::memory_markdown(view, *place), where};
  }
  const bool on_key = [&] {
    if (file != 0 || !view.reading().is_plan) return false;
    const KeyText* const key = view.plan_text().key_at(byte);
    return key != nullptr && !key->is_element && byte <= key->key_span.end &&
           !has_names(view.plan_text().tables()[key->table].path);
  }();
  if (!on_key) {
    const auto all = occurrences_in(view);
    if (const Occurrence* const own = occurrence_at(all, file, byte)) {
      std::string text = internal::thing_markdown(view, own->thing);
      if (own->thing.kind == SubjectKind::transaction && file != 0) {
        const auto rows = view.transactions_in(file, own->where.span);
        if (!rows.empty()) text = transaction_markdown(view, rows.front());
      }
      if (!text.empty()) return HoverText{std::move(text), own->where};
    }
  }
  if (view.table_kind(file) == TableKind::transactions) {
    return hover_in_rows(view, file, byte, help);
  }
  if (file != 0 || !view.reading().is_plan) return std::nullopt;
  return hover_in_plan(view, byte, help);
}

}  // namespace greymet::editor
