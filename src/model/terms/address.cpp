#include "model/address.h"

#include <algorithm>

#include <fmt/format.h>

#include "model/ascii_text.h"

namespace greymet::model {
namespace {

struct AreaNames {
  Area area;
  std::string_view short_name;
  std::string_view long_name;
  char digit;
};

constexpr std::array<AreaNames, 4> area_names{{
    {Area::coil, "co", "coil", '0'},
    {Area::discrete_input, "di", "discrete input", '1'},
    {Area::input_register, "ir", "input register", '3'},
    {Area::holding_register, "hr", "holding register", '4'},
}};

const AreaNames& names_of(Area area) {
  return area_names[static_cast<std::size_t>(area)];
}

std::optional<std::int64_t> parse_digits(std::string_view text, unsigned base) {
  if (text.empty() || text.size() > 12) return std::nullopt;
  std::int64_t value = 0;
  for (char c : text) {
    const auto digit = hex_digit_value(c);
    if (!digit || *digit >= base) return std::nullopt;
    value = value * base + *digit;
  }
  if (value > 0xffffffffLL) return std::nullopt;
  return value;
}

tl::unexpected<AddressError> not_an_address(std::string_view text) {
  return tl::unexpected(AddressError{
      fmt::format("'{}' is not an address", text.substr(0, 60)),
      "write the area and an offset counted from 0, as \"hr:<offset>\"; a reference of 5 or 6 "
      "digits; a plain number, decimal or 0x...; or the name of a point"});
}

// Takes ".3" off the end of the text.
std::optional<std::uint32_t> take_bit(std::string_view& text) {
  const std::size_t dot = text.rfind('.');
  if (dot == std::string_view::npos) return std::nullopt;
  const auto bit = parse_digits(text.substr(dot + 1), 10);
  if (!bit) return std::nullopt;
  text = text.substr(0, dot);
  return static_cast<std::uint32_t>(*bit);
}

tl::expected<AddressReading, AddressError> from_reference(std::string_view digits) {
  const auto address = parse_reference(digits);
  if (!address) {
    return tl::unexpected(AddressError{
        fmt::format("'{}' is no reference: 5 or 6 digits, the first 0, 1, 3 or 4, the number "
                    "behind it from 1 to {}",
                    digits.substr(0, 60), digits.size() == 5 ? 9999 : 65536),
        "write the protocol address instead, e.g. \"hr:0\" for the first holding register"});
  }
  AddressReading reading;
  reading.area = address->area;
  reading.offset = address->offset.value;
  reading.notation = Notation::reference;
  reading.written = *parse_digits(digits, 10);
  return reading;
}

tl::expected<AddressReading, AddressError> from_plain(std::string_view text,
                                                      const PlainNumber& number,
                                                      Numbering numbering) {
  AddressReading reading;
  reading.written = number.value;
  reading.hex = number.hex;
  reading.notation = Notation::plain;
  reading.offset = number.value;
  switch (numbering) {
    case Numbering::from_0: return reading;
    case Numbering::from_1:
      if (number.value == 0) {
        return tl::unexpected(
            AddressError{"0 does not exist where the manual counts from 1",
                         "if the manual counts from 0, write numbering = \"from-0\" at the slave"});
      }
      reading.offset = number.value - 1;
      return reading;
    case Numbering::reference: break;
  }
  if (number.hex) {
    return tl::unexpected(AddressError{
        fmt::format("'{}' is hexadecimal, but this slave's addresses are references", text),
        fmt::format("write the protocol address as \"hr:{}\"", text)});
  }
  if (text.size() < 5) {
    return tl::unexpected(AddressError{
        fmt::format("'{}' is no reference: it has {} digits, a reference has 5 or 6", text,
                    text.size()),
        fmt::format("write \"4{:0>4}\" for holding register {}, or numbering = \"from-1\" at the "
                    "slave",
                    text, text)});
  }
  return from_reference(text);
}

}  // namespace

std::string_view short_name(Area area) {
  return names_of(area).short_name;
}
std::string_view long_name(Area area) {
  return names_of(area).long_name;
}
std::string with_article(Area area) {
  return fmt::format("{} {}", area == Area::input_register ? "an" : "a", long_name(area));
}
char reference_digit(Area area) {
  return names_of(area).digit;
}

std::optional<Area> area_from(std::string_view name) {
  for (const AreaNames& names : area_names) {
    if (equal_in_any_case(name, names.short_name) || equal_in_any_case(name, names.long_name)) {
      return names.area;
    }
  }
  return std::nullopt;
}

std::optional<Area> area_of_reference_digit(char digit) {
  for (const AreaNames& names : area_names) {
    if (digit == names.digit) return names.area;
  }
  return std::nullopt;
}

std::string_view to_string(Numbering numbering) {
  switch (numbering) {
    case Numbering::from_0: return "from-0";
    case Numbering::from_1: return "from-1";
    case Numbering::reference: return "reference";
  }
  return {};
}

std::optional<PlainNumber> parse_plain_number(std::string_view text) {
  if (text.size() < 2 || all_digits(text)) {
    const auto value = parse_digits(text, 10);
    return value ? std::optional(PlainNumber{*value, false}) : std::nullopt;
  }
  std::optional<std::string_view> digits;
  if (text.starts_with("0x") || text.starts_with("0X")) {
    digits = text.substr(2);
  } else if (text.starts_with("16#")) {
    digits = text.substr(3);
  } else if (text.front() == 'H') {
    digits = text.substr(1);
  } else if (is_digit(text.front()) && (text.back() == 'h' || text.back() == 'H')) {
    digits = text.substr(0, text.size() - 1);
  }
  if (!digits) return std::nullopt;
  const auto value = parse_digits(*digits, 16);
  return value ? std::optional(PlainNumber{*value, true}) : std::nullopt;
}

std::optional<Address> parse_reference(std::string_view digits) {
  if ((digits.size() != 5 && digits.size() != 6) || !all_digits(digits)) return std::nullopt;
  const auto area = area_of_reference_digit(digits.front());
  const auto number = parse_digits(digits.substr(1), 10);
  if (!area || !number || *number < 1 || *number > addresses_per_area) return std::nullopt;
  return Address{*area, Offset{static_cast<std::uint16_t>(*number - 1)}};
}

bool looks_like_hex_number(std::string_view text) {
  return text.size() > 1 && text.front() == 'H' && is_digit(text[1]) &&
         parse_plain_number(text).has_value();
}

bool is_point_name(std::string_view text) {
  return !text.empty() && is_letter(text.front());
}

tl::expected<AddressReading, AddressError> read_address(const AddressText& text,
                                                        Numbering numbering) {
  std::string_view rest = text.text;
  const std::size_t colon = rest.find(':');
  if (colon != std::string_view::npos) {
    const std::string_view prefix = rest.substr(0, colon);
    rest = rest.substr(colon + 1);
    const auto bit = take_bit(rest);
    if (prefix == "ref") {
      auto reading = from_reference(rest);
      if (reading) reading->bit = bit;
      return reading;
    }
    const auto area = prefix.size() == 2 ? area_from(prefix) : std::nullopt;
    const auto number = parse_plain_number(rest);
    if (!area || !number) return not_an_address(text.text);
    AddressReading reading;
    reading.area = area;
    reading.offset = number->value;
    reading.written = number->value;
    reading.hex = number->hex;
    reading.bit = bit;
    reading.notation = Notation::explicit_offset;
    return reading;
  }
  const auto bit = take_bit(rest);
  tl::expected<AddressReading, AddressError> reading;
  if (!text.digits_are_plain && all_digits(rest) && rest.size() >= 5) {
    reading = from_reference(rest);
  } else if (const auto number = parse_plain_number(rest)) {
    reading = from_plain(rest, *number, numbering);
  } else {
    return not_an_address(text.text);
  }
  if (reading) reading->bit = bit;
  return reading;
}

std::string to_text(Address address) {
  return fmt::format("{}:{}", short_name(address.area), address.offset.value);
}

std::optional<std::string> reference5(Address address) {
  if (address.offset.value > 9998) return std::nullopt;
  return fmt::format("{}{:04}", reference_digit(address.area), address.offset.value + 1);
}

std::string reference6(Address address) {
  return fmt::format("{}{:05}", reference_digit(address.area), address.offset.value + 1);
}

std::string to_plan_text(Address address, Notation like, Numbering numbering) {
  if (like == Notation::reference ||
      (like == Notation::plain && numbering == Numbering::reference)) {
    return '"' + reference6(address) + '"';
  }
  if (like == Notation::plain) {
    return fmt::format("{}", address.offset.value + (numbering == Numbering::from_1 ? 1 : 0));
  }
  return '"' + to_text(address) + '"';
}

}  // namespace greymet::model
