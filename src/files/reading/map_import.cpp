#include "files/map_import.h"

#include <algorithm>
#include <map>
#include <set>

#include <fmt/format.h>

#include "files/csv_reader.h"
#include "files/csv_text.h"
#include "files/text_encoding.h"
#include "map_columns.h"
#include "model/address.h"
#include "model/ascii_text.h"
#include "model/data_type.h"
#include "model/identifier.h"
#include "model/text_slips.h"
#include "model/utf8_text.h"
#include "thing_reader.h"

namespace greymet::files {

using internal::map_columns;
using internal::meant_column;

namespace {

constexpr std::size_t least_known = 2;       // headings that make a row the header
constexpr std::size_t most_rows_above = 50;  // titles above it

// One table, however it was stored.
using Rows = std::vector<std::vector<std::string>>;

std::size_t known_headings(const std::vector<std::string>& row) {
  std::set<std::string_view> known;
  for (const std::string& cell : row) {
    const auto column = meant_column(map_columns(), cell);
    if (column && column->certain) known.insert(column->column);
  }
  return known.size();
}

// The row with the headings: the one of the first rows in which most are known.
std::optional<std::size_t> header_of(const Rows& rows) {
  std::optional<std::size_t> best;
  std::size_t most = least_known - 1;
  for (std::size_t r = 0; r < std::min(rows.size(), most_rows_above); ++r) {
    const std::size_t known = known_headings(rows[r]);
    if (known > most) {
      most = known;
      best = r;
    }
  }
  return best;
}

std::string joined(const std::vector<std::string>& texts) {
  return fmt::format("{}", fmt::join(texts, ", "));
}

class Importer {
 public:
  Importer(const Rows& rows, std::size_t header) : rows_(rows), header_(header) {}

  tl::expected<ImportedMap, FileError> import() {
    if (header_ > 0)
      out_.notes.push_back(fmt::format("the {} rows above the headings are left out", header_));
    map_headings();
    if (const auto trouble = missing()) return tl::unexpected(*trouble);
    write();
    if (out_.points == 0) return tl::unexpected(FileError{"has no row below its headings"});
    if (references_ == out_.points && !out_.numbering) {
      out_.numbering = "reference";
      out_.notes.emplace_back("addresses are references such as 40001");
    }
    say_changes();
    return std::move(out_);
  }

 private:
  void map_headings() {
    const auto& heading = rows_[header_];
    // our own names win over what others call a column
    for (const bool exact : {true, false}) {
      for (std::size_t c = 0; c < heading.size(); ++c) {
        if (heading[c].empty() || taken_.contains(c)) continue;
        const auto meant = meant_column(map_columns(), heading[c]);
        if (!meant || !meant->certain || column_.contains(meant->column)) continue;
        const bool same = model::bare_word(heading[c]) == model::bare_word(meant->column);
        if (same != exact) continue;
        column_[meant->column] = c;
        taken_.insert(c);
        if (heading[c] != meant->column) {
          out_.notes.push_back(
              fmt::format("'{}' is taken for {}", model::quoted_start(heading[c]), meant->column));
        }
      }
    }
  }

  // Columns without which nothing can be said; the area may stand in the addresses.
  std::optional<FileError> missing() {
    std::vector<std::string> found;
    for (const std::string& cell : rows_[header_]) {
      if (!cell.empty()) found.push_back("'" + std::string(model::quoted_start(cell)) + "'");
    }
    for (const char* needed : {"point", "address", "type"}) {
      if (column_.contains(needed)) continue;
      return FileError{
          fmt::format("no heading is taken for '{}'; there are {}. Name one of them so", needed,
                      joined(found))};
    }
    if (column_.contains("area")) return std::nullopt;
    for (std::size_t r = header_ + 1; r < rows_.size(); ++r) {
      if (is_empty(rows_[r])) continue;
      const auto reading =
          model::read_address({cell(rows_[r], "address"), true}, model::Numbering::reference);
      if (reading && reading->area) continue;
      return FileError{
          fmt::format("no heading is taken for 'area', and address '{}' in row {} does not say it "
                      "either: add a "
                      "column area with co, di, ir or hr",
                      model::quoted_start(cell(rows_[r], "address")), r + 1)};
    }
    out_.numbering = "reference";
    out_.notes.emplace_back(
        "areas are taken from the addresses: they are references such as 40001");
    return std::nullopt;
  }

  static bool is_empty(const std::vector<std::string>& row) {
    return std::all_of(row.begin(), row.end(),
                       [](const std::string& cell) { return model::trimmed(cell).empty(); });
  }

  [[nodiscard]] std::string cell(const std::vector<std::string>& row,
                                 std::string_view column) const {
    const auto at = column_.find(column);
    if (at == column_.end() || at->second >= row.size()) return {};
    return std::string(model::trimmed(row[at->second]));
  }

  void write() {
    CsvWriter csv(CsvFor::storage);
    std::vector<std::string> heading;
    for (const std::string_view name : map_columns().names) {
      if (column_.contains(name) || name == "area") heading.emplace_back(name);
    }
    const std::size_t own = heading.size();
    std::vector<std::size_t> extra;
    for (std::size_t c = 0; c < rows_[header_].size(); ++c) {
      if (taken_.contains(c) || rows_[header_][c].empty() || !has_cells(c)) continue;
      extra.push_back(c);
      std::string name = rows_[header_][c];
      // or a reader of the table would take them for what separates cells
      std::replace_if(
          name.begin(), name.end(), [](char ch) { return ch == ';' || ch == '\t'; }, ' ');
      heading.push_back(std::move(name));
    }
    csv.row(heading);
    for (std::size_t r = header_ + 1; r < rows_.size(); ++r) {
      const auto& row = rows_[r];
      if (is_empty(row)) continue;
      // a heading inside of the table, as manuals have them
      if (cell(row, "address").empty() && cell(row, "type").empty()) {
        headings_inside_.push_back(std::to_string(r + 1));
        continue;
      }
      std::vector<std::string> cells;
      for (std::size_t i = 0; i < own; ++i) cells.push_back(converted(heading[i], row));
      for (const std::size_t c : extra) cells.push_back(c < row.size() ? row[c] : "");
      // many headings over short rows would come to more than there is
      while (cells.size() > own && cells.back().empty()) cells.pop_back();
      csv.row(cells);
      ++out_.points;
      if (is_reference(row)) ++references_;
    }
    out_.csv = csv.take();
  }

  // Of the rows below the headings.
  [[nodiscard]] bool has_cells(std::size_t column) {
    if (filled_.empty()) {
      filled_.resize(rows_[header_].size());
      for (std::size_t r = header_ + 1; r < rows_.size(); ++r) {
        for (std::size_t c = 0; c < std::min(rows_[r].size(), filled_.size()); ++c) {
          filled_[c] = filled_[c] || !rows_[r][c].empty();
        }
      }
    }
    return filled_[column];
  }

  // "40001" with the area that its first digit names.
  [[nodiscard]] bool is_reference(const std::vector<std::string>& row) const {
    const std::string address = cell(row, "address");
    const std::string text = cell(row, "area");
    auto area = model::area_from(text);
    if (const auto meant = model::meant_area(text); !area && meant)
      area = model::area_from(meant->text);
    constexpr std::size_t shortest = 5;
    if (!model::all_digits(address) || address.size() < shortest || !area) return false;
    const auto reading = model::read_address({address, true}, model::Numbering::reference);
    return reading && reading->area == area;
  }

  std::string converted(const std::string& column, const std::vector<std::string>& row) {
    std::string text = cell(row, column);
    if (column == "point") return point_name(text);
    if (column == "area" && !column_.contains("area")) {
      const auto reading =
          model::read_address({cell(row, "address"), true}, model::Numbering::reference);
      return std::string(short_name(*reading->area));
    }
    if (text.empty()) return text;
    std::optional<model::Meant> meant;
    if (column == "area" && !model::area_from(text)) meant = model::meant_area(text);
    if (column == "type" && !model::data_type_from(text)) meant = model::meant_type(text);
    if (column == "access" && text != "r" && text != "w" && text != "rw")
      meant = model::meant_access(text);
    if (column == "word_order" && !model::word_order_from(text))
      meant = model::meant_word_order(text);
    if (column == "factor" || column == "offset" || column == "min" || column == "max") {
      meant = model::meant_number(text);
    }
    if (!meant || meant->text == text) return text;
    if (!meant->certain) {
      doubtful_.insert(fmt::format("{} '{}'", column, model::quoted_start(text)));
      return text;
    }
    changed_.insert(
        fmt::format("{} '{}' is written as {}", column, model::quoted_start(text), meant->text));
    return meant->text;
  }

  // A name begins with a letter and stands once.
  std::string point_name(const std::string& text) {
    std::string name = text;
    if (name.empty() || !model::is_point_name(name)) name = model::identifier(text);
    name = names_.take(name);
    if (name != text)
      changed_.insert(fmt::format("point '{}' is called {}", model::quoted_start(text), name));
    return name;
  }

  void say_changes() {
    constexpr std::size_t most_told = 20;
    const auto tell = [&](const std::set<std::string>& texts, std::string_view before) {
      std::size_t told = 0;
      for (const std::string& text : texts) {
        if (told++ == most_told) {
          out_.notes.push_back(
              fmt::format("{}{} more of this sort", before, texts.size() - most_told));
          break;
        }
        out_.notes.push_back(fmt::format("{}{}", before, text));
      }
    };
    tell(changed_, "");
    tell(doubtful_, "left as it is, as it may mean several things: ");
    if (!headings_inside_.empty()) {
      out_.notes.push_back("left out, as they have neither address nor type: rows " +
                           joined(headings_inside_));
    }
  }

  const Rows& rows_;
  const std::size_t header_;
  ImportedMap out_;
  std::map<std::string_view, std::size_t> column_;
  std::set<std::size_t> taken_;
  model::UniqueNames names_;
  std::set<std::string> changed_;
  std::set<std::string> doubtful_;
  std::vector<std::string> headings_inside_;
  std::vector<bool> filled_;    // per column: it has a cell below its heading
  std::size_t references_ = 0;  // rows whose address is one
};

tl::expected<ImportedMap, FileError> import_rows(const Rows& rows) {
  const auto header = header_of(rows);
  if (!header) {
    return tl::unexpected(
        FileError{"has no row of headings such as point, area, address, type: at least two have to "
                  "be known"});
  }
  return Importer(rows, *header).import();
}

void note_encoding(Encoding encoding, ImportedMap& map) {
  if (encoding == Encoding::utf8) return;
  map.notes.insert(map.notes.begin(),
                   fmt::format("it is read as {}, and stored as UTF-8", to_string(encoding)));
}

tl::expected<ImportedMap, FileError> import_workbook(const std::string& content,
                                                     const std::string& wanted) {
  const auto sheets = read_workbook(content);
  if (!sheets) return tl::unexpected(sheets.error());
  std::vector<std::string> names;
  for (const Sheet& sheet : *sheets) {
    names.push_back(sheet.name);
    if (wanted.empty() ? !header_of(sheet.rows).has_value() : sheet.name != wanted) continue;
    auto map = import_rows(sheet.rows);
    if (map)
      map->notes.insert(map->notes.begin(),
                        fmt::format("sheet '{}' is read", model::quoted_start(sheet.name)));
    return map;
  }
  return tl::unexpected(FileError{
      wanted.empty()
          ? fmt::format(
                "has no sheet with headings such as point, area, address, type; there are {}",
                joined(names))
          : fmt::format("has no sheet '{}'; there are {}", model::quoted_start(wanted),
                        joined(names))});
}

tl::expected<ImportedMap, FileError> import_csv(const std::string& content) {
  const auto decoded = decode_text(content);
  if (!decoded) return tl::unexpected(decoded.error());
  const auto table = read_csv(decoded->text, 0);
  if (!table) {
    return tl::unexpected(
        FileError{fmt::format("line {}: {}{}{}", table.error().place.line, table.error().message,
                              table.error().remedy.empty() ? "" : "; ", table.error().remedy)});
  }
  Rows rows(1);
  for (const Cell& cell : table->header) rows[0].push_back(cell.text);
  for (const auto& row : table->rows) {
    rows.emplace_back();
    for (const Cell& cell : row) rows.back().push_back(cell.text);
  }
  auto map = import_rows(rows);
  if (map) note_encoding(decoded->encoding, *map);
  return map;
}

tl::expected<ImportedMap, FileError> import_json(const std::string& content) {
  const auto decoded = decode_text(content);
  if (!decoded) return tl::unexpected(decoded.error());
  auto map = internal::import_thing(decoded->text);
  if (map) note_encoding(decoded->encoding, *map);
  return map;
}

}  // namespace

tl::expected<ImportedMap, FileError> import_map(std::string_view name, const std::string& content,
                                                const std::string& sheet) {
  const std::string ending =
      model::in_small_letters(name.substr(std::min(name.rfind('.'), name.size())));
  if (ending == ".xlsx") return import_workbook(content, sheet);
  if (!sheet.empty()) return tl::unexpected(FileError{"--sheet is for workbooks (.xlsx)"});
  if (ending == ".json" || ending == ".jsonld") return import_json(content);
  if (ending == ".csv" || ending == ".txt" || ending == ".tsv") return import_csv(content);
  return tl::unexpected(FileError{"ends neither in .csv, .xlsx nor .json"});
}

}  // namespace greymet::files
