#include "files/map_reader.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <map>
#include <unordered_map>

#include <fmt/format.h>

#include "map_columns.h"
#include "model/ascii_text.h"
#include "model/nearest_name.h"
#include "model/text_slips.h"

namespace greymet::files {

using internal::columns;
using internal::meant_column;
using model::Area;
using model::Findings;
using model::Point;
using model::RuleCode;
using model::Severity;

namespace {

constexpr std::array<std::string_view, 4> needed_columns{"point", "area", "address", "type"};

// Reads one map; collects findings as it goes.
class MapReader {
 public:
  MapReader(std::string name, model::Numbering numbering, model::Subject subject,
            Findings& findings)
      : name_(std::move(name)),
        numbering_(numbering),
        subject_(std::move(subject)),
        findings_(findings) {}

  model::RegisterMap read(const CsvTable& table) {
    std::vector<std::string> extra;
    if (!read_header(table, extra)) return {name_, {}, {}, {{}, {}, true}};
    std::vector<Point> points;
    for (std::size_t i = 0; i < table.rows.size(); ++i) {
      row_ = &table.rows[i];
      row_number_ = i + 1;
      left_out_ = {};
      auto point = row_fits(table) ? read_point() : std::nullopt;
      if (point) {
        points.push_back(std::move(*point));
      } else {
        unread_.rows.push_back(left_out_);
      }
    }
    if (table.rows.empty())
      report(table.header.front().place, "has a header row and no points",
             "add a row for each register");
    return {name_, std::move(points), std::move(extra), unread_};
  }

  model::Finding& report(model::Range place, std::string message, std::string remedy,
                         RuleCode rule = RuleCode::P07) {
    findings_.push_back({.rule = rule,
                         .severity = Severity::error,
                         .place = place,
                         .subject = subject_,
                         .message = std::move(message),
                         .remedy = std::move(remedy)});
    return findings_.back();
  }

 private:
  bool read_header(const CsvTable& table, std::vector<std::string>& extra) {
    bool ok = true;
    for (std::size_t i = 0; i < table.header.size(); ++i) {
      const Cell& cell = table.header[i];
      const bool known = !cell.text.empty() &&
                         std::find(columns.begin(), columns.end(), cell.text) != columns.end();
      if (!column_of_.emplace(cell.text, i).second && known) {
        report(cell.place, fmt::format("column '{}' appears twice", cell.text),
               "keep one of the two");
        ok = false;
      }
      if (!known) {
        extra.push_back(cell.text);
        extra_columns_.push_back(i);
      }
    }
    std::map<std::string_view, std::vector<std::size_t>> meant;
    for (const std::size_t i : extra_columns_) {
      const auto column = meant_column(table.header[i].text);
      if (column && !column_of_.contains(std::string(column->column))) {
        meant[column->column].push_back(i);
      }
    }
    for (std::string_view needed : needed_columns) {
      if (column_of_.contains(std::string(needed))) continue;
      const auto at = meant.find(needed);
      const Cell* nearest = at == meant.end() ? nullptr : &table.header[at->second.front()];
      model::Finding& finding =
          report(nearest != nullptr ? nearest->place : table.header.front().place,
                 fmt::format("column '{}' is missing{}", needed,
                             nearest != nullptr ? fmt::format("; is it the one called '{}'?",
                                                              model::quoted_start(nearest->text))
                                                : ""),
                 nearest != nullptr
                     ? ""
                     : "a map has a header row with at least point, area, address and type");
      if (nearest != nullptr) rename(finding, *nearest, needed, at->second.size() == 1);
      ok = false;
    }
    if (ok) report_headings(table, meant);
    return ok;
  }

  static void rename(model::Finding& finding, const Cell& heading, std::string_view column,
                     bool only) {
    const auto how = meant_column(heading.text);
    add_fix(finding,
            model::write_instead(heading.place, std::string(column), only && how && how->certain));
  }

  // R05: what stands under such a heading is kept as a column of the maker's, and not used.
  void report_headings(const CsvTable& table,
                       const std::map<std::string_view, std::vector<std::size_t>>& meant) {
    for (const auto& [column, headings] : meant) {
      unread_.columns.emplace_back(column);
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

  bool row_fits(const CsvTable& table) {
    if (row_->size() == table.header.size()) return true;
    const bool more = row_->size() > table.header.size();
    // Trailing empty cells are what spreadsheets add.
    if (more && std::all_of(row_->begin() + static_cast<std::ptrdiff_t>(table.header.size()),
                            row_->end(), [](const Cell& c) { return c.text.empty(); })) {
      return true;
    }
    if (!more) return true;  // missing cells at the end are empty cells
    report(row_->front().place,
           fmt::format("row {}: {} cells, the header has {}", row_number_, row_->size(),
                       table.header.size()),
           table.delimiter == ','
               ? "quote cells that hold a comma; a decimal comma is written as a point"
               : "quote cells that hold the delimiter");
    return false;
  }

  [[nodiscard]] const Cell* cell(std::string_view column) const {
    const auto found = column_of_.find(std::string(column));
    if (found == column_of_.end() || found->second >= row_->size()) return nullptr;
    const Cell& c = (*row_)[found->second];
    return c.text.empty() ? nullptr : &c;
  }

  void bad(const Cell& c, std::string_view column, std::string_view expected) {
    failed_ = true;
    report(c.place,
           fmt::format("row {}: {} '{}' is not valid", row_number_, column, c.text.substr(0, 40)),
           fmt::format("write {}", expected));
  }

  // Where the text is a slip of a known sort, the right one is the remedy.
  void bad(const Cell& c, std::string_view column, std::string_view expected,
           const std::optional<model::Meant>& meant) {
    bad(c, column, expected);
    if (!meant) return;
    findings_.back().remedy.clear();
    add_fix(findings_.back(), model::write_instead(c.place, meant->text, meant->certain));
  }

  // Remembers where the cell stands.
  void spot(Point& point, model::PointCell which, std::string_view column) const {
    const Cell* c = cell(column);
    constexpr std::uint32_t most = 65535;
    if (c == nullptr || c->place.line != row_->front().place.line ||
        c->place.end_line != c->place.line || c->place.end_column > most) {
      return;
    }
    point.cells[static_cast<std::size_t>(which)] = {static_cast<std::uint16_t>(c->place.column),
                                                    static_cast<std::uint16_t>(c->place.end_column),
                                                    like_thousands(c->text)};
  }

  // "3.600": one sign with three digits behind it, and one to three before it that are not 0.
  static bool like_thousands(std::string_view text) {
    if (text.starts_with('-')) text.remove_prefix(1);
    const std::size_t point = text.find('.');
    return point != std::string_view::npos && point >= 1 && point <= 3 && text.front() != '0' &&
           text.size() == point + 4 && model::all_digits(text.substr(0, point)) &&
           model::all_digits(text.substr(point + 1));
  }

  std::optional<double> number(std::string_view column) {
    const Cell* c = cell(column);
    if (c == nullptr) return std::nullopt;
    double value = 0;
    const char* end = c->text.data() + c->text.size();
    const auto [stop, error] = std::from_chars(c->text.data(), end, value);
    if (error == std::errc() && stop == end && std::isfinite(value)) return value;
    const auto meant = model::meant_number(c->text);
    if (meant && std::count(c->text.begin(), c->text.end(), ',') == 1 && meant->certain) {
      failed_ = true;
      model::Finding& finding = report(c->place,
                                       fmt::format("row {}: {} '{}' has a decimal comma",
                                                   row_number_, column, c->text.substr(0, 40)),
                                       "");
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
                             row_number_, column, c->text.substr(0, 40)),
                 fmt::format("write {} or {}, whichever is meant", meant->text, whole));
      add_fix(finding, model::write_instead(c->place, meant->text, false));
      add_fix(finding, model::write_instead(c->place, whole, false));
      return std::nullopt;
    }
    bad(*c, column, "a number with a decimal point, e.g. 0.1", meant);
    return std::nullopt;
  }

  std::optional<std::int64_t> whole(std::string_view column, std::int64_t most) {
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

  const Cell* needed(std::string_view column) {
    const Cell* c = cell(column);
    if (c != nullptr) return c;
    failed_ = true;
    report(row_->front().place, fmt::format("row {}: `{}` is empty", row_number_, column),
           "point, area, address and type are needed in every row");
    return nullptr;
  }

  std::optional<Point> read_point() {
    failed_ = false;
    Point point;
    point.place = row_->front().place;
    read_name(point);
    read_area_and_type(point);
    read_address_cell(point);
    read_bit(point);
    if (const Cell* c = cell("word_order")) {
      point.word_order = model::word_order_from(c->text);
      if (!point.word_order) {
        bad(*c, "word_order", "ABCD, CDAB, BADC or DCBA", model::meant_word_order(c->text));
      }
    }
    point.factor = number("factor").value_or(1);
    point.offset = number("offset").value_or(0);
    point.decimals = whole("decimals", 9);
    point.min = number("min");
    point.max = number("max");
    if (const Cell* c = cell("unit")) point.unit = c->text;
    if (const Cell* c = cell("note")) point.note = c->text;
    read_access(point);
    using model::PointCell;
    for (const auto& [which, column] :
         {std::pair{PointCell::address, "address"}, std::pair{PointCell::type, "type"},
          std::pair{PointCell::bit, "bit"}, std::pair{PointCell::word_order, "word_order"},
          std::pair{PointCell::factor, "factor"}, std::pair{PointCell::offset, "offset"},
          std::pair{PointCell::min, "min"}, std::pair{PointCell::max, "max"}}) {
      spot(point, which, column);
    }
    for (std::size_t i : extra_columns_) {
      point.extra.push_back(i < row_->size() ? (*row_)[i].text : std::string());
    }
    if (failed_) return std::nullopt;
    return point;
  }

  void read_name(Point& point) {
    const Cell* c = needed("point");
    if (c == nullptr) return;
    point.name = c->text;
    left_out_.name = c->text;
    if (!model::is_point_name(c->text)) {
      bad(*c, "point", "a name that begins with a letter");
      return;
    }
    const auto [at, is_new] = rows_of_names_.emplace(c->text, row_number_);
    if (is_new) return;
    failed_ = true;
    report(c->place,
           fmt::format("row {}: point '{}' is already in row {}", row_number_, c->text, at->second),
           "give one of them another name", RuleCode::P04);
  }

  void read_area_and_type(Point& point) {
    if (const Cell* c = needed("area")) {
      const auto area = model::area_from(c->text);
      if (area) {
        point.address.area = *area;
        left_out_.area = *area;
      } else {
        bad(*c, "area",
            "co, di, ir or hr (or coil, discrete input, input register, holding register)",
            model::meant_area(c->text));
      }
    }
    const Cell* c = needed("type");
    if (c == nullptr) return;
    const auto type = model::data_type_from(c->text);
    if (!type) {
      bad(*c, "type",
          "bool u16 i16 u32 i32 u64 i64 f32 f64 bcd16 bcd32 text(N) with N to 250, or bits",
          model::meant_type(c->text));
      return;
    }
    point.type = *type;
    if (!failed_ && is_bit_area(point.address.area) && type->kind != model::TypeKind::boolean) {
      bad(*c, "type", fmt::format("bool: {} holds one bit", with_article(point.address.area)));
    }
  }

  void read_address_cell(Point& point) {
    const Cell* c = needed("address");
    if (c == nullptr) return;
    const auto reading = model::read_address({c->text, true}, numbering_);
    if (reading && reading->offset >= 0 && reading->offset < model::addresses_per_area) {
      // of a type that is not known: as long as a value can be
      const auto first = static_cast<std::uint32_t>(reading->offset);
      constexpr std::uint32_t longest_value = 125;
      left_out_.extent =
          model::Extent{first, first + (failed_ ? longest_value : model::registers_of(point.type))};
    }
    if (failed_) return;
    if (!reading) {
      failed_ = true;
      const auto meant = model::meant_address(c->text);
      model::Finding& finding =
          report(c->place, fmt::format("row {}: {}", row_number_, reading.error().message),
                 meant ? std::string() : reading.error().remedy);
      if (meant) add_fix(finding, model::write_instead(c->place, meant->text, meant->certain));
      return;
    }
    if (reading->area && *reading->area != point.address.area) {
      failed_ = true;
      report(c->place,
             fmt::format("row {}: address '{}' is {}, the area column says {}", row_number_,
                         c->text, with_article(*reading->area), long_name(point.address.area)),
             fmt::format("correct one of the two; references of {}s begin with {}",
                         long_name(point.address.area), reference_digit(point.address.area)));
      return;
    }
    const std::int64_t length = is_bit_area(point.address.area) ? 1 : registers_of(point.type);
    if (reading->offset + length > model::addresses_per_area) {
      bad(*c, "address", "an address whose value ends at 65535 or before");
      return;
    }
    point.address.offset.value = static_cast<std::uint16_t>(reading->offset);
    point.bit = reading->bit;
  }

  void read_bit(Point& point) {
    const Cell* c = cell("bit");
    if (const auto bit = whole("bit", 65535)) point.bit = static_cast<std::uint32_t>(*bit);
    if (!point.bit) return;
    const Cell& at = c != nullptr ? *c : row_->front();
    if (*point.bit > 15) {
      failed_ = true;
      report(at.place,
             fmt::format("row {}: bit {} does not exist: a register has bits 0 to 15", row_number_,
                         *point.bit),
             "count bits from 0, the least significant one", RuleCode::D03);
    } else if (point.type.kind != model::TypeKind::boolean || is_bit_area(point.address.area)) {
      bad(at, "bit", "it only for a bool in a register");
    }
  }

  void read_access(Point& point) {
    const bool read_only_area =
        point.address.area == Area::discrete_input || point.address.area == Area::input_register;
    point.access = read_only_area ? model::Access::read : model::Access::read_write;
    const Cell* c = cell("access");
    if (c == nullptr) return;
    if (model::equal_in_any_case(c->text, "r")) {
      point.access = model::Access::read;
    } else if (model::equal_in_any_case(c->text, "w") && !read_only_area) {
      point.access = model::Access::write;
    } else if (model::equal_in_any_case(c->text, "rw") && !read_only_area) {
      point.access = model::Access::read_write;
    } else {
      const auto meant = model::meant_access(c->text);
      const bool fits = meant && (!read_only_area || meant->text == "r");
      bad(*c, "access", read_only_area ? "r: this area can only be read" : "r, w or rw",
          fits ? meant : std::nullopt);
    }
  }

  std::string name_;
  model::Numbering numbering_;
  model::Subject subject_;
  Findings& findings_;
  std::map<std::string, std::size_t> column_of_;
  std::vector<std::size_t> extra_columns_;
  std::unordered_map<std::string, std::size_t> rows_of_names_;
  const std::vector<Cell>* row_ = nullptr;
  std::size_t row_number_ = 0;
  bool failed_ = false;
  model::LeftOutRow left_out_;  // what is known of the row under way
  model::UnreadOfMap unread_;
};

}  // namespace

model::RegisterMap read_map(const std::string& text, const std::string& name, std::uint32_t file,
                            model::Numbering numbering, const model::Subject& subject,
                            Findings& findings) {
  MapReader reader(name, numbering, subject, findings);
  const auto table = read_csv(text, file);
  if (!table) {
    reader.report(table.error().place, table.error().message, table.error().remedy);
    return {name, {}, {}, {{}, {}, true}};
  }
  return reader.read(*table);
}

}  // namespace greymet::files
