#include "cli/table_text.h"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "cli/terminal.h"
#include "model/duration_text.h"
#include "model/utf8_text.h"

namespace greymet::cli {

using tables::Cell;
using tables::Kind;
using tables::Table;

namespace {

constexpr std::size_t narrowest_table = 80;
constexpr std::size_t widest_text = 34;  // of a cell that is not the last

bool is_zero(const Cell& cell) {
  const auto* number = std::get_if<std::int64_t>(&cell);
  return number != nullptr && *number == 0;
}

// One column as it will be printed.
struct Printed {
  std::size_t column = 0;
  std::vector<std::string> heading;  // lines, the last one right above the rows
  std::vector<std::string> cells;
  std::size_t width = 0;
  bool right = false;
};

// Digits behind the point: none where all are whole, else as many as the longest leaves sense in.
int decimals_of(const Table& table, std::size_t c) {
  double longest = 0;
  bool whole = true;
  for (const tables::Row& row : table.rows) {
    const auto* d = std::get_if<model::Duration>(&row.cells[c]);
    if (d == nullptr) continue;
    const double ms = std::abs(model::to_ms(*d));
    longest = std::max(longest, ms);
    whole = whole && ms == std::floor(ms);
  }
  if (whole || longest >= 10'000) return 0;
  return longest < 10 ? 3 : longest < 1000 ? 2 : 1;
}

std::string cell_text(const Cell& cell, int decimals) {
  if (const auto* d = std::get_if<model::Duration>(&cell)) {
    const double ms = model::to_ms(*d);
    return std::abs(ms) >= 1e9 ? fmt::format("{:.3g}", ms) : fmt::format("{:.{}f}", ms, decimals);
  }
  if (const auto* number = std::get_if<double>(&cell)) return model::shortest_digits(*number);
  if (const auto* flag = std::get_if<bool>(&cell)) return *flag ? "yes" : "no";
  if (const auto* words = std::get_if<tables::Words>(&cell)) {
    return words->empty() ? "-" : shown(fmt::format("{}", fmt::join(*words, ", ")));
  }
  const std::string text = shown(tables::plain_text(cell));
  return text.empty() ? "-" : text;
}

// A heading in lines that are about as wide as the cells.
std::vector<std::string> heading_lines(std::string_view heading, std::size_t room) {
  std::vector<std::string> lines;
  std::string line;
  for (std::size_t at = 0; at <= heading.size();) {
    const std::size_t end = std::min(heading.find(' ', at), heading.size());
    const std::string_view word = heading.substr(at, end - at);
    if (!line.empty() && line.size() + 1 + word.size() > room) {
      lines.push_back(std::move(line));
      line.clear();
    }
    line += (line.empty() ? "" : " ") + std::string(word);
    at = end + 1;
  }
  lines.push_back(std::move(line));
  return lines;
}

Printed printed(const Table& table, std::size_t c) {
  const tables::Column& column = table.columns[c];
  Printed out;
  out.column = c;
  out.right = tables::is_numeric(column.kind);
  const int decimals = decimals_of(table, c);
  for (const tables::Row& row : table.rows) {
    std::string text = cell_text(row.cells[c], decimals);
    if (!out.right) text = model::shortened(text, widest_text);
    out.width = std::max(out.width, model::code_points(text));
    out.cells.push_back(std::move(text));
  }
  const std::string heading =
      column.kind == Kind::duration ? std::string(column.heading) : tables::heading_of(column);
  out.heading = heading_lines(heading, std::max<std::size_t>(out.width, 8));
  for (const std::string& line : out.heading) out.width = std::max(out.width, line.size());
  return out;
}

std::string padded(const std::string& text, std::size_t width, bool right) {
  const std::size_t length = model::code_points(text);
  const std::string blanks(width > length ? width - length : 0, ' ');
  return right ? blanks + text : text + blanks;
}

Tint tint_of(tables::Mood mood) {
  switch (mood) {
    case tables::Mood::plain: return Tint::none;
    case tables::Mood::soft: return Tint::dim;
    case tables::Mood::good: return Tint::none;
    case tables::Mood::warn: return Tint::yellow;
    case tables::Mood::bad: return Tint::red;
  }
  return Tint::none;
}

std::string line_text(const std::vector<Printed>& columns, const Table& table, std::size_t r,
                      const Terminal& terminal) {
  std::string text;
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const Printed& column = columns[i];
    const bool last = i + 1 == columns.size() && !column.right;
    const std::string cell =
        last ? column.cells[r] : padded(column.cells[r], column.width, column.right);
    const auto* state = std::get_if<tables::State>(&table.rows[r].cells[column.column]);
    text += "  " + (state != nullptr ? tinted(terminal, tint_of(state->mood), cell) : cell);
  }
  return text + "\n";
}

std::string headings_text(const std::vector<Printed>& columns, const Terminal& terminal) {
  std::size_t lines = 0;
  for (const Printed& column : columns) lines = std::max(lines, column.heading.size());
  std::string text;
  for (std::size_t line = 0; line < lines; ++line) {
    std::string out;
    for (const Printed& column : columns) {
      const std::size_t missing = lines - column.heading.size();
      const std::string word = line < missing ? std::string() : column.heading[line - missing];
      out += "  " + padded(word, column.width, column.right);
    }
    out.erase(out.find_last_not_of(' ') + 1);
    text += tinted(terminal, Tint::dim, out) + "\n";
  }
  return text;
}

// A line below the table, folded.
std::string remark(std::string_view head, const std::vector<std::string>& parts,
                   std::string_view between, const Terminal& terminal) {
  if (parts.empty()) return {};
  const std::string text = fmt::format("{}{}", head, fmt::join(parts, between));
  return tinted(terminal, Tint::dim, "  " + folded(text, 2, 2, terminal.width)) + "\n";
}

}  // namespace

std::string table_text(std::string_view title, const Table& table, const Terminal& terminal) {
  std::string text = tinted(terminal, Tint::bold, title) + "\n";
  if (table.rows.empty()) return text + fmt::format("  {}\n", table.none);
  const std::vector<bool> used = tables::columns_with_values(table);
  std::vector<Printed> all(table.columns.size());
  std::vector<std::size_t> widths(table.columns.size());
  std::vector<std::size_t> shown_ones;
  std::vector<std::string> zero;
  for (std::size_t c = 0; c < table.columns.size(); ++c) {
    if (!used[c]) continue;
    const bool nothing = table.columns[c].weight < tables::always &&
                         std::all_of(table.rows.begin(), table.rows.end(),
                                     [&](const tables::Row& row) { return is_zero(row.cells[c]); });
    if (nothing) {
      zero.emplace_back(table.columns[c].heading);
      continue;
    }
    all[c] = printed(table, c);
    widths[c] = all[c].width + 2;
    shown_ones.push_back(c);
  }
  const auto gone = tables::take_out_lightest(table, shown_ones, widths,
                                              std::max(terminal.width, narrowest_table));
  std::vector<Printed> columns;
  std::vector<std::string> legend;
  for (const std::size_t c : shown_ones) {
    columns.push_back(std::move(all[c]));
    const tables::Column& column = table.columns[c];
    const bool a_name = column.weight >= tables::always && column.kind == Kind::text;
    if (!a_name) legend.push_back(fmt::format("{}: {}", column.heading, column.meaning));
  }
  text += headings_text(columns, terminal);
  for (std::size_t r = 0; r < table.rows.size(); ++r) {
    text += line_text(columns, table, r, terminal);
  }
  std::vector<std::string> names;
  names.reserve(gone.size());
  for (const std::size_t c : gone) names.emplace_back(table.columns[c].heading);
  return text + remark("none anywhere: ", zero, ", ", terminal) +
         remark("too wide for here, and in CSV and JSON: ", names, ", ", terminal) +
         remark("", legend, "; ", terminal);
}

}  // namespace greymet::cli
