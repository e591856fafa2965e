#include "table_import.h"

#include <algorithm>
#include <cmath>
#include <set>

#include <fmt/format.h>

#include "draft_rows.h"
#include "files/csv_text.h"
#include "files/map_columns.h"
#include "model/ascii_text.h"
#include "model/identifier.h"
#include "model/text_slips.h"

namespace greymet::files::internal {

namespace {

using model::Area;
using model::DataType;
using model::TypeKind;

constexpr std::size_t most_samples = 6;

std::string joined(const std::vector<std::string>& texts, std::string_view between = ", ") {
  return fmt::format("{}", fmt::join(texts, between));
}

// A row that has become a point, cells as a map has them.
struct WrittenRow {
  std::map<std::string_view, std::string> cells;
  std::size_t row = 0;
};

class TableImporter {
 public:
  TableImporter(const Grid& grid, const HeadingRows& heading, const Readings& readings)
      : grid_(grid), columns_(grid, heading), readings_(readings), heading_(heading) {}

  tl::expected<ImportedMap, FileError> import() {
    if (columns_.addresses().empty()) return tl::unexpected(no_address());
    table_ = draft_rows(grid_, columns_);
    if (table_.rows.empty()) return tl::unexpected(FileError{"has no row below its headings"});
    say_above();
    for (const std::string& note : columns_.notes()) out_.notes.push_back(note);
    settle_lengths();
    settle_base();
    settle_numbering();
    settle_scale();
    for (DraftRow& row : table_.rows) add(row);
    ask_about_area_and_type();
    say_the_rest();
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

  void ask(std::string about, std::string text, std::vector<std::string> samples) {
    if (samples.size() > most_samples) {
      const std::size_t more = samples.size() - most_samples;
      samples.resize(most_samples);
      samples.push_back(fmt::format("and {} more", more));
    }
    out_.questions.push_back({std::move(about), std::move(text), std::move(samples)});
  }

  [[nodiscard]] std::optional<std::string> answer(std::string_view about) const {
    const auto at = readings_.find(about);
    return at == readings_.end() ? std::nullopt : std::optional(at->second);
  }

  static void refuse(DraftRow& row, std::string why) {
    if (row.trouble.empty()) row.trouble = std::move(why);
  }

  // ---------------------------------------------------------------- types

  [[nodiscard]] static std::optional<DataType> plain_type(const DraftRow& row) {
    if (row.bit) return DataType{TypeKind::boolean, 0};
    if (row.type && row.type->type) return row.type->type;
    if (row.type && row.length) return type_of_length(*row.type, *row.length);
    if (row.type && row.address && row.address->last) return of_range(row);
    return std::nullopt;
  }

  [[nodiscard]] static std::optional<std::uint32_t> registers_of_range(const DraftRow& row) {
    if (!row.address || !row.address->last) return std::nullopt;
    // the same in both bases where it is short; hexadecimal ones are asked for by their letters
    const bool hexadecimal = row.address->first.letters || row.address->last->letters;
    const auto first = row.address->first.value(hexadecimal);
    const auto last = row.address->last->value(hexadecimal);
    if (!first || !last || *last < *first || *last - *first >= 250) return std::nullopt;
    return static_cast<std::uint32_t>(*last - *first + 1);
  }

  [[nodiscard]] static std::optional<DataType> of_range(const DraftRow& row) {
    const auto registers = registers_of_range(row);
    if (!registers || !row.type) return std::nullopt;
    return type_of_length(*row.type, {*registers, Counted::registers});
  }

  // Lengths that nothing says: told by where the next value stands, or by a person.
  void settle_lengths() {
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < table_.rows.size(); ++i) {
      const DraftRow& row = table_.rows[i];
      if (row.trouble.empty() && row.type && !plain_type(row)) open.push_back(i);
    }
    std::set<std::string> asked;
    for (const std::size_t i : open) {
      DraftRow& row = table_.rows[i];
      const TypeCell::Family family = row.type->family;
      using Family = TypeCell::Family;
      const bool whole = family == Family::whole || family == Family::whole_signed ||
                         family == Family::whole_unsigned;
      const auto registers = row.length ? registers_said(*row.length, row) : std::nullopt;
      if (row.length && !registers) {
        length_question(row);
        continue;
      }
      if (!whole) {
        if (registers) row.type->type = type_of_length(*row.type, {*registers, Counted::registers});
        if (!row.type->type && family == Family::text) {
          refuse(row, fmt::format("type '{}' does not say how long the text is",
                                  model::quoted_start(row.type_text)));
        } else if (!row.type->type) {
          refuse(row, fmt::format("type '{}' and its length do not fit",
                                  model::quoted_start(row.type_text)));
        }
        continue;
      }
      const bool no_sign = family == Family::whole;
      std::uint32_t count = registers.value_or(0);
      if (count == 0) {
        count = room_of(row.type_text);
        if (count == 0) continue;  // asked
      }
      const bool is_signed = family == Family::whole_signed || has_negative(row);
      TypeCell cell{{}, is_signed ? Family::whole_signed : Family::whole_unsigned, false, {}, {}};
      row.type->type = type_of_length(cell, {count, Counted::registers});
      if (!row.type->type) refuse(row, fmt::format("no whole number takes {} registers", count));
      if (no_sign && !is_signed) unsigned_.insert(row.type_text);
    }
  }

  [[nodiscard]] bool has_negative(const DraftRow& row) const {
    for (const Column column : {Column::min, Column::range}) {
      const std::string text = columns_.cell(row.row, column);
      if (text.starts_with('-') || text.starts_with("\xE2\x88\x92")) return true;
    }
    return false;
  }

  // Nothing where 2 may be registers or bytes.
  [[nodiscard]] std::optional<std::uint32_t> registers_said(const Length& length,
                                                            const DraftRow& row) const {
    switch (length.counted) {
      case Counted::registers: return length.number;
      case Counted::bytes:
        return length.number % 2 == 0 ? std::optional(length.number / 2) : std::nullopt;
      case Counted::bits:
        return length.number % 16 == 0 ? std::optional(length.number / 16) : std::nullopt;
      case Counted::unsaid: break;
    }
    if (length.number >= 16 && length.number % 16 == 0) return length.number / 16;
    if (length.number == 1) return 1;
    if (const auto said = answer("length")) {
      if (*said == "bytes" && length.number % 2 == 0) return length.number / 2;
      if (*said == "registers") return length.number;
    }
    // a length of 1 elsewhere: no value is a byte long
    for (const DraftRow& other : table_.rows) {
      if (other.length && other.length->number == 1) return length.number;
    }
    (void)row;
    return std::nullopt;
  }

  void length_question(DraftRow& row) {
    if (answer("length")) {
      refuse(row, "its length is no number of registers");
      return;
    }
    length_samples_.push_back(fmt::format("line {}: {}  length {}", row.line,
                                          model::quoted_start(row.name), row.length->number));
  }

  // Registers of a whole number whose length nobody says; 0 where it is asked.
  std::uint32_t room_of(const std::string& text) {
    if (const auto at = rooms_.find(text); at != rooms_.end()) return at->second;
    if (const auto said = answer("int")) return rooms_[text] = *said == "32" ? 2 : 1;
    std::uint32_t least = 0;
    std::size_t pairs = 0;
    const DraftRow* before = nullptr;
    for (const DraftRow& row : table_.rows) {
      if (before != nullptr && before->type_text == text && row.address && before->address) {
        const bool hex = row.address->first.letters || before->address->first.letters;
        const auto a = before->address->first.value(hex);
        const auto b = row.address->first.value(hex);
        if (a && b && *b > *a) {
          const auto room = static_cast<std::uint32_t>(*b - *a);
          least = least == 0 ? room : std::min(least, room);
          ++pairs;
        }
      }
      before = &row;
    }
    if (least == 1) return rooms_[text] = 1;
    constexpr std::size_t several = 2;
    if (least >= 2 && pairs >= several) {
      ask("int",
          fmt::format(
              "'{}' may be a number of 16 or of 32 bits: the next value stands {} registers on",
              model::quoted_start(text), least),
          {});
      return rooms_[text] = 0;
    }
    out_.assumed.push_back(
        {"", fmt::format("'{}' is taken for a number of 16 bits", model::quoted_start(text))});
    return rooms_[text] = 1;
  }

  // ---------------------------------------------------------------- addresses

  [[nodiscard]] std::vector<ColumnCell> column_of(bool other) const {
    std::vector<ColumnCell> out;
    for (const DraftRow& row : table_.rows) {
      const auto& cell = other ? row.other_address : row.address;
      if (!cell || cell->is_offset || cell->area) continue;
      const auto type = plain_type(row);
      std::optional<std::uint32_t> length;
      if (type) length = registers_of(*type);
      out.push_back({*cell, length});
    }
    return out;
  }

  void settle_base() {
    const Heading& heading = columns_.heading_of(Column::address);
    const auto column = column_of(false);
    const auto said = answer("addresses");
    if (said) {
      hexadecimal_ = *said == "hex";
    } else if (heading.hexadecimal) {
      hexadecimal_ = *heading.hexadecimal;
      if (!hexadecimal_ && base_of(column) == Base::hexadecimal) {
        ask("addresses",
            fmt::format("the heading '{}' says decimal, the cells show hexadecimal numbers",
                        columns_.texts()[columns_.addresses()[0]]),
            samples_of_base());
      }
    } else {
      switch (base_of(column)) {
        case Base::decimal: break;
        case Base::hexadecimal: hexadecimal_ = true; break;
        case Base::doubtful: settle_by_other(column); break;
      }
    }
    if (!hexadecimal_) return;
    std::size_t count = 0;
    std::string first;
    const auto differs = [](const std::string& digits) {
      const WrittenNumber number{digits, false, false};
      return number.value(true) != number.value(false);
    };
    for (const ColumnCell& each : column) {
      if (each.cell.first.marked) continue;
      ++count;
      // one that is another number then
      if (first.empty() || !differs(first)) first = each.cell.first.digits;
    }
    if (count > 0)
      out_.notes.push_back(fmt::format("{} addresses are read as hexadecimal: {} is {}", count,
                                       first,
                                       WrittenNumber{first, false, false}.value(true).value_or(0)));
  }

  // A second column of addresses says what the first one is.
  void settle_by_other(const std::vector<ColumnCell>& column) {
    const auto differences = [&](bool hexadecimal) {
      std::set<std::int64_t> out;
      for (const DraftRow& row : table_.rows) {
        if (!row.address || !row.other_address) continue;
        const auto a = row.address->first.value(hexadecimal);
        const auto b = row.other_address->first.value(
            row.other_address->first.letters ||
            columns_.heading_at(columns_.addresses()[1]).hexadecimal.value_or(false));
        if (a && b) out.insert(*a - *b);
      }
      return out.size();
    };
    (void)column;
    if (columns_.addresses().size() > 1) {
      const std::size_t as_decimal = differences(false);
      const std::size_t as_hex = differences(true);
      if (as_decimal != as_hex && std::min(as_decimal, as_hex) == 1) {
        hexadecimal_ = as_hex == 1;
        return;
      }
    }
    ask("addresses", "addresses may be decimal or hexadecimal: no letter and no gap tells",
        samples_of_base());
  }

  [[nodiscard]] std::vector<std::string> samples_of_base() const {
    std::vector<std::string> out;
    for (const DraftRow& row : table_.rows) {
      if (!row.address || row.address->area || row.address->first.marked) continue;
      const WrittenNumber& number = row.address->first;
      const auto decimal = number.value(false);
      out.push_back(fmt::format(
          "line {}: {}  {}: decimal {}, hexadecimal {}", row.line, model::quoted_start(row.name),
          number.digits, decimal ? std::to_string(*decimal) : "-", number.value(true).value_or(0)));
    }
    return out;
  }

  [[nodiscard]] std::optional<std::int64_t> number_of(const DraftRow& row) const {
    return row.address ? row.address->first.value(hexadecimal_) : std::nullopt;
  }

  // "40001": its area, where it is a reference.
  [[nodiscard]] std::optional<Area> reference_of(const DraftRow& row) const {
    if (!row.address || hexadecimal_ || row.address->is_offset || row.address->area)
      return std::nullopt;
    const auto& digits = row.address->first.digits;
    if (row.address->first.marked) return std::nullopt;
    const auto address = model::parse_reference(digits);
    return address ? std::optional(address->area) : std::nullopt;
  }

  void settle_numbering() {
    if (const auto said = answer("numbering")) {
      out_.numbering = *said;
      return;
    }
    std::size_t references = 0;
    std::size_t others = 0;
    bool zero = false;
    std::int64_t least = INT64_MAX;
    std::vector<std::string> samples;
    for (const DraftRow& row : table_.rows) {
      const auto number = number_of(row);
      if (!number || row.address->is_offset || row.address->area) continue;
      const auto area = reference_of(row);
      const auto known = area_said(row);
      const bool is_reference = area && (!known || *known == *area);
      ++(is_reference ? references : others);
      zero = zero || *number == 0;
      least = std::min(least, *number);
      samples.push_back(fmt::format("line {}: {}  {}{}", row.line, model::quoted_start(row.name),
                                    row.address->first.digits,
                                    is_reference ? ": a reference?" : ""));
    }
    if (references + others == 0) return;
    if (others == 0) {
      out_.numbering = "reference";
      out_.notes.emplace_back("addresses are references such as 40001");
      return;
    }
    if (references > 0 && references < others + references && least < 1000 && !hexadecimal_) {
      ask("numbering", "some addresses look like references such as 40001, others do not", samples);
      return;
    }
    if (settle_by_difference()) return;
    const auto from = columns_.heading_of(Column::address).counts_from;
    if (from) {
      out_.numbering = *from == 0 ? "from-0" : "from-1";
      out_.notes.push_back(fmt::format("the heading says that addresses count from {}", *from));
    } else if (zero) {
      out_.numbering = "from-0";
    } else {
      out_.assumed.push_back(
          {"numbering",
           fmt::format("addresses count from 0 (the lowest is {}): does the manual count from 1?",
                       hexadecimal_ ? fmt::format("0x{:04X}", least) : std::to_string(least))});
    }
  }

  // Two columns of addresses that differ by one everywhere: one of them counts from 0.
  bool settle_by_difference() {
    if (columns_.addresses().size() < 2) return false;
    const Heading& heading = columns_.heading_at(columns_.addresses()[1]);
    std::map<std::int64_t, std::size_t> differences;
    std::size_t all = 0;
    const bool hex = heading.hexadecimal.value_or(false) ||
                     std::any_of(table_.rows.begin(), table_.rows.end(), [](const DraftRow& r) {
                       return r.other_address && r.other_address->first.letters;
                     });
    const auto difference = [&](const DraftRow& row) -> std::optional<std::int64_t> {
      const auto a = number_of(row);
      if (!a || !row.other_address) return std::nullopt;
      const auto reference = row.other_address->first.marked || hex
                                 ? std::nullopt
                                 : model::parse_reference(row.other_address->first.digits);
      const auto b = reference && *a < 10'000
                         ? std::optional<std::int64_t>(reference->offset.value + 1)
                         : row.other_address->first.value(hex);
      return b ? std::optional(*a - *b) : std::nullopt;
    };
    for (const DraftRow& row : table_.rows) {
      if (const auto d = difference(row)) {
        ++differences[*d];
        ++all;
      }
    }
    const auto most =
        std::max_element(differences.begin(), differences.end(),
                         [](const auto& a, const auto& b) { return a.second < b.second; });
    if (most == differences.end() || std::abs(most->first) > 1 || 10 * most->second < 8 * all)
      return false;
    const std::string& other = columns_.texts()[columns_.addresses()[1]];
    for (DraftRow& row : table_.rows) {
      const auto d = difference(row);
      if (d && *d != most->first) {
        refuse(row, fmt::format("its two addresses disagree: '{}' and '{}'",
                                row.address->first.digits, row.other_address->first.digits));
      }
    }
    agreeing_ = !hex;
    if (most->first == 0) {
      out_.notes.push_back(fmt::format("'{}' says the same addresses", model::quoted_start(other)));
      return false;
    }
    out_.numbering = most->first == 1 ? "from-1" : "from-0";
    out_.notes.push_back(fmt::format("'{}' is one {} everywhere: addresses count from {}",
                                     model::quoted_start(other), most->first == 1 ? "less" : "more",
                                     most->first == 1 ? 1 : 0));
    return true;
  }

  // ---------------------------------------------------------------- areas

  [[nodiscard]] static bool of_bits(const DraftRow& row) {
    return row.type && row.type->type && row.type->type->kind == TypeKind::boolean && !row.bit;
  }

  [[nodiscard]] std::vector<int> functions_of(const DraftRow& row) const {
    std::vector<int> out;
    for (const Column column : {Column::function, Column::read_function, Column::write_function}) {
      const auto some = functions_from(columns_.cell(row.row, column));
      out.insert(out.end(), some.begin(), some.end());
    }
    return out;
  }

  // By its own cells or a title, not by a reference.
  [[nodiscard]] std::optional<Area> area_said(const DraftRow& row) const {
    const std::string text = columns_.cell(row.row, Column::area);
    if (!text.empty()) return area_cell_from(text, of_bits(row));
    if (row.address && row.address->area) return row.address->area;
    if (const auto by = area_by_functions(functions_of(row)); by.area) return by.area;
    const auto of_heading = columns_.heading_of(Column::address).area;
    return row.section ? row.section : of_heading;
  }

  // ---------------------------------------------------------------- scales

  void settle_scale() {
    if (!columns_.has(Column::scale)) return;
    const bool ours =
        columns_.heading_of(Column::scale).is_ours && columns_.heading_of(Column::point).is_ours;
    bool fraction = false;
    bool power = false;
    bool large = false;
    bool decided_by_decimals = columns_.has(Column::decimals);
    std::vector<std::string> samples;
    for (const DraftRow& row : table_.rows) {
      const auto scale = scale_cell_from(columns_.cell(row.row, Column::scale));
      if (!scale || !scale->is_plain) continue;
      const double value = std::stod(scale->factor);
      power = power || scale->is_power;
      fraction = fraction || (std::abs(value) < 1 && value != 0);
      if (std::abs(value) > 1 || scale->is_power) {
        large = true;
        samples.push_back(fmt::format("line {}: {}  {}", row.line, model::quoted_start(row.name),
                                      columns_.cell(row.row, Column::scale)));
      }
      const std::string decimals = columns_.cell(row.row, Column::decimals);
      if (std::abs(value) > 1 && !(model::all_digits(decimals) && decimals.size() == 1 &&
                                   power_of_ten(decimals[0] - '0') == scale->factor))
        decided_by_decimals = false;
    }
    const auto said = answer("scale");
    scale_ = said ? *said : "multiply";
    if (said || ours || !large) return;
    if (decided_by_decimals && !power) {
      scale_ = "divide";
      out_.notes.emplace_back("the scale divides: the decimals are as many as its zeros");
      return;
    }
    if (fraction && !power) return;
    const std::string& heading = heading_text(Column::scale);
    ask("scale",
        power
            ? fmt::format("'{}' may multiply, divide, or be a power of ten", heading)
            : fmt::format("'{}' may multiply or divide: 10 makes 215 to 2150, or to 21.5", heading),
        samples);
  }

  [[nodiscard]] std::string heading_text(Column column) const {
    for (std::size_t c = 0; c < heading_.headings.size(); ++c) {
      if (heading_.headings[c].column == column)
        return std::string(model::quoted_start(heading_.texts[c]));
    }
    return {};
  }

  // The factor of a row and what its cells say beside it; nothing and a trouble where they do not
  // make one.
  std::optional<std::string> factor_of(DraftRow& row, std::string& unit) {
    std::vector<std::pair<std::string, std::string>> said;  // factor, and who says it
    const auto add = [&](Column column, const auto& convert) {
      const std::string text = columns_.cell(row.row, column);
      if (text.empty() || text == "-" || text == "\xE2\x80\x93") return true;
      const auto scale = scale_cell_from(text);
      const auto factor = scale ? convert(*scale) : std::nullopt;
      if (!factor) {
        refuse(row, fmt::format("{} '{}' is not understood", to_string(column),
                                model::quoted_start(text)));
        return false;
      }
      if (unit.empty()) unit = scale->unit;
      said.emplace_back(*factor, text);
      return true;
    };
    using Factor = std::optional<std::string>;
    const bool good = add(Column::factor, [](const ScaleCell& s) { return Factor(s.factor); }) &&
                      add(Column::divisor,
                          [](const ScaleCell& s) {
                            return s.is_plain ? inverse_of(s.factor) : Factor(s.factor);
                          }) &&
                      add(Column::scale, [&](const ScaleCell& s) -> Factor {
                        if (!s.is_plain) return s.factor;
                        const double value = std::stod(s.factor);
                        if (scale_ == "divide") return inverse_of(s.factor);
                        if (scale_ == "power")
                          return value == std::floor(value) && std::abs(value) <= 12
                                     ? Factor(power_of_ten(static_cast<int>(value)))
                                     : std::nullopt;
                        return s.factor;
                      });
    if (!good) return std::nullopt;
    for (const auto& [factor, text] : said) {
      if (std::stod(factor) != 0) continue;
      refuse(row, fmt::format("'{}' makes every value the same", text));
      return std::nullopt;
    }
    // "0.1 °C" as a unit
    if (!unit.empty() && model::is_digit(unit[0])) {
      if (const auto scale = scale_cell_from(unit); scale && !scale->unit.empty()) {
        said.emplace_back(scale->factor, unit);
        in_units_.push_back(fmt::format("'{}' is {} x {}", unit, scale->factor, scale->unit));
        unit = scale->unit;
      }
    }
    const std::string decimals = columns_.cell(row.row, Column::decimals);
    const auto type = plain_type(row);
    const bool whole = type && type->kind != TypeKind::f32 && type->kind != TypeKind::f64 &&
                       type->kind != TypeKind::boolean && type->kind != TypeKind::text &&
                       type->kind != TypeKind::bits;
    const bool ours = columns_.heading_of(Column::decimals).is_ours && columns_.has(Column::scale);
    if (said.empty() && whole && !ours && model::all_digits(decimals) && decimals.size() == 1 &&
        decimals != "0") {
      by_decimals_ = true;
      return power_of_ten(-(decimals[0] - '0'));
    }
    for (const auto& [factor, text] : said) {
      if (factor != said.front().first) {
        refuse(row, fmt::format("'{}' and '{}' say two factors", said.front().second, text));
        return std::nullopt;
      }
    }
    return said.empty() ? std::string() : said.front().first;
  }

  // ---------------------------------------------------------------- rows

  void add(DraftRow& row) {
    std::map<std::string_view, std::string> cells;
    if (row.trouble.empty()) fill(row, cells);
    if (!row.trouble.empty()) {
      out_.left_out.push_back(fmt::format(
          "line {}: {}{}", row.line,
          row.name.empty() ? "" : fmt::format("{}: ", model::quoted_start(row.name)), row.trouble));
      return;
    }
    if (cells.empty()) return;  // asked
    const std::uint32_t copies = copies_;
    if (copies == 1) {
      finish(row, std::move(cells));
      return;
    }
    // so many values of one sort behind each other
    arrays_.push_back(fmt::format("line {}: {} values, {}_1 to {}_{}", row.line, copies,
                                  cells["point"], cells["point"], copies));
    const std::string base = cells["point"];
    const auto first = number_of(row);
    const std::uint32_t step = std::max<std::uint32_t>(1, registers_of(*plain_type(row)));
    for (std::uint32_t i = 0; i < copies; ++i) {
      auto one = cells;
      one["point"] = fmt::format("{}_{}", base, i + 1);
      one["address"] = address_text(row, *first + static_cast<std::int64_t>(i) * step);
      finish(row, std::move(one));
    }
  }

  void finish(const DraftRow& row, std::map<std::string_view, std::string> cells) {
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

  void fill(DraftRow& row, std::map<std::string_view, std::string>& cells) {
    copies_ = 1;
    std::string unit = columns_.cell(row.row, Column::unit);
    if (unit == "-" || unit == "\xE2\x80\x93") unit.clear();
    std::string name = row.name;
    if (!columns_.heading_of(Column::point).is_ours) {
      const std::string of_name = take_unit(name);
      if (unit.empty() && !of_name.empty()) {
        unit = of_name;
        from_names_.push_back(unit);
      } else if (!of_name.empty() && of_name != unit) {
        name = row.name;
      }
    }
    const auto area = area_of(row);
    if (!row.trouble.empty() || !area) return;
    const auto type = type_of(row, *area);
    if (!row.trouble.empty() || !type) return;
    const auto number = number_of(row);
    if (!number || !fits(row, *area, *number, *type)) {
      refuse(row, fmt::format("address '{}' is no register{}", row.address->first.digits,
                              out_.numbering == "reference" ? " of this area" : ""));
      return;
    }
    const auto factor = factor_of(row, unit);
    if (!factor) return;
    cells["point"] =
        name.empty()
            ? (row.note.empty() ? fmt::format("{}_{}", short_name(*area), row.address->first.digits)
                                : row.note)
            : name;
    cells["area"] = std::string(short_name(*area));
    cells["address"] = address_text(row, *number);
    cells["type"] = to_text(*type);
    if (row.bit && !is_bit_area(*area)) cells["bit"] = std::to_string(*row.bit);
    cells["factor"] = *factor == "1" ? "" : *factor;
    cells["unit"] = unit;
    cells["note"] = row.note;
    fill_offset(row, cells);
    fill_order(row, *type, cells);
    fill_range(row, *factor, *type, cells);
    fill_access(row, *area, cells);
    fill_names(row, *type, cells);
    const std::string decimals = columns_.cell(row.row, Column::decimals);
    if (model::all_digits(decimals) && decimals.size() == 1) cells["decimals"] = decimals;
    const std::string wears = columns_.cell(row.row, Column::wears);
    if (wears == "yes" || wears == "no") cells["wears"] = wears;
  }

  std::optional<Area> area_of(DraftRow& row) {
    const std::string text = columns_.cell(row.row, Column::area);
    const auto said = area_said(row);
    if (!text.empty() && !said) {
      refuse(row, fmt::format("area '{}' is not understood", model::quoted_start(text)));
      return std::nullopt;
    }
    const auto by = area_by_functions(functions_of(row));
    const auto reference = out_.numbering == "reference" ? reference_of(row) : std::nullopt;
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
    // a second column of references names it, where both columns agree
    if (agreeing_ && row.other_address && !row.other_address->first.marked) {
      if (const auto other = model::parse_reference(row.other_address->first.digits)) {
        return other->area;
      }
    }
    if (const auto answered = answer("area")) return model::area_from(*answered);
    no_area_.push_back(fmt::format("line {}: {}  {}", row.line, model::quoted_start(row.name),
                                   row.address->first.digits));
    return std::nullopt;
  }

  std::optional<DataType> type_of(DraftRow& row, Area area) {
    auto type = plain_type(row);
    const auto range = registers_of_range(row);
    if (is_bit_area(area)) {
      if (type && type->kind != TypeKind::boolean && !row.type_text.empty() &&
          registers_of(*type) > 1) {
        refuse(row, fmt::format("type '{}' does not fit {}", model::quoted_start(row.type_text),
                                with_article(area)));
        return std::nullopt;
      }
      copies_ = range.value_or(1);
      return DataType{TypeKind::boolean, 0};
    }
    if (!type && row.length && !row.type) {
      const auto registers = registers_said(*row.length, row);
      if (!registers) {
        length_question(row);
        return std::nullopt;
      }
      type = unsigned_of({*registers, Counted::registers});
      if (type) unsigned_.insert("a length alone");
    }
    if (!type && !row.type && range) {
      type = unsigned_of({*range, Counted::registers});
      if (type) unsigned_.insert("a range of registers alone");
    }
    if (!type) {
      if (row.type) return std::nullopt;  // asked, or refused
      if (const auto answered = answer("type")) {
        type = model::data_type_from(*answered);
      } else {
        no_type_.push_back(fmt::format("line {}: {}  {}", row.line, model::quoted_start(row.name),
                                       row.address->first.digits));
        return std::nullopt;
      }
    }
    if (!check_length(row, *type, range)) return std::nullopt;
    row.type = TypeCell{type, TypeCell::Family::none, false, {}, {}};
    return type;
  }

  // What the type takes against a length or a range that is said too; several values where it is a
  // multiple.
  bool check_length(DraftRow& row, DataType type, const std::optional<std::uint32_t>& range) {
    if (row.bit) return true;
    const std::uint32_t takes = registers_of(type);
    std::optional<std::uint32_t> room = range;
    if (!room && row.length) {
      const std::uint32_t n = row.length->number;
      if (row.length->counted == Counted::unsaid) {
        // in whatever it is counted
        if (n == takes || n == 2 * takes || n == 16 * takes ||
            (type.kind == TypeKind::text && n == type.characters))
          return true;
        if (type.kind == TypeKind::boolean || type.kind == TypeKind::bits) return true;
      } else if (row.length->counted == Counted::bits && n < 16) {
        return true;  // of its one register
      }
      room = registers_said(*row.length, row);
    }
    if (!room || *room == takes) return true;
    constexpr std::uint32_t most_values = 125;
    if (*room > takes && *room % takes == 0 && *room / takes <= most_values &&
        type.kind != TypeKind::text) {
      copies_ = *room / takes;
      return true;
    }
    refuse(row, fmt::format("its length is {} register{}, and {} takes {}", *room,
                            *room == 1 ? "" : "s", to_text(type), takes));
    return false;
  }

  bool fits(const DraftRow& row, Area area, std::int64_t number, DataType type) const {
    const std::int64_t takes = is_bit_area(area) ? 1 : registers_of(type);
    if (row.address->is_offset) return number + takes <= model::addresses_per_area;
    if (row.address->area) return number >= 1 && number - 1 + takes <= model::addresses_per_area;
    if (out_.numbering == "reference") {
      const auto address = model::parse_reference(row.address->first.digits);
      return address && address->area == area &&
             address->offset.value + takes <= model::addresses_per_area;
    }
    const std::int64_t first = out_.numbering == "from-1" ? 1 : 0;
    return number >= first && number - first + takes <= model::addresses_per_area;
  }

  [[nodiscard]] std::string address_text(const DraftRow& row, std::int64_t number) const {
    if (row.address->is_offset) return fmt::format("{}:{}", short_name(*row.address->area), number);
    if (row.address->area)
      return fmt::format("ref:{}{:05}", reference_digit(*row.address->area), number);
    if (hexadecimal_ || row.address->first.marked) return fmt::format("0x{:04X}", number);
    if (out_.numbering == "reference")
      return fmt::format("{:0{}}", number, row.address->first.digits.size());
    return std::to_string(number);
  }

  static std::optional<std::string> number_text(const std::string& text) {
    if (text.empty() || text == "-" || text == "\xE2\x80\x93") return std::string();
    const auto range = range_cell_from("0.." + text);
    if (range && model::is_digit(text[0])) return range->max;
    const auto scale = scale_cell_from(text);
    return scale ? std::optional(scale->factor) : std::nullopt;
  }

  void fill_offset(DraftRow& row, std::map<std::string_view, std::string>& cells) {
    const std::string text = columns_.cell(row.row, Column::offset);
    const auto number = number_text(text);
    if (!number) {
      refuse(row, fmt::format("offset '{}' is not understood", model::quoted_start(text)));
    } else if (!number->empty() && *number != "0") {
      cells["offset"] = *number;
    }
  }

  void fill_order(DraftRow& row, DataType type, std::map<std::string_view, std::string>& cells) {
    const std::string text = columns_.cell(row.row, Column::word_order);
    if (text.empty() || text == "-" || (!is_multi_register(type) && type.kind != TypeKind::text))
      return;
    if (const auto order = model::word_order_from(text)) {
      cells["word_order"] = std::string(to_string(*order));
      return;
    }
    const auto meant = model::meant_word_order(text);
    if (meant && meant->certain) {
      cells["word_order"] = meant->text;
    } else if (const auto said = answer("word_order")) {
      cells["word_order"] = *said;
    } else if (meant && meant->text == "ABCD") {
      cells["word_order"] = meant->text;
      orders_.insert(text);
    } else {
      doubtful_orders_.push_back(fmt::format(
          "line {}: {}  '{}'", row.line, model::quoted_start(row.name), model::quoted_start(text)));
    }
  }

  void fill_range(const DraftRow& row, const std::string& factor, DataType type,
                  std::map<std::string_view, std::string>& cells) {
    const bool of_numbers = type.kind != TypeKind::boolean && type.kind != TypeKind::text &&
                            type.kind != TypeKind::bits;
    for (const auto& [column, name] :
         {std::pair{Column::min, "min"}, std::pair{Column::max, "max"}}) {
      const std::string text = columns_.cell(row.row, column);
      const auto number = number_text(text);
      if (number && of_numbers) {
        if (!number->empty()) cells[name] = *number;
      } else if (!number) {
        not_taken_.push_back(
            fmt::format("line {}: {} '{}'", row.line, name, model::quoted_start(text)));
      }
    }
    const std::string text = columns_.cell(row.row, Column::range);
    if (text.empty() || text == "-") return;
    if (model::value_names_from(text)) return;  // fill_names
    const auto range = range_cell_from(text);
    const bool engineering =
        factor.empty() || factor == "1" || text.find('.') < text.size() - 1
            ? text.find("..") == std::string::npos || factor.empty() || factor == "1"
            : false;
    if (range && of_numbers && engineering) {
      cells["min"] = range->min;
      cells["max"] = range->max;
    } else {
      not_taken_.push_back(fmt::format("line {}: range '{}'{}", row.line, model::quoted_start(text),
                                       range ? ", of raw values or of real ones" : ""));
    }
  }

  void fill_access(DraftRow& row, Area area, std::map<std::string_view, std::string>& cells) {
    const std::string text = columns_.cell(row.row, Column::access);
    std::string access;
    if (!text.empty() && text != "-") {
      const auto known = access_cell_from(text);
      if (!known)
        return refuse(row, fmt::format("access '{}' is not understood", model::quoted_start(text)));
      access = *known;
    } else {
      access = area_by_functions(functions_of(row)).access;
    }
    const bool read_only = area == Area::discrete_input || area == Area::input_register;
    if (read_only && access != "r" && !access.empty()) {
      if (access == "w")
        return refuse(row,
                      fmt::format("access '{}': {} can only be read", text, with_article(area)));
      access = "r";
    }
    cells["access"] = access;
    if (access.empty() && !read_only) ++no_access_;
  }

  void fill_names(const DraftRow& row, DataType type,
                  std::map<std::string_view, std::string>& cells) {
    std::string text = row.names;
    for (const Column column : {Column::names, Column::range}) {
      if (text.empty()) text = columns_.cell(row.row, column);
    }
    if (text.empty()) return;
    const auto names = model::value_names_from(text);
    const bool can =
        type.kind != TypeKind::text && type.kind != TypeKind::f32 && type.kind != TypeKind::f64;
    const bool fits = names && std::all_of(names->begin(), names->end(), [&](const auto& n) {
                        return type.kind == TypeKind::bits
                                   ? n.raw >= 0 && n.raw < 16
                                   : type.kind != TypeKind::boolean || n.raw == 0 || n.raw == 1;
                      });
    if (names && can && fits) {
      cells["names"] = names_text(*names);
    } else if (columns_.cell(row.row, Column::names) == text && !names) {
      cells["note"] += (cells["note"].empty() ? "" : "; ") + text;
    }
  }

  // ---------------------------------------------------------------- what is said of all

  void ask_about_area_and_type() {
    if (!no_area_.empty())
      ask("area",
          "nothing says what holds these: coils, discrete inputs, input or holding registers",
          no_area_);
    for (const std::size_t c : columns_.extra()) ask_about_column(c);
    if (!no_type_.empty()) ask("type", "nothing says of which type these are", no_type_);
    if (!length_samples_.empty())
      ask("length", "lengths may be of registers or of bytes", length_samples_);
    if (!doubtful_orders_.empty())
      ask("word_order", "this may be one of two orders", doubtful_orders_);
  }

  // A column of powers of ten under a heading that nobody knows: values may be scaled by it.
  void ask_about_column(std::size_t c) {
    if (answer("columns")) return;
    const auto& addresses = columns_.addresses();
    if (std::find(addresses.begin(), addresses.end(), c) != addresses.end()) return;
    std::vector<std::string> samples;
    std::size_t others = 0;  // cells that are no powers of ten
    bool of_units = false;   // "0.1 A"
    for (const DraftRow& row : table_.rows) {
      const std::string text = columns_.cell(row.row, c);
      if (text.empty()) continue;
      const auto scale = scale_cell_from(text);
      const double power = scale ? std::log10(std::abs(std::stod(scale->factor))) : 0.5;
      if (!std::isfinite(power) || std::abs(power - std::round(power)) > 1e-9) {
        ++others;
        continue;
      }
      if (power == 0) continue;
      of_units = of_units || !scale->unit.empty();
      samples.push_back(
          fmt::format("line {}: {}  {}", row.line, model::quoted_start(row.name), text));
    }
    if (samples.empty() || (others > 0 && !of_units)) return;
    ask("columns",
        fmt::format("'{}' is not known, and may scale values: name it in a file for --headings, or "
                    "say that it does nothing",
                    model::quoted_start(columns_.texts()[c])),
        samples);
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
    if (by_decimals_)
      out_.notes.emplace_back(
          "whole numbers have as many decimals as their column says: 1 is a factor of 0.1");
    std::sort(in_units_.begin(), in_units_.end());
    in_units_.erase(std::unique(in_units_.begin(), in_units_.end()), in_units_.end());
    say(in_units_, "units that scale: ");
    if (!from_names_.empty())
      out_.notes.push_back(fmt::format("{} units are taken out of names", from_names_.size()));
    say(renamed_, "names: ");
    say(not_taken_, "not taken over, as it may mean several things: ");
    std::vector<std::string> extra;
    const auto& addresses = columns_.addresses();
    for (const std::size_t c : columns_.extra()) {
      if (std::find(addresses.begin(), addresses.end(), c) != addresses.end()) continue;
      extra.push_back("'" + std::string(model::quoted_start(columns_.texts()[c])) + "'");
    }
    say(extra, "kept, without effect: ");
    for (const std::string& what : unsigned_)
      out_.assumed.push_back(
          {"", fmt::format("numbers without a sign ({}): nothing says that they have one", what)});
    for (const std::string& order : orders_)
      out_.assumed.push_back(
          {"", fmt::format("word order '{}' is taken for ABCD", model::quoted_start(order))});
    if (no_access_ > 0)
      out_.assumed.push_back(
          {"", fmt::format("{} points may be written: nothing says that they are only read",
                           no_access_)});
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
  const Readings& readings_;
  const HeadingRows& heading_;
  DraftTable table_;
  ImportedMap out_;
  bool hexadecimal_ = false;
  bool agreeing_ = false;  // two columns of addresses say the same
  std::string scale_ = "multiply";
  std::uint32_t copies_ = 1;  // of the row under way
  std::map<std::string, std::uint32_t> rooms_;
  model::UniqueNames names_;
  std::vector<WrittenRow> written_;
  bool by_decimals_ = false;
  std::size_t no_access_ = 0;
  std::set<std::string> unsigned_;
  std::set<std::string> orders_;
  std::vector<std::string> no_area_, no_type_, length_samples_, doubtful_orders_;
  std::vector<std::string> arrays_, in_units_, from_names_, renamed_, not_taken_;
};

}  // namespace

tl::expected<ImportedMap, FileError> import_table(const Grid& grid, const HeadingRows& heading,
                                                  const Readings& readings) {
  return TableImporter(grid, heading, readings).import();
}

}  // namespace greymet::files::internal
