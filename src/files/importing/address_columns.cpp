#include "address_columns.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include <fmt/format.h>

#include "model/ascii_text.h"
#include "value_types.h"

namespace greymet::files::internal {

using model::Area;
using model::DataType;

std::vector<ColumnCell> AddressColumns::column() const {
  std::vector<ColumnCell> out;
  for (const DraftRow& row : in_.table.rows) {
    const auto& cell = row.address;
    if (!cell || cell->is_offset || cell->area) continue;
    const auto type = plain_type(row, false);
    std::optional<std::uint32_t> length;
    if (type) length = registers_of(*type);
    out.push_back({*cell, length});
  }
  return out;
}

void AddressColumns::settle_base() {
  const Heading& heading = in_.columns.heading_of(Column::address);
  const auto cells = column();
  const auto said = in_.answer("addresses");
  if (said) {
    hexadecimal_ = *said == "hex";
  } else if (heading.hexadecimal) {
    hexadecimal_ = *heading.hexadecimal;
    if (!hexadecimal_ && base_of(cells) == Base::hexadecimal) {
      in_.ask("addresses",
              fmt::format("the heading '{}' says decimal, the cells show hexadecimal numbers",
                          in_.columns.texts()[in_.columns.addresses()[0]]),
              samples_of_base());
    }
  } else {
    switch (base_of(cells)) {
      case Base::decimal: break;
      case Base::hexadecimal: hexadecimal_ = true; break;
      case Base::doubtful: settle_by_other(); break;
    }
  }
  if (!hexadecimal_) return;
  std::size_t count = 0;
  std::string first;
  const auto differs = [](const std::string& digits) {
    const WrittenNumber number{digits, false, false};
    return number.value(true) != number.value(false);
  };
  for (const ColumnCell& each : cells) {
    if (each.cell.first.marked) continue;
    ++count;
    // one that is another number then
    if (first.empty() || !differs(first)) first = each.cell.first.digits;
  }
  if (count > 0)
    in_.out.notes.push_back(
        fmt::format("{} addresses are read as hexadecimal: {} is {}", count, first,
                    WrittenNumber{first, false, false}.value(true).value_or(0)));
}

// A second column of addresses says what the first one is.
void AddressColumns::settle_by_other() {
  const auto differences = [&](bool hexadecimal) {
    std::set<std::int64_t> out;
    for (const DraftRow& row : in_.table.rows) {
      if (!row.address || !row.other_address) continue;
      const auto a = row.address->first.value(hexadecimal);
      const auto b = row.other_address->first.value(
          row.other_address->first.letters ||
          in_.columns.heading_at(in_.columns.addresses()[1]).hexadecimal.value_or(false));
      if (a && b) out.insert(*a - *b);
    }
    return out.size();
  };
  if (in_.columns.addresses().size() > 1) {
    const std::size_t as_decimal = differences(false);
    const std::size_t as_hex = differences(true);
    if (as_decimal != as_hex && std::min(as_decimal, as_hex) == 1) {
      hexadecimal_ = as_hex == 1;
      return;
    }
  }
  in_.ask("addresses", "addresses may be decimal or hexadecimal: no letter and no gap tells",
          samples_of_base());
}

std::vector<std::string> AddressColumns::samples_of_base() const {
  std::vector<std::string> out;
  for (const DraftRow& row : in_.table.rows) {
    if (!row.address || row.address->area || row.address->first.marked) continue;
    const WrittenNumber& number = row.address->first;
    const auto decimal = number.value(false);
    out.push_back(fmt::format(
        "line {}: {}  {}: decimal {}, hexadecimal {}", row.line, model::quoted_start(row.name),
        number.digits, decimal ? std::to_string(*decimal) : "-", number.value(true).value_or(0)));
  }
  return out;
}

std::optional<std::int64_t> AddressColumns::number_of(const DraftRow& row) const {
  return row.address ? row.address->first.value(hexadecimal_) : std::nullopt;
}

// "40001": its area, where it is a reference.
std::optional<Area> AddressColumns::reference_of(const DraftRow& row) const {
  if (!row.address || hexadecimal_ || row.address->is_offset || row.address->area)
    return std::nullopt;
  const auto& digits = row.address->first.digits;
  if (row.address->first.marked) return std::nullopt;
  const auto address = model::parse_reference(digits);
  return address ? std::optional(address->area) : std::nullopt;
}

void AddressColumns::settle_numbering() {
  if (const auto said = in_.answer("numbering")) {
    in_.out.numbering = *said;
    return;
  }
  std::size_t references = 0;
  std::size_t others = 0;
  bool zero = false;
  std::int64_t least = INT64_MAX;
  std::vector<std::string> samples;
  for (const DraftRow& row : in_.table.rows) {
    const auto number = number_of(row);
    if (!number || row.address->is_offset || row.address->area) continue;
    const auto area = reference_of(row);
    const auto known = area_said(in_.columns, row);
    const bool is_reference = area && (!known || *known == *area);
    ++(is_reference ? references : others);
    zero = zero || *number == 0;
    least = std::min(least, *number);
    samples.push_back(fmt::format("line {}: {}  {}{}", row.line, model::quoted_start(row.name),
                                  row.address->first.digits, is_reference ? ": a reference?" : ""));
  }
  if (references + others == 0) return;
  if (others == 0) {
    in_.out.numbering = "reference";
    in_.out.notes.emplace_back("addresses are references such as 40001");
    return;
  }
  if (references > 0 && references < others + references && least < 1000 && !hexadecimal_) {
    in_.ask("numbering", "some addresses look like references such as 40001, others do not",
            samples);
    return;
  }
  if (settle_by_difference()) return;
  const auto from = in_.columns.heading_of(Column::address).counts_from;
  if (from) {
    in_.out.numbering = *from == 0 ? "from-0" : "from-1";
    in_.out.notes.push_back(fmt::format("the heading says that addresses count from {}", *from));
  } else if (zero) {
    in_.out.numbering = "from-0";
  } else {
    in_.out.assumed.push_back(
        {"numbering",
         fmt::format("addresses count from 0 (the lowest is {}): does the manual count from 1?",
                     hexadecimal_ ? fmt::format("0x{:04X}", least) : std::to_string(least))});
  }
}

// Two columns of addresses that differ by one everywhere: one of them counts from 0.
bool AddressColumns::settle_by_difference() {
  if (in_.columns.addresses().size() < 2) return false;
  const Heading& heading = in_.columns.heading_at(in_.columns.addresses()[1]);
  std::map<std::int64_t, std::size_t> differences;
  std::size_t all = 0;
  const bool hex = heading.hexadecimal.value_or(false) ||
                   std::any_of(in_.table.rows.begin(), in_.table.rows.end(), [](const DraftRow& r) {
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
  for (const DraftRow& row : in_.table.rows) {
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
  const std::string& other = in_.columns.texts()[in_.columns.addresses()[1]];
  for (DraftRow& row : in_.table.rows) {
    const auto d = difference(row);
    if (d && *d != most->first) {
      internal::refuse(
          row, fmt::format("its two addresses disagree: '{}' and '{}'", row.address->first.digits,
                           row.other_address->first.digits));
    }
  }
  agreeing_ = !hex;
  if (most->first == 0) {
    in_.out.notes.push_back(
        fmt::format("'{}' says the same addresses", model::quoted_start(other)));
    return false;
  }
  in_.out.numbering = most->first == 1 ? "from-1" : "from-0";
  in_.out.notes.push_back(
      fmt::format("'{}' is one {} everywhere: addresses count from {}", model::quoted_start(other),
                  most->first == 1 ? "less" : "more", most->first == 1 ? 1 : 0));
  return true;
}

std::optional<Area> AddressColumns::other_reference_of(const DraftRow& row) const {
  if (!agreeing_ || !row.other_address || row.other_address->first.marked) return std::nullopt;
  const auto other = model::parse_reference(row.other_address->first.digits);
  return other ? std::optional(other->area) : std::nullopt;
}

bool AddressColumns::fits(const DraftRow& row, Area area, std::int64_t number,
                          DataType type) const {
  const std::int64_t takes = is_bit_area(area) ? 1 : registers_of(type);
  if (row.address->is_offset) return number + takes <= model::addresses_per_area;
  if (row.address->area) return number >= 1 && number - 1 + takes <= model::addresses_per_area;
  if (in_.out.numbering == "reference") {
    const auto address = model::parse_reference(row.address->first.digits);
    return address && address->area == area &&
           address->offset.value + takes <= model::addresses_per_area;
  }
  const std::int64_t first = in_.out.numbering == "from-1" ? 1 : 0;
  return number >= first && number - first + takes <= model::addresses_per_area;
}

std::string AddressColumns::text_of(const DraftRow& row, std::int64_t number) const {
  if (row.address->is_offset) return fmt::format("{}:{}", short_name(*row.address->area), number);
  if (row.address->area)
    return fmt::format("ref:{}{:05}", reference_digit(*row.address->area), number);
  if (hexadecimal_ || row.address->first.marked) return fmt::format("0x{:04X}", number);
  if (in_.out.numbering == "reference")
    return fmt::format("{:0{}}", number, row.address->first.digits.size());
  return std::to_string(number);
}

}  // namespace greymet::files::internal
