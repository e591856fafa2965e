// Tables with a header row of known columns: what readers of maps and of tag tables share. Not for
// use outside this folder.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "files/csv_reader.h"
#include "model/finding.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

// What another table calls a column, as a bare word, and our name for it.
using Synonym = std::pair<std::string_view, std::string_view>;

// The columns of one kind of table.
struct TableColumns {
  std::span<const std::string_view> names;
  std::span<const std::string_view> needed;  // in every row
  std::span<const Synonym> synonyms;
  std::string_view header_remedy;  // what to write where a needed column is missing
  std::string_view row_remedy;     // where one of its cells is empty
};

// The column a heading seems to mean. `certain`: no other one is near.
struct MeantColumn {
  std::string_view column;
  bool certain = true;
};
[[nodiscard]] std::optional<MeantColumn> meant_column(const TableColumns& columns,
                                                      std::string_view heading);

// Reads the rows of one table; collects findings as it goes. What it is given must outlive it.
class RowReader {
 public:
  RowReader(const TableColumns& columns, model::Subject subject, model::Findings& findings)
      : columns_(columns), subject_(std::move(subject)), findings_(findings) {}

  // Reads the header; false if a needed column is missing or one stands twice.
  bool begin(const CsvTable& table);
  // Goes to a row; false if it has more cells than the header.
  bool next(const std::vector<Cell>& row);

  // Since the last next(): a cell of the row was refused.
  [[nodiscard]] bool failed() const { return failed_; }
  void fail() { failed_ = true; }
  [[nodiscard]] std::size_t number_of_row() const { return row_number_; }
  [[nodiscard]] const Cell& first_cell() const { return row_->front(); }
  // The cell of that column, or null where it is empty or not there.
  [[nodiscard]] const Cell* cell(std::string_view column) const;
  // The same, with a finding where it is null.
  const Cell* needed(std::string_view column);
  [[nodiscard]] std::string text(std::string_view column) const;
  // A number with a decimal point, or a finding.
  std::optional<double> number(std::string_view column);
  // A whole number from 0 to `most`, or a finding.
  std::optional<std::int64_t> whole(std::string_view column, std::int64_t most);

  // "row 3: type 'x' is not valid", with what is expected; where the text is a slip of a known
  // sort, the right one is the remedy. The row has failed then.
  void bad(const Cell& cell, std::string_view column, std::string_view expected,
           const std::optional<model::Meant>& meant = {});
  // An error of its own; the row has not failed unless fail() says so.
  model::Finding& report(model::Range place, std::string message, std::string remedy,
                         model::RuleCode rule = model::RuleCode::P07);

  // Headings that no column of ours has, and the cells of the row under them.
  [[nodiscard]] const std::vector<std::string>& extra_columns() const { return extra_; }
  [[nodiscard]] std::vector<std::string> extra_cells() const;
  // Columns that a heading with another name seems to mean.
  [[nodiscard]] const std::vector<std::string>& misread_columns() const { return misread_; }

 private:
  using Meant = std::map<std::string_view, std::vector<std::size_t>>;  // headings by column
  void report_missing(const CsvTable& table, std::string_view column, const Meant& meant);
  void report_headings(const CsvTable& table, const Meant& meant);
  void rename(model::Finding& finding, const Cell& heading, std::string_view column,
              bool only) const;

  const TableColumns& columns_;
  model::Subject subject_;
  model::Findings& findings_;
  std::map<std::string, std::size_t, std::less<>> column_of_;
  std::vector<std::size_t> extra_at_;
  std::vector<std::string> extra_;
  std::vector<std::string> misread_;
  std::size_t width_ = 0;
  char delimiter_ = ',';
  const std::vector<Cell>* row_ = nullptr;
  std::size_t row_number_ = 1;  // as a spreadsheet counts: the headings are the first
  bool failed_ = false;
};

}  // namespace greymet::files::internal
