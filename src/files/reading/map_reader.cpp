#include "files/map_reader.h"

#include <algorithm>
#include <charconv>
#include <unordered_map>

#include <fmt/format.h>

#include "files/map_columns.h"
#include "files/table_rows.h"
#include "model/ascii_text.h"
#include "model/text_slips.h"
#include "model/usual_function.h"

namespace greymet::files {

using model::Area;
using model::Findings;
using model::Point;
using model::RuleCode;

namespace {

// "3.600": one sign with three digits behind it, and one to three before it that are not 0.
bool like_thousands(std::string_view text) {
  if (text.starts_with('-')) text.remove_prefix(1);
  const std::size_t point = text.find('.');
  return point != std::string_view::npos && point >= 1 && point <= 3 && text.front() != '0' &&
         text.size() == point + 4 && model::all_digits(text.substr(0, point)) &&
         model::all_digits(text.substr(point + 1));
}

// Reads one map; collects findings as it goes.
class MapReader {
 public:
  MapReader(std::string name, model::Numbering numbering, const model::Subject& subject,
            Findings& findings)
      : name_(std::move(name)),
        numbering_(numbering),
        in_(internal::map_columns(), subject, findings) {}

  model::RegisterMap read(const CsvTable& table) {
    if (!in_.begin(table)) return {name_, {}, {}, {{}, {}, true}};
    std::vector<Point> points;
    for (const std::vector<Cell>& row : table.rows) {
      left_out_ = {};
      auto point = in_.next(row) ? read_point() : std::nullopt;
      if (point) {
        points.push_back(std::move(*point));
      } else {
        unread_.rows.push_back(left_out_);
      }
    }
    if (table.rows.empty()) {
      in_.report(table.header.front().place, "has a header row and no points yet",
                 "add a row for each register")
          .severity = model::Severity::warning;
    }
    unread_.columns = in_.misread_columns();
    return {name_, std::move(points), in_.extra_columns(), unread_};
  }

  void refuse(const CsvError& error) { in_.report(error.place, error.message, error.remedy); }

 private:
  // Remembers where the cell stands.
  void spot(Point& point, model::PointCell which, std::string_view column) const {
    const Cell* c = in_.cell(column);
    constexpr std::uint32_t most = 65535;
    if (c == nullptr || c->place.line != in_.first_cell().place.line ||
        c->place.end_line != c->place.line || c->place.end_column > most) {
      return;
    }
    point.cells[static_cast<std::size_t>(which)] = {static_cast<std::uint16_t>(c->place.column),
                                                    static_cast<std::uint16_t>(c->place.end_column),
                                                    like_thousands(c->text)};
  }

  std::optional<Point> read_point() {
    Point point;
    point.place = in_.first_cell().place;
    read_name(point);
    read_area_and_type(point);
    read_address_cell(point);
    read_bit(point);
    if (const Cell* c = in_.cell("word_order")) {
      point.word_order = model::word_order_from(c->text);
      if (!point.word_order) {
        in_.bad(*c, "word_order", "ABCD, CDAB, BADC or DCBA", model::meant_word_order(c->text));
      }
    }
    point.factor = in_.number("factor").value_or(1);
    point.offset = in_.number("offset").value_or(0);
    point.decimals = in_.whole("decimals", 9);
    point.min = in_.number("min");
    point.max = in_.number("max");
    point.unit = in_.text("unit");
    point.note = in_.text("note");
    read_access(point);
    read_wears(point);
    read_functions(point);
    read_names(point);
    using model::PointCell;
    for (const auto& [which, column] :
         {std::pair{PointCell::address, "address"}, std::pair{PointCell::type, "type"},
          std::pair{PointCell::bit, "bit"}, std::pair{PointCell::word_order, "word_order"},
          std::pair{PointCell::factor, "factor"}, std::pair{PointCell::offset, "offset"},
          std::pair{PointCell::min, "min"}, std::pair{PointCell::max, "max"}}) {
      spot(point, which, column);
    }
    point.extra = in_.extra_cells();
    if (in_.failed()) return std::nullopt;
    return point;
  }

  void read_name(Point& point) {
    const Cell* c = in_.needed("point");
    if (c == nullptr) return;
    point.name = c->text;
    left_out_.name = c->text;
    if (!model::is_point_name(c->text)) {
      in_.bad(*c, "point", "a name that begins with a letter");
      return;
    }
    const auto [at, is_new] = rows_of_names_.emplace(c->text, in_.number_of_row());
    if (is_new) return;
    in_.fail();
    in_.report(c->place,
               fmt::format("row {}: point '{}' is already in row {}", in_.number_of_row(), c->text,
                           at->second),
               "give one of them another name", RuleCode::P04);
  }

  void read_area_and_type(Point& point) {
    if (const Cell* c = in_.needed("area")) {
      const auto area = model::area_from(c->text);
      if (area) {
        point.address.area = *area;
        left_out_.area = *area;
      } else {
        in_.bad(*c, "area",
                "co, di, ir or hr (or coil, discrete input, input register, holding register)",
                model::meant_area(c->text));
      }
    }
    const Cell* c = in_.needed("type");
    if (c == nullptr) return;
    const auto type = model::data_type_from(c->text);
    if (!type) {
      in_.bad(*c, "type",
              "bool u16 i16 u32 i32 u64 i64 f32 f64 bcd16 bcd32 text(N) with N to 250, or bits",
              model::meant_type(c->text));
      return;
    }
    point.type = *type;
    if (!in_.failed() && is_bit_area(point.address.area) &&
        type->kind != model::TypeKind::boolean) {
      in_.bad(*c, "type", fmt::format("bool: {} holds one bit", with_article(point.address.area)));
    }
  }

  // As the file writes it; where it names the area and counts from 0, as the slave counts.
  [[nodiscard]] model::AddressLook look_of(const model::AddressReading& reading) const {
    constexpr std::int64_t least_of_six_digits = 100'000;
    if (reading.hex) return model::AddressLook::hexadecimal;
    const bool is_reference =
        reading.notation == model::Notation::reference ||
        (reading.notation == model::Notation::plain && numbering_ == model::Numbering::reference);
    if (!is_reference) return model::AddressLook::decimal;
    return reading.written >= least_of_six_digits || reading.area == model::Area::coil
               ? model::AddressLook::reference6
               : model::AddressLook::reference5;
  }

  void read_address_cell(Point& point) {
    const Cell* c = in_.needed("address");
    if (c == nullptr) return;
    const auto reading = model::read_address({c->text, true}, numbering_);
    if (reading && reading->offset >= 0 && reading->offset < model::addresses_per_area) {
      // of a type that is not known: as long as a value can be
      const auto first = static_cast<std::uint32_t>(reading->offset);
      constexpr std::uint32_t longest_value = 125;
      left_out_.extent = model::Extent{
          first, first + (in_.failed() ? longest_value : model::registers_of(point.type))};
    }
    if (in_.failed()) return;
    if (reading) point.look = look_of(*reading);
    if (!reading) {
      in_.fail();
      const auto meant = model::meant_address(c->text);
      model::Finding& finding = in_.report(
          c->place, fmt::format("row {}: {}", in_.number_of_row(), reading.error().message),
          meant ? std::string() : reading.error().remedy);
      if (meant) {
        add_fix(finding, model::write_instead(c->place, meant->text, meant->certain));
      } else {
        // all of a map are counted in one way
        finding.about = fmt::format("addresses of {}", to_text(finding.subject));
      }
      return;
    }
    if (reading->area && *reading->area != point.address.area) {
      in_.fail();
      in_.report(
          c->place,
          fmt::format("row {}: address '{}' is {}, the area column says {}", in_.number_of_row(),
                      c->text, with_article(*reading->area), long_name(point.address.area)),
          fmt::format("correct one of the two; references of {}s begin with {}",
                      long_name(point.address.area), reference_digit(point.address.area)));
      return;
    }
    const std::int64_t length = is_bit_area(point.address.area) ? 1 : registers_of(point.type);
    if (reading->offset + length > model::addresses_per_area) {
      in_.bad(*c, "address", "an address whose value ends at 65535 or before");
      return;
    }
    point.address.offset.value = static_cast<std::uint16_t>(reading->offset);
    point.bit = reading->bit;
  }

  void read_bit(Point& point) {
    const Cell* c = in_.cell("bit");
    if (const auto bit = in_.whole("bit", 65535)) point.bit = static_cast<std::uint32_t>(*bit);
    if (!point.bit) return;
    const Cell& at = c != nullptr ? *c : in_.first_cell();
    if (*point.bit > 15) {
      in_.fail();
      in_.report(at.place,
                 fmt::format("row {}: bit {} does not exist: a register has bits 0 to 15",
                             in_.number_of_row(), *point.bit),
                 "count bits from 0, the least significant one", RuleCode::D03);
    } else if (point.type.kind != model::TypeKind::boolean || is_bit_area(point.address.area)) {
      in_.bad(at, "bit", "it only for a bool in a register");
    }
  }

  void read_access(Point& point) {
    const bool read_only_area =
        point.address.area == Area::discrete_input || point.address.area == Area::input_register;
    point.access = read_only_area ? model::Access::read : model::Access::read_write;
    const Cell* c = in_.cell("access");
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
      in_.bad(*c, "access", read_only_area ? "r: this area can only be read" : "r, w or rw",
              fits ? meant : std::nullopt);
    }
  }

  void read_wears(Point& point) {
    const Cell* c = in_.cell("wears");
    if (c == nullptr) return;
    if (model::equal_in_any_case(c->text, "yes")) {
      point.wears = true;
    } else if (!model::equal_in_any_case(c->text, "no")) {
      in_.bad(*c, "wears", "yes or no");
    }
  }

  // The functions that a device takes for a point, where it does not take all of its area.
  void read_functions(Point& point) {
    if (in_.failed()) return;
    const Area area = point.address.area;
    if (const Cell* c = in_.cell("read_fc")) {
      const std::int64_t reads = model::number_of(model::reading_function(area));
      const auto listed = numbers_in(c->text);
      if (!listed || std::any_of(listed->begin(), listed->end(), [&](std::int64_t f) {
            return f != reads && !(f == 23 && area == Area::holding_register);
          })) {
        in_.bad(*c, "read_fc", fmt::format("{}: it reads {}s", reads, long_name(area)));
      }
    }
    const Cell* c = in_.cell("write_fc");
    if (c == nullptr) return;
    const bool coil = area == Area::coil;
    if (!coil && area != Area::holding_register) {
      in_.bad(*c, "write_fc", "nothing: this area can only be read");
      return;
    }
    const auto listed = numbers_in(c->text);
    const auto writes = [&](std::int64_t f) {
      return coil ? f == 5 || f == 15 : f == 6 || f == 16 || f == 22 || f == 23;
    };
    if (!listed || !std::all_of(listed->begin(), listed->end(), writes)) {
      in_.bad(*c, "write_fc", coil ? "5 or 15, or both" : "6, 16, 22 or 23, or several of them");
      return;
    }
    point.write_functions = *listed;
  }

  // "6", "6, 16"; nothing where something else stands among them.
  static std::optional<std::vector<std::int64_t>> numbers_in(std::string_view text) {
    std::vector<std::int64_t> out;
    for (std::size_t at = 0; at < text.size();) {
      const std::size_t end = std::min(text.find_first_of(" ,;/", at), text.size());
      if (end > at) {
        std::int64_t number = 0;
        const auto read = std::from_chars(text.data() + at, text.data() + end, number);
        if (read.ec != std::errc() || read.ptr != text.data() + end) return std::nullopt;
        out.push_back(number);
      }
      at = end + 1;
    }
    if (out.empty()) return std::nullopt;
    return out;
  }

  void read_names(Point& point) {
    using model::TypeKind;
    const Cell* c = in_.cell("names");
    if (c == nullptr || in_.failed()) return;
    const TypeKind kind = point.type.kind;
    if (kind == TypeKind::text || kind == TypeKind::f32 || kind == TypeKind::f64) {
      in_.bad(*c, "names",
              fmt::format("none for {}: whole numbers and bits have them", to_text(point.type)));
      return;
    }
    const bool of_bits = kind == TypeKind::bits;
    auto names = model::value_names_from(c->text);
    if (names && (of_bits || kind == TypeKind::boolean)) {
      const std::int64_t last = of_bits ? 15 : 1;
      for (const model::ValueName& n : *names) {
        if (n.raw >= 0 && n.raw <= last) continue;
        names = tl::unexpected(fmt::format("{} is no {} of {}", n.raw, of_bits ? "bit" : "value",
                                           to_text(point.type)));
        break;
      }
    }
    if (!names) {
      in_.bad(*c, "names", "0=off; 1=on, each number once (" + names.error() + ")");
      return;
    }
    point.names = std::move(*names);
  }

  std::string name_;
  model::Numbering numbering_;
  internal::RowReader in_;
  std::unordered_map<std::string, std::size_t> rows_of_names_;
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
    reader.refuse(table.error());
    return {name, {}, {}, {{}, {}, true}};
  }
  return reader.read(*table);
}

}  // namespace greymet::files
