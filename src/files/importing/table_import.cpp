#include "table_import.h"

#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "address_columns.h"
#include "draft_rows.h"
#include "files/csv_text.h"
#include "files/map_columns.h"
#include "import_context.h"
#include "model/ascii_text.h"
#include "model/identifier.h"
#include "model/text_slips.h"
#include "point_cells.h"
#include "value_scales.h"
#include "value_types.h"

namespace greymet::files::internal {

namespace {

using model::Area;

std::string joined(const std::vector<std::string>& texts, std::string_view between = ", ") {
  return fmt::format("{}", fmt::join(texts, between));
}

// A row that has become a point, cells as a map has them.
struct WrittenRow {
  PointCells cells;
  std::size_t row = 0;
};

class TableImporter {
 public:
  TableImporter(const Grid& grid, const HeadingRows& heading, const Readings& readings)
      : grid_(grid),
        columns_(grid, heading),
        heading_(heading),
        in_{columns_, readings, table_, out_} {}

  tl::expected<ImportedMap, FileError> import() {
    if (columns_.addresses().empty()) return tl::unexpected(no_address());
    table_ = draft_rows(grid_, columns_);
    if (table_.rows.empty()) return tl::unexpected(FileError{"has no row below its headings"});
    say_above();
    for (const std::string& note : columns_.notes()) out_.notes.push_back(note);
    refuse_lost_digits();
    addresses_.settle_base();
    types_.settle_lengths();
    addresses_.settle_numbering();
    scales_.settle();
    for (DraftRow& row : table_.rows) add(row);
    ask_about_area();
    for (const std::size_t c : columns_.extra()) scales_.ask_about(c);
    say_the_rest();
    types_.finish();
    cells_.finish();
    if (!out_.questions.empty()) {
      out_.points = 0;
      return std::move(out_);
    }
    if (out_.points == 0) {
      return tl::unexpected(FileError{
          "has no row that can be a point: " +
          (out_.left_out.empty() ? std::string("none has an address") : out_.left_out.front())});
    }
    write();
    return std::move(out_);
  }

 private:
  [[nodiscard]] FileError no_address() const {
    std::vector<std::string> found;
    for (const std::string& text : columns_.texts()) {
      if (!text.empty()) found.push_back("'" + std::string(model::quoted_start(text)) + "'");
    }
    std::vector<std::string> missing{"address"};
    if (!columns_.has(Column::type) && !columns_.has(Column::length)) missing.emplace_back("type");
    return FileError{fmt::format(
        "no heading is taken for {}; there are {}. Rename {}, or name {} in a file for --headings",
        joined(missing, " and "), joined(found),
        missing.size() == 1 ? "the one that is it" : "those that are",
        missing.size() == 1 ? "it" : "them")};
  }

  // Lines above the headings that may say how to read the table.
  void say_above() {
    if (heading_.first == 0) return;
    out_.notes.push_back(fmt::format("the {} row{} above the headings {} left out", heading_.first,
                                     heading_.first == 1 ? "" : "s",
                                     heading_.first == 1 ? "is" : "are"));
    constexpr std::size_t most = 5;
    std::size_t told = 0;
    for (std::size_t r = 0; r < heading_.first; ++r) {
      const std::string text = joined(grid_.rows[r], " ");
      const std::string small = model::in_small_letters(text);
      for (const std::string_view word :
           {"hex", "decimal", "offset", "base", "endian", "swap", "byte", "word order", "start at",
            "starts at", "minus 1", "subtract", "zero"}) {
        if (small.find(word) == std::string::npos || told++ >= most) continue;
        out_.notes.push_back(fmt::format("not read, but it may matter: '{}'",
                                         model::quoted_start(model::trimmed(text))));
        break;
      }
    }
  }

  // A spreadsheet shows bit 10 of a register as bit 1: 40012.10 is the number 40012.1.
  void refuse_lost_digits() {
    std::map<std::pair<std::string, std::uint32_t>, std::size_t> lines;
    for (DraftRow& row : table_.rows) {
      if (!row.address || !row.address->bit) continue;
      const auto [at, is_new] =
          lines.emplace(std::pair(row.address->first.digits, *row.address->bit), row.line);
      if (is_new) continue;
      refuse(row, fmt::format("{}.{} is that of line {} already; a spreadsheet makes it of {}.{}0",
                              row.address->first.digits, *row.address->bit, at->second,
                              row.address->first.digits, *row.address->bit));
    }
  }

  void add(DraftRow& row) {
    PointCells cells;
    std::uint32_t copies = 1;
    if (row.trouble.empty()) copies = fill(row, cells);
    if (!row.trouble.empty()) {
      out_.left_out.push_back(fmt::format(
          "line {}: {}{}", row.line,
          row.name.empty() ? "" : fmt::format("{}: ", model::quoted_start(row.name)), row.trouble));
      return;
    }
    if (cells.empty()) return;  // asked
    if (copies == 1) return finish(row, std::move(cells));
    // so many values of one sort behind each other
    const std::string base = cells["point"];
    arrays_.push_back(
        fmt::format("line {}: {} values, {}_1 to {}_{}", row.line, copies, base, base, copies));
    const auto first = addresses_.number_of(row);
    const std::uint32_t step = std::max<std::uint32_t>(1, registers_of(*row.type->type));
    for (std::uint32_t i = 0; i < copies; ++i) {
      PointCells one = cells;
      one["point"] = fmt::format("{}_{}", base, i + 1);
      one["address"] = addresses_.text_of(row, *first + static_cast<std::int64_t>(i) * step);
      finish(row, std::move(one));
    }
  }

  void finish(const DraftRow& row, PointCells cells) {
    const std::string wanted = cells["point"];
    std::string name = wanted;
    if (name.empty() || !model::is_point_name(name)) name = model::identifier(name);
    cells["point"] = names_.take(name);
    if (cells["point"] != wanted)
      renamed_.push_back(
          fmt::format("'{}' is called {}", model::quoted_start(wanted), cells["point"]));
    written_.push_back({std::move(cells), row.row});
    ++out_.points;
  }

  // So many values the row is of; no cells where something is asked, or the row is refused.
  std::uint32_t fill(DraftRow& row, PointCells& cells) {
    std::string unit = columns_.cell(row.row, Column::unit);
    if (unit == "-" || unit == "\xE2\x80\x93") unit.clear();
    const std::string name = name_of(row, unit);
    const auto area = area_of(row);
    if (!row.trouble.empty() || !area) return 1;
    const auto type = types_.type_of(row, *area);
    if (!type) return 1;
    if (!row.type) row.type = TypeCell{type->type, TypeCell::Family::none, false, {}, {}};
    row.type->type = type->type;
    const auto number = addresses_.number_of(row);
    if (!number || !addresses_.fits(row, *area, *number, type->type)) {
      refuse(row, fmt::format("address '{}' is no register{}", row.address->first.digits,
                              out_.numbering == "reference" ? " of this area" : ""));
      return 1;
    }
    const auto factor = scales_.factor_of(row, type->type, unit);
    if (!factor) return 1;
    cells["point"] = !name.empty() ? name
                     : !row.note.empty()
                         ? row.note
                         : fmt::format("{}_{}", short_name(*area), row.address->first.digits);
    cells["area"] = std::string(short_name(*area));
    cells["address"] = addresses_.text_of(row, *number);
    cells["type"] = to_text(type->type);
    if (row.bit && !is_bit_area(*area)) cells["bit"] = std::to_string(*row.bit);
    cells["factor"] = *factor == "1" ? "" : *factor;
    cells["unit"] = unit;
    cells["note"] = row.note;
    cells_.fill(row, *area, type->type, *factor, cells);
    return type->copies;
  }

  // Without a unit that stands at its end, where no other is said.
  std::string name_of(const DraftRow& row, std::string& unit) {
    std::string name = row.name;
    if (columns_.heading_of(Column::point).is_ours) return name;
    const std::string of_name = take_unit(name);
    if (of_name.empty() || of_name == unit) return name;
    if (!unit.empty()) return row.name;
    unit = of_name;
    ++units_of_names_;
    return name;
  }

  std::optional<Area> area_of(DraftRow& row) {
    const std::string text = columns_.cell(row.row, Column::area);
    const auto said = area_said(columns_, row);
    if (!text.empty() && !said) {
      refuse(row, fmt::format("area '{}' is not understood", model::quoted_start(text)));
      return std::nullopt;
    }
    const auto by = area_by_functions(functions_of(columns_, row));
    const auto reference =
        out_.numbering == "reference" ? addresses_.reference_of(row) : std::nullopt;
    if (reference && said && *reference != *said && text.empty() && row.section == said)
      return reference;
    if (reference && said && *reference != *said) {
      refuse(row,
             fmt::format("address {} is {}, and its area is said to be {}",
                         row.address->first.digits, with_article(*reference), long_name(*said)));
      return std::nullopt;
    }
    if (!text.empty() && by.area && !by.several && said && *by.area != *said) {
      refuse(row, fmt::format("area '{}' and function do not fit", model::quoted_start(text)));
      return std::nullopt;
    }
    if (said) return said;
    if (reference) return reference;
    if (const auto other = addresses_.other_reference_of(row)) return other;
    if (const auto answered = in_.answer("area")) return model::area_from(*answered);
    no_area_.push_back(sample_of(row, row.address->first.digits));
    return std::nullopt;
  }

  void ask_about_area() {
    if (no_area_.empty()) return;
    in_.ask("area",
            "nothing says what holds these: coils, discrete inputs, input or holding registers",
            no_area_);
  }

  void say(const std::vector<std::string>& texts, std::string_view before) {
    constexpr std::size_t most_told = 20;
    if (texts.empty()) return;
    std::vector<std::string> told(
        texts.begin(),
        texts.begin() + static_cast<std::ptrdiff_t>(std::min(texts.size(), most_told)));
    out_.notes.push_back(fmt::format(
        "{}{}{}", before, joined(told),
        texts.size() > most_told ? fmt::format(" and {} more", texts.size() - most_told) : ""));
  }

  void say_the_rest() {
    say(table_.titles, "titles inside the table: lines ");
    say(table_.repeated, "headings that stand there again: lines ");
    say(table_.unused, "footnotes: lines ");
    say(arrays_, "several values of one sort: ");
    if (scales_.scales_by_decimals()) {
      out_.notes.emplace_back(
          "whole numbers have as many decimals as their column says: 1 is a factor of 0.1");
    }
    say({scales_.units_that_scale().begin(), scales_.units_that_scale().end()},
        "units that scale: ");
    if (units_of_names_ > 0) {
      out_.notes.push_back(fmt::format("{} units are taken out of names", units_of_names_));
    }
    say(renamed_, "names: ");
    say(cells_.not_taken(), "not taken over, as it may mean several things: ");
    std::vector<std::string> extra;
    const auto& addresses = columns_.addresses();
    for (const std::size_t c : columns_.extra()) {
      if (std::find(addresses.begin(), addresses.end(), c) != addresses.end()) continue;
      extra.push_back("'" + std::string(model::quoted_start(columns_.texts()[c])) + "'");
    }
    say(extra, "kept, without effect: ");
  }

  void write() {
    CsvWriter csv(CsvFor::storage);
    std::vector<std::string> heading;
    std::vector<std::string_view> own;
    for (const std::string_view name : map_columns().names) {
      const bool needed = name == "point" || name == "area" || name == "address" || name == "type";
      const bool used = std::any_of(written_.begin(), written_.end(), [&](const WrittenRow& row) {
        const auto at = row.cells.find(name);
        return at != row.cells.end() && !at->second.empty();
      });
      if (!needed && !used) continue;
      own.push_back(name);
      heading.emplace_back(name);
    }
    for (const std::size_t c : columns_.extra()) {
      std::string name = columns_.texts()[c];
      // or a reader of the table would take them for what separates cells
      std::replace_if(
          name.begin(), name.end(), [](char ch) { return ch == ';' || ch == '\t' || ch == '\n'; },
          ' ');
      // not a column of ours by accident
      while (std::find(heading.begin(), heading.end(), name) != heading.end()) name += " (kept)";
      heading.push_back(std::move(name));
    }
    csv.row(heading);
    for (const WrittenRow& row : written_) {
      std::vector<std::string> cells;
      for (const std::string_view name : own) {
        const auto at = row.cells.find(name);
        cells.push_back(at == row.cells.end() ? std::string() : at->second);
      }
      for (const std::size_t c : columns_.extra()) cells.push_back(columns_.cell(row.row, c));
      // many headings over short rows would come to more than there is
      while (cells.size() > own.size() && cells.back().empty()) cells.pop_back();
      csv.row(cells);
    }
    out_.csv = csv.take();
  }

  const Grid& grid_;
  ColumnsOfTable columns_;
  const HeadingRows& heading_;
  DraftTable table_;
  ImportedMap out_;
  ImportContext in_;
  AddressColumns addresses_{in_};
  ValueTypes types_{in_, addresses_};
  ValueScales scales_{in_};
  CellFiller cells_{in_};
  model::UniqueNames names_;
  std::vector<WrittenRow> written_;
  std::size_t units_of_names_ = 0;
  std::vector<std::string> no_area_;
  std::vector<std::string> arrays_;
  std::vector<std::string> renamed_;
};

}  // namespace

tl::expected<ImportedMap, FileError> import_table(const Grid& grid, const HeadingRows& heading,
                                                  const Readings& readings) {
  return TableImporter(grid, heading, readings).import();
}

}  // namespace greymet::files::internal
