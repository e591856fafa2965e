#include "model/address_readings.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

constexpr std::uint32_t bits_per_register = 16;

void add_counted(AddressMeanings& out, std::string_view notation, std::int64_t value) {
  for (const std::int64_t base : {0, 1}) {
    const std::int64_t offset = value - base;
    if (offset < 0 || offset >= addresses_per_area) continue;
    out.meanings.push_back({fmt::format("{}, counted from {}", notation, base),
                            base == 0 ? Counting::from_0 : Counting::from_1,
                            std::nullopt,
                            {static_cast<std::uint16_t>(offset)},
                            std::nullopt});
  }
}

void explain_doubts(AddressMeanings& out, bool reference, bool decimal, bool hex) {
  const auto counted = std::count_if(out.meanings.begin(), out.meanings.end(),
                                     [](const AddressMeaning& m) { return !m.area; });
  if (reference && counted > 0) {
    out.doubts.emplace_back("it may be a reference or a plain number");
  }
  if (decimal && hex) {
    out.doubts.emplace_back("its digits may be decimal, or hexadecimal without a mark");
  }
  if (counted > 1) out.doubts.emplace_back("manuals count from 0 or from 1");
  if (counted > 0) out.doubts.emplace_back(doubt_of_area);
}

AddressMeaning of_reading(std::string how, const AddressReading& reading) {
  return {std::move(how),
          Counting::stated,
          reading.area,
          {static_cast<std::uint16_t>(reading.offset)},
          reading.bit};
}

}  // namespace

tl::expected<AddressMeanings, AddressError> meanings_of(std::string_view text) {
  if (text.size() >= 2 && text.front() == text.back() &&
      (text.front() == '"' || text.front() == '\'')) {
    text = text.substr(1, text.size() - 2);
  }
  const std::string shown(quoted_start(text));
  AddressMeanings out;
  if (all_digits(text)) {
    const auto reference = parse_reference(text);
    if (reference) {
      out.meanings.push_back(
          {"reference", Counting::stated, reference->area, reference->offset, std::nullopt});
    }
    const auto plain = parse_plain_number(text);
    const auto hex = parse_plain_number("0x" + std::string(text));
    // digits below 10 mean the same in both
    const bool differ = hex && plain && hex->value != plain->value;
    // nobody prints decimal numbers with zeros in front; five digits and more are references
    const bool zero = text.size() > 1 && text.starts_with('0');
    const bool padded = zero && text.size() <= 4;
    const auto added = [&](std::string_view notation, std::int64_t value) {
      const std::size_t before = out.meanings.size();
      add_counted(out, notation, value);
      return out.meanings.size() > before;
    };
    bool as_hex = differ && padded && added("hexadecimal without a mark", hex->value);
    const bool decimal = plain && added("decimal", plain->value);
    as_hex = as_hex || (differ && !zero && added("hexadecimal typed as decimal", hex->value));
    explain_doubts(out, reference.has_value(), decimal, as_hex);
    if (!out.meanings.empty()) return out;
    return tl::unexpected(
        AddressError{fmt::format("'{}' is beyond every area: addresses end at 65535, references at "
                                 "465536",
                                 shown),
                     "write e.g. 4096, 0x1000, hr:4096, 44097 or 404097"});
  }
  if (const auto number = parse_plain_number(text); number && number->hex) {
    add_counted(out, "hexadecimal", number->value);
    explain_doubts(out, false, false, true);
    if (!out.meanings.empty()) return out;
  }
  const auto reading = read_address({std::string(text), true}, Numbering::from_0);
  // "000A": what begins with a digit and has letters of hexadecimal numbers alone
  const bool unmarked =
      !text.empty() && is_digit(text.front()) &&
      std::all_of(text.begin(), text.end(), [](char c) { return hex_digit_value(c).has_value(); });
  if (const auto hex = parse_plain_number("0x" + std::string(text)); !reading && unmarked && hex) {
    add_counted(out, "hexadecimal without a mark", hex->value);
    explain_doubts(out, false, false, true);
    if (!out.meanings.empty()) return out;
  }
  if (!reading) return tl::unexpected(reading.error());
  if (reading->offset < 0 || reading->offset >= addresses_per_area) {
    return tl::unexpected(AddressError{fmt::format("'{}' lies outside 0 to 65535", shown),
                                       "write e.g. 4096, 0x1000, hr:4096, 44097 or 404097"});
  }
  if (reading->bit && *reading->bit >= bits_per_register) {
    return tl::unexpected(AddressError{
        fmt::format("'{}' has no such bit: a register has 0 to 15", shown), "write e.g. hr:40.3"});
  }
  out.meanings.push_back(of_reading(
      reading->notation == Notation::reference ? "reference" : "explicit, counted from 0",
      *reading));
  return out;
}

}  // namespace greymet::model
