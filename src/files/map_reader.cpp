#include "files/map_reader.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <map>
#include <unordered_map>

#include <fmt/format.h>

#include "model/nearest_name.h"

namespace greymet::files {

using model::Area;
using model::Findings;
using model::Point;
using model::RuleCode;
using model::Severity;

namespace {

constexpr std::array<std::string_view, 14> columns{
    "point",  "area",     "address", "type", "bit", "word_order", "factor",
    "offset", "decimals", "unit",    "min",  "max", "access",     "note"};
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
    if (!read_header(table, extra)) return {name_, {}, {}};
    std::vector<Point> points;
    for (std::size_t i = 0; i < table.rows.size(); ++i) {
      row_ = &table.rows[i];
      row_number_ = i + 1;
      if (!row_fits(table)) continue;
      if (auto point = read_point()) points.push_back(std::move(*point));
    }
    if (table.rows.empty())
      report(table.header.front().place, "has a header row and no points",
             "add a row for each register");
    return {name_, std::move(points), std::move(extra)};
  }

  void report(model::Range place, std::string message, std::string remedy,
              RuleCode rule = RuleCode::P07) {
    findings_.push_back({.rule = rule,
                         .severity = Severity::error,
                         .place = place,
                         .subject = subject_,
                         .message = std::move(message),
                         .remedy = std::move(remedy)});
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
    for (std::string_view needed : needed_columns) {
      if (column_of_.contains(std::string(needed))) continue;
      const std::vector<std::string_view> there(extra.begin(), extra.end());
      const auto nearest = model::nearest_name(needed, there);
      report(table.header.front().place,
             fmt::format("column '{}' is missing{}", needed,
                         nearest ? fmt::format("; is it the one called '{}'?", *nearest) : ""),
             "a map has a header row with at least point, area, address and type");
      ok = false;
    }
    return ok;
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

  std::optional<double> number(std::string_view column) {
    const Cell* c = cell(column);
    if (c == nullptr) return std::nullopt;
    double value = 0;
    const char* end = c->text.data() + c->text.size();
    const auto [stop, error] = std::from_chars(c->text.data(), end, value);
    if (error == std::errc() && stop == end && std::isfinite(value)) return value;
    if (std::count(c->text.begin(), c->text.end(), ',') == 1) {
      failed_ = true;
      std::string pointed = c->text;
      std::replace(pointed.begin(), pointed.end(), ',', '.');
      report(c->place,
             fmt::format("row {}: {} '{}' has a decimal comma", row_number_, column,
                         c->text.substr(0, 40)),
             fmt::format("write {}", pointed.substr(0, 40)));
      return std::nullopt;
    }
    bad(*c, column, "a number with a decimal point, e.g. 0.1");
    return std::nullopt;
  }

  std::optional<std::int64_t> whole(std::string_view column, std::int64_t most) {
    const Cell* c = cell(column);
    if (c == nullptr) return std::nullopt;
    std::int64_t value = 0;
    const char* end = c->text.data() + c->text.size();
    const auto [stop, error] = std::from_chars(c->text.data(), end, value);
    if (error == std::errc() && stop == end && value >= 0 && value <= most) return value;
    bad(*c, column, fmt::format("a whole number from 0 to {}", most));
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
      if (!point.word_order) bad(*c, "word_order", "ABCD, CDAB, BADC or DCBA");
    }
    point.factor = number("factor").value_or(1);
    point.offset = number("offset").value_or(0);
    point.decimals = whole("decimals", 9);
    point.min = number("min");
    point.max = number("max");
    if (const Cell* c = cell("unit")) point.unit = c->text;
    if (const Cell* c = cell("note")) point.note = c->text;
    read_access(point);
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
      } else {
        bad(*c, "area",
            "co, di, ir or hr (or coil, discrete input, input register, holding register)");
      }
    }
    const Cell* c = needed("type");
    if (c == nullptr) return;
    const auto type = model::data_type_from(c->text);
    if (!type) {
      bad(*c, "type",
          "bool u16 i16 u32 i32 u64 i64 f32 f64 bcd16 bcd32 text(N) with N to 250, or bits");
      return;
    }
    point.type = *type;
    if (!failed_ && is_bit_area(point.address.area) && type->kind != model::TypeKind::boolean) {
      bad(*c, "type", fmt::format("bool: {} holds one bit", with_article(point.address.area)));
    }
  }

  void read_address_cell(Point& point) {
    const Cell* c = needed("address");
    if (c == nullptr || failed_) return;
    const auto reading = model::read_address({c->text, true}, numbering_);
    if (!reading) {
      failed_ = true;
      report(c->place, fmt::format("row {}: {}", row_number_, reading.error().message),
             reading.error().remedy);
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
    if (c->text == "r") {
      point.access = model::Access::read;
    } else if (c->text == "w" && !read_only_area) {
      point.access = model::Access::write;
    } else if (c->text == "rw" && !read_only_area) {
      point.access = model::Access::read_write;
    } else {
      bad(*c, "access", read_only_area ? "r: this area can only be read" : "r, w or rw");
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
};

}  // namespace

model::RegisterMap read_map(const std::string& text, const std::string& name, std::uint32_t file,
                            model::Numbering numbering, const model::Subject& subject,
                            Findings& findings) {
  MapReader reader(name, numbering, subject, findings);
  const auto table = read_csv(text, file);
  if (!table) {
    reader.report(table.error().place, table.error().message, table.error().remedy);
    return {name, {}, {}};
  }
  return reader.read(*table);
}

}  // namespace greymet::files
