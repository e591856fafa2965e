#include "files/table_rows.h"

#include <algorithm>
#include <charconv>
#include <cmath>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "model/nearest_name.h"

namespace greymet::files::internal {

using model::RuleCode;
using model::Severity;

namespace {

constexpr std::size_t longest_shown = 40;

}  // namespace

std::optional<MeantColumn> meant_column(const TableColumns& columns, std::string_view heading) {
  const std::string word = model::bare_word(heading);
  for (const std::string_view column : columns.names) {
    if (word == model::bare_word(column)) return MeantColumn{column, true};
  }
  for (const auto& [synonym, column] : columns.synonyms) {
    if (word == synonym) return MeantColumn{column, true};
  }
  const auto near = model::near_name(word, columns.names);
  if (!near) return std::nullopt;
  return MeantColumn{*std::find(columns.names.begin(), columns.names.end(), near->name),
                     near->only};
}

model::Finding& RowReader::report(model::Range place, std::string message, std::string remedy,
                                  RuleCode rule) {
  findings_.push_back({.rule = rule,
                       .severity = Severity::error,
                       .place = place,
                       .subject = subject_,
                       .message = std::move(message),
                       .remedy = std::move(remedy)});
  return findings_.back();
}

bool RowReader::begin(const CsvTable& table) {
  width_ = table.header.size();
  delimiter_ = table.delimiter;
  bool ok = true;
  for (std::size_t i = 0; i < table.header.size(); ++i) {
    const Cell& cell = table.header[i];
    const bool known = !cell.text.empty() && std::find(columns_.names.begin(), columns_.names.end(),
                                                       cell.text) != columns_.names.end();
    if (!column_of_.emplace(cell.text, i).second && known) {
      report(cell.place, fmt::format("column '{}' appears twice", cell.text),
             "keep one of the two");
      ok = false;
    }
    if (!known) {
      extra_.push_back(cell.text);
      extra_at_.push_back(i);
    }
  }
  Meant meant;
  for (const std::size_t i : extra_at_) {
    const auto column = meant_column(columns_, table.header[i].text);
    if (column && !column_of_.contains(column->column)) meant[column->column].push_back(i);
  }
  for (std::string_view column : columns_.needed) {
    if (column_of_.contains(column)) continue;
    report_missing(table, column, meant);
    ok = false;
  }
  if (ok) report_headings(table, meant);
  return ok;
}

void RowReader::report_missing(const CsvTable& table, std::string_view column, const Meant& meant) {
  const auto at = meant.find(column);
  const Cell* nearest = at == meant.end() ? nullptr : &table.header[at->second.front()];
  model::Finding& finding =
      report(nearest != nullptr ? nearest->place : table.header.front().place,
             fmt::format("column '{}' is missing{}", column,
                         nearest != nullptr ? fmt::format("; is it the one called '{}'?",
                                                          model::quoted_start(nearest->text))
                                            : ""),
             nearest != nullptr ? std::string() : std::string(columns_.header_remedy));
  if (nearest != nullptr) rename(finding, *nearest, column, at->second.size() == 1);
}

void RowReader::rename(model::Finding& finding, const Cell& heading, std::string_view column,
                       bool only) const {
  const auto how = meant_column(columns_, heading.text);
  add_fix(finding,
          model::write_instead(heading.place, std::string(column), only && how && how->certain));
}

// R05: what stands under such a heading is kept as a column of the maker's, and not used.
void RowReader::report_headings(const CsvTable& table, const Meant& meant) {
  for (const auto& [column, headings] : meant) {
    misread_.emplace_back(column);
    for (const std::size_t i : headings) {
      const Cell& heading = table.header[i];
      model::Finding& finding =
          report(heading.place,
                 fmt::format("column '{}' is not used: there is no column of this name, and "
                             "'{}' is not there",
                             model::quoted_start(heading.text), column),
                 "", RuleCode::R05);
      finding.severity = Severity::warning;
      rename(finding, heading, column, headings.size() == 1);
    }
  }
}

bool RowReader::next(const std::vector<Cell>& row) {
  row_ = &row;
  ++row_number_;
  failed_ = false;
  if (row.size() <= width_) return true;  // missing cells at the end are empty cells
  // Trailing empty cells are what spreadsheets add.
  if (std::all_of(row.begin() + static_cast<std::ptrdiff_t>(width_), row.end(),
                  [](const Cell& c) { return c.text.empty(); })) {
    return true;
  }
  report(row.front().place,
         fmt::format("row {}: {} cells, the header has {}", row_number_, row.size(), width_),
         delimiter_ == ',' ? "quote cells that hold a comma; a decimal comma is written as a point"
                           : "quote cells that hold the delimiter");
  return false;
}

const Cell* RowReader::cell(std::string_view column) const {
  const auto found = column_of_.find(column);
  if (found == column_of_.end() || found->second >= row_->size()) return nullptr;
  const Cell& c = (*row_)[found->second];
  return c.text.empty() ? nullptr : &c;
}

const Cell* RowReader::needed(std::string_view column) {
  const Cell* c = cell(column);
  if (c != nullptr) return c;
  failed_ = true;
  report(row_->front().place, fmt::format("row {}: `{}` is empty", row_number_, column),
         std::string(columns_.row_remedy));
  return nullptr;
}

std::string RowReader::text(std::string_view column) const {
  const Cell* c = cell(column);
  return c != nullptr ? c->text : std::string();
}

void RowReader::bad(const Cell& cell, std::string_view column, std::string_view expected,
                    const std::optional<model::Meant>& meant) {
  failed_ = true;
  model::Finding& finding = report(cell.place,
                                   fmt::format("row {}: {} '{}' is not valid", row_number_, column,
                                               cell.text.substr(0, longest_shown)),
                                   meant ? std::string() : fmt::format("write {}", expected));
  if (meant) add_fix(finding, model::write_instead(cell.place, meant->text, meant->certain));
}

std::optional<double> RowReader::number(std::string_view column) {
  const Cell* c = cell(column);
  if (c == nullptr) return std::nullopt;
  double value = 0;
  const char* end = c->text.data() + c->text.size();
  const auto [stop, error] = std::from_chars(c->text.data(), end, value);
  if (error == std::errc() && stop == end && std::isfinite(value)) return value;
  const auto meant = model::meant_number(c->text);
  const std::string shown = c->text.substr(0, longest_shown);
  if (meant && std::count(c->text.begin(), c->text.end(), ',') == 1 && meant->certain) {
    failed_ = true;
    model::Finding& finding =
        report(c->place,
               fmt::format("row {}: {} '{}' has a decimal comma", row_number_, column, shown), "");
    add_fix(finding, model::write_instead(c->place, meant->text, true));
    return std::nullopt;
  }
  if (meant && !meant->certain) {
    failed_ = true;
    std::string whole = c->text;
    std::erase(whole, ',');
    model::Finding& finding =
        report(c->place,
               fmt::format("row {}: {} '{}' has a comma that may stand for decimals or for "
                           "thousands",
                           row_number_, column, shown),
               fmt::format("write {} or {}, whichever is meant", meant->text, whole));
    add_fix(finding, model::write_instead(c->place, meant->text, false));
    add_fix(finding, model::write_instead(c->place, whole, false));
    return std::nullopt;
  }
  bad(*c, column, "a number with a decimal point, e.g. 0.1", meant);
  return std::nullopt;
}

std::optional<std::int64_t> RowReader::whole(std::string_view column, std::int64_t most) {
  const Cell* c = cell(column);
  if (c == nullptr) return std::nullopt;
  std::int64_t value = 0;
  const char* end = c->text.data() + c->text.size();
  const auto [stop, error] = std::from_chars(c->text.data(), end, value);
  if (error == std::errc() && stop == end && value >= 0 && value <= most) return value;
  bad(*c, column, fmt::format("a whole number from 0 to {}", most),
      model::meant_whole_number(c->text));
  return std::nullopt;
}

std::vector<std::string> RowReader::extra_cells() const {
  std::vector<std::string> cells;
  for (const std::size_t i : extra_at_) {
    cells.push_back(i < row_->size() ? (*row_)[i].text : std::string());
  }
  return cells;
}

}  // namespace greymet::files::internal
