#include <algorithm>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "html.h"
#include "model/duration_text.h"
#include "model/utf8_text.h"

namespace greymet::exports {

using tables::Column;
using tables::Table;

namespace {

constexpr std::size_t widest_page =
    150;  // characters of the table's font that fit beside each other
constexpr std::size_t widest_line = 30;  // of a cell that is not broken

std::string_view class_of(tables::Mood mood) {
  switch (mood) {
    case tables::Mood::plain: return {};
    case tables::Mood::soft: return "soft";
    case tables::Mood::good: return "good";
    case tables::Mood::warn: return "warn";
    case tables::Mood::bad: return "bad";
  }
  return {};
}

std::string cell_html(const tables::Cell& cell) {
  struct Text {
    std::string operator()(std::monostate /*nothing*/) const { return "–"; }
    std::string operator()(bool value) const { return value ? "yes" : "no"; }
    std::string operator()(std::int64_t value) const { return std::to_string(value); }
    std::string operator()(double value) const { return model::shortest_digits(value); }
    std::string operator()(model::Duration value) const { return model::ms_digits(value); }
    std::string operator()(const std::string& value) const {
      return value.empty() ? "–" : html(value);
    }
    std::string operator()(const tables::Words& value) const {
      return value.empty() ? "–" : html(fmt::format("{}", fmt::join(value, ", ")));
    }
    std::string operator()(const tables::State& value) const {
      return mark_html(class_of(value.mood), value.word);
    }
  };
  return std::visit(Text{}, cell);
}

std::size_t length_of(const tables::Cell& cell) {
  if (const auto* state = std::get_if<tables::State>(&cell)) return model::code_points(state->word);
  return model::code_points(cell_html(cell));
}

// "12", "12 ms", "burner, fan"
std::string with_unit(const Column& column, const tables::Cell& cell) {
  const std::string_view unit = column.kind == tables::Kind::duration ? "ms" : column.unit;
  return cell_html(cell) + (unit.empty() ? "" : fmt::format(" {}", html(unit)));
}

std::string group_heading(const Table& table, const tables::Row& row) {
  std::string text;
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    if (!table.columns[c].outer || row.cells[c].index() == 0) continue;
    text += text.empty()
                ? cell_html(row.cells[c])
                : fmt::format("<span class=\"soft\">, {} {}</span>", html(table.columns[c].heading),
                              with_unit(table.columns[c], row.cells[c]));
  }
  return fmt::format("<h3>{}</h3>\n", text);
}

// How a table stands on a page: columns beside each other, and those that stand below their row.
struct Plan {
  std::vector<std::size_t> columns;
  std::vector<std::size_t> below;
  std::vector<bool> one_line;  // per column of the table: its cells are not broken
  bool grouped = false;
};

Plan plan_of(const Table& table) {
  Plan out;
  out.one_line.resize(table.columns.size());
  std::vector<std::size_t> widths(table.columns.size());
  const std::vector<bool> used = tables::columns_with_values(table);
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    out.grouped = out.grouped || table.columns[c].outer;
    if (!used[c] || table.columns[c].outer) continue;
    std::size_t longest = 0;
    for (const tables::Row& row : table.rows) longest = std::max(longest, length_of(row.cells[c]));
    out.one_line[c] = longest <= widest_line;
    const std::size_t half_heading = (tables::heading_of(table.columns[c]).size() + 1) / 2;
    widths[c] = std::max(std::min(longest, widest_line), half_heading) + 2;
    out.columns.push_back(c);
  }
  out.below = tables::take_out_lightest(table, out.columns, widths, widest_page);
  return out;
}

std::string below_html(const Table& table, const Plan& plan, const tables::Row& row) {
  std::string items;
  for (const std::size_t c : plan.below) {
    const tables::Cell& cell = row.cells[c];
    const auto* flag = std::get_if<bool>(&cell);
    const std::string text = cell_html(cell);
    if (text == "–" || (flag != nullptr && !*flag)) continue;
    items += fmt::format("<li title=\"{}\"><i>{}</i> {}</li>", html(table.columns[c].meaning),
                         html(table.columns[c].heading), with_unit(table.columns[c], cell));
  }
  return items;
}

std::string row_html(const Table& table, const Plan& plan, const tables::Row& row) {
  const std::string below = below_html(table, plan, row);
  std::string of_class(class_of(row.mood));
  const std::string of_below = of_class + (of_class.empty() ? "more" : " more");
  if (!below.empty()) of_class += of_class.empty() ? "first" : " first";
  std::string text =
      of_class.empty() ? std::string("<tr>") : fmt::format("<tr class=\"{}\">", of_class);
  for (const std::size_t c : plan.columns) {
    const bool number = tables::is_numeric(table.columns[c].kind);
    text += fmt::format("<td{}>{}</td>",
                        number             ? " class=\"n\""
                        : plan.one_line[c] ? " class=\"c\""
                                           : "",
                        cell_html(row.cells[c]));
  }
  text += "</tr>\n";
  if (below.empty()) return text;
  return text +
         fmt::format("<tr class=\"{}\"><td colspan=\"{}\"><ul class=\"more\">{}</ul></td></tr>\n",
                     of_below, plan.columns.size(), below);
}

}  // namespace

std::string table_html(const Table& table) {
  if (table.rows.empty()) return fmt::format("<p class=\"soft\">{}</p>\n", html(table.none));
  const Plan plan = plan_of(table);
  const std::vector<std::size_t> starts = tables::group_starts(table);
  std::string head = "<div class=\"wide\"><table><thead><tr>";
  for (const std::size_t c : plan.columns) {
    const Column& column = table.columns[c];
    head += fmt::format("<th{} title=\"{}\">{}</th>",
                        tables::is_numeric(column.kind) ? " class=\"n\"" : "", html(column.meaning),
                        html(tables::heading_of(column)));
  }
  head += "</tr></thead><tbody>\n";
  std::string text;
  for (std::size_t g = 0; g < starts.size(); ++g) {
    const std::size_t end = g + 1 < starts.size() ? starts[g + 1] : table.rows.size();
    if (plan.grouped) text += group_heading(table, table.rows[starts[g]]);
    text += head;
    for (std::size_t r = starts[g]; r < end; ++r) text += row_html(table, plan, table.rows[r]);
    text += "</tbody></table></div>\n";
  }
  return text;
}

}  // namespace greymet::exports
