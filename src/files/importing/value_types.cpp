#include "value_types.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::files::internal {

using model::Area;
using model::DataType;
using model::TypeKind;
using Family = TypeCell::Family;

std::optional<std::uint32_t> registers_of_range(const DraftRow& row, bool hexadecimal) {
  if (!row.address || !row.address->last) return std::nullopt;
  constexpr std::int64_t most = 250;
  const bool hex = hexadecimal || row.address->first.letters || row.address->last->letters;
  const auto first = row.address->first.value(hex);
  const auto last = row.address->last->value(hex);
  if (!first || !last || *last < *first || *last - *first >= most) return std::nullopt;
  return static_cast<std::uint32_t>(*last - *first + 1);
}

std::optional<DataType> plain_type(const DraftRow& row, bool hexadecimal) {
  if (row.bit) return DataType{TypeKind::boolean, 0};
  if (row.type && row.type->type) return row.type->type;
  if (row.type && row.length) return type_of_length(*row.type, *row.length);
  const auto registers = registers_of_range(row, hexadecimal);
  if (!registers || !row.type) return std::nullopt;
  return type_of_length(*row.type, {*registers, Counted::registers});
}

void ValueTypes::settle_lengths() {
  for (DraftRow& row : in_.table.rows) {
    const bool open =
        row.trouble.empty() && row.type && !plain_type(row, addresses_.is_hexadecimal());
    if (open) settle(row);
  }
}

void ValueTypes::settle(DraftRow& row) {
  const Family family = row.type->family;
  const bool whole =
      family == Family::whole || family == Family::whole_signed || family == Family::whole_unsigned;
  const auto registers = row.length ? registers_said(*row.length)
                                    : registers_of_range(row, addresses_.is_hexadecimal());
  if (row.length && !registers) return length_question(row);
  if (!whole) {
    if (registers) row.type->type = type_of_length(*row.type, {*registers, Counted::registers});
    if (row.type->type) return;
    refuse(row, fmt::format("type '{}' {}", model::quoted_start(row.type_text),
                            family == Family::text ? "does not say how long the text is"
                                                   : "and its length do not fit"));
    return;
  }
  const std::uint32_t count = registers ? *registers : room_of(row.type_text);
  if (count == 0) return;  // asked
  const bool is_signed = family == Family::whole_signed || has_negative(row);
  const TypeCell cell{{}, is_signed ? Family::whole_signed : Family::whole_unsigned, false, {}, {}};
  row.type->type = type_of_length(cell, {count, Counted::registers});
  if (!row.type->type) refuse(row, fmt::format("no whole number takes {} registers", count));
  if (family == Family::whole && !is_signed) unsigned_.insert(row.type_text);
}

bool ValueTypes::has_negative(const DraftRow& row) const {
  for (const Column column : {Column::min, Column::range}) {
    const std::string text = in_.columns.cell(row.row, column);
    if (text.starts_with('-') || text.starts_with("\xE2\x88\x92")) return true;
  }
  return false;
}

// Nothing where 2 may be registers or bytes.
std::optional<std::uint32_t> ValueTypes::registers_said(const Length& length) const {
  if (const auto registers = registers_of_length(length)) return registers;
  if (length.counted != Counted::unsaid) return std::nullopt;
  if (const auto said = in_.answer("length")) {
    if (*said == "bytes" && length.number % 2 == 0) return length.number / 2;
    if (*said == "registers") return length.number;
  }
  // a length of 1 elsewhere: no value is a byte long
  const auto& rows = in_.table.rows;
  const bool of_registers = std::any_of(rows.begin(), rows.end(), [](const DraftRow& other) {
    return other.length && other.length->number == 1;
  });
  return of_registers ? std::optional(length.number) : std::nullopt;
}

void ValueTypes::length_question(DraftRow& row) {
  if (in_.answer("length")) return refuse(row, "its length is no number of registers");
  length_samples_.push_back(sample_of(row, fmt::format("length {}", row.length->number)));
}

// Registers of a whole number whose length nobody says; 0 where it is asked.
std::uint32_t ValueTypes::room_of(const std::string& text) {
  if (const auto at = rooms_.find(text); at != rooms_.end()) return at->second;
  if (const auto said = in_.answer("int")) return rooms_[text] = *said == "32" ? 2 : 1;
  std::uint32_t least = 0;
  std::size_t pairs = 0;
  const DraftRow* before = nullptr;
  for (const DraftRow& row : in_.table.rows) {
    if (before != nullptr && before->type_text == text && row.address && before->address) {
      const bool hex = addresses_.is_hexadecimal();
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
    in_.ask("int",
            fmt::format(
                "'{}' may be a number of 16 or of 32 bits: the next value stands {} registers on",
                model::quoted_start(text), least),
            {});
    return rooms_[text] = 0;
  }
  in_.out.assumed.push_back(
      {"", fmt::format("'{}' is taken for a number of 16 bits", model::quoted_start(text))});
  return rooms_[text] = 1;
}

// Of a row that names no type: whole numbers without a sign.
std::optional<DataType> ValueTypes::type_by_length(DraftRow& row) {
  std::optional<std::uint32_t> registers;
  const bool by_length = row.length.has_value();
  if (by_length) {
    registers = registers_said(*row.length);
    if (!registers) length_question(row);
  } else {
    registers = registers_of_range(row, addresses_.is_hexadecimal());
  }
  if (!registers) return std::nullopt;
  const auto type = unsigned_of({*registers, Counted::registers});
  if (type) unsigned_.insert(by_length ? "a length alone" : "a range of registers alone");
  return type;
}

std::optional<RowType> ValueTypes::type_of(DraftRow& row, Area area) {
  auto type = plain_type(row, addresses_.is_hexadecimal());
  if (is_bit_area(area)) {
    if (type && type->kind != TypeKind::boolean && registers_of(*type) > 1) {
      refuse(row, fmt::format("type '{}' does not fit {}", model::quoted_start(row.type_text),
                              with_article(area)));
      return std::nullopt;
    }
    const auto range = registers_of_range(row, addresses_.is_hexadecimal());
    return RowType{DataType{TypeKind::boolean, 0}, range.value_or(1)};
  }
  if (!type && row.type) return std::nullopt;  // asked, or refused
  if (!type) {
    const std::size_t asked = length_samples_.size();
    type = type_by_length(row);
    if (!row.trouble.empty() || length_samples_.size() > asked) return std::nullopt;
  }
  if (!type) {
    if (const auto answered = in_.answer("type")) type = model::data_type_from(*answered);
  }
  if (!type) {
    no_type_.push_back(sample_of(row, row.address->first.digits));
    return std::nullopt;
  }
  const auto copies = copies_of(row, *type);
  if (!copies) return std::nullopt;
  row.type = TypeCell{type, Family::none, false, {}, {}};
  return RowType{*type, *copies};
}

// What the type takes against a length or a range that is said too: several values where it is a
// multiple. Nothing, and the row is refused, where both do not fit.
std::optional<std::uint32_t> ValueTypes::copies_of(DraftRow& row, DataType type) {
  if (row.bit) return 1;
  const std::uint32_t takes = registers_of(type);
  std::optional<std::uint32_t> room = registers_of_range(row, addresses_.is_hexadecimal());
  if (!room && row.length) {
    const std::uint32_t n = row.length->number;
    if (row.length->counted == Counted::unsaid) {
      // in whatever it is counted
      const bool fits = n == takes || n == 2 * takes || n == 16 * takes ||
                        (type.kind == TypeKind::text && n == type.characters);
      if (fits || type.kind == TypeKind::boolean || type.kind == TypeKind::bits) return 1;
    } else if (row.length->counted == Counted::bits && n < 16) {
      return 1;  // of its one register
    }
    room = registers_said(*row.length);
  }
  if (!room || *room == takes) return 1;
  constexpr std::uint32_t most_values = 125;
  if (*room > takes && *room % takes == 0 && *room / takes <= most_values &&
      type.kind != TypeKind::text) {
    return *room / takes;
  }
  refuse(row, fmt::format("its length is {} register{}, and {} takes {}", *room,
                          *room == 1 ? "" : "s", to_text(type), takes));
  return std::nullopt;
}

void ValueTypes::finish() {
  if (!no_type_.empty()) in_.ask("type", "nothing says of which type these are", no_type_);
  if (!length_samples_.empty()) {
    in_.ask("length", "lengths may be of registers or of bytes", length_samples_);
  }
  for (const std::string& what : unsigned_) {
    in_.out.assumed.push_back(
        {"", fmt::format("numbers without a sign ({}): nothing says that they have one", what)});
  }
}

}  // namespace greymet::files::internal
