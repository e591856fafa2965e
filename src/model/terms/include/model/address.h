// Addresses of registers and bits in a slave, in every notation that manuals use.
//
// Inside the program an address is always an area and a 0-based offset; the MODBUS Application
// Protocol Specification V1.1b3, section 4.4, numbers them the same way in the PDU.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <tl/expected.hpp>

#include "model/strong.h"

namespace greymet::model {

// The four tables of the data model (V1.1b3, section 4.3).
enum class Area : std::uint8_t { coil, discrete_input, input_register, holding_register };

inline constexpr std::uint32_t addresses_per_area = 65536;

// One register or bit of a slave, as it goes over the wire.
struct Address {
  Area area = Area::holding_register;
  Offset offset;
  friend auto operator<=>(const Address&, const Address&) = default;
};

// Registers or bits [first, end) of one area.
struct Extent {
  std::uint32_t first = 0;
  std::uint32_t end = 0;
  friend bool operator==(const Extent&, const Extent&) = default;
};

// How a manual counts its plain numbers.
enum class Numbering : std::uint8_t { from_0, from_1, reference };

// Which notation an address was written in.
enum class Notation : std::uint8_t { plain, explicit_offset, reference, point, memory };

// An address as it stands in a file. A TOML integer and a CSV cell are plain numbers where a TOML
// text of 5 or 6 digits is a reference, so the kind of text is kept with it.
struct AddressText {
  std::string text;
  bool digits_are_plain = false;
};

// What a text says about an address before a map or a memory is asked.
// `offset` may lie outside 0..65535: rules decide whether another reading was meant.
struct AddressReading {
  std::optional<Area> area;  // left open by plain numbers
  std::int64_t offset = 0;
  std::optional<std::uint32_t> bit;
  Notation notation = Notation::plain;
  std::int64_t written = 0;  // the number as written, before counting from 0
  bool hex = false;          // written in a hexadecimal notation
};

// Why a text is no address; both parts are ready to be shown.
struct AddressError {
  std::string message;
  std::string remedy;
};

// A plain number in any notation of the trade: 4096, 0x1000, 1000h, H1000, 16#1000.
struct PlainNumber {
  std::int64_t value = 0;
  bool hex = false;
};

[[nodiscard]] constexpr bool is_bit_area(Area area) {
  return area == Area::coil || area == Area::discrete_input;
}
// "co", "di", "ir", "hr"
[[nodiscard]] std::string_view short_name(Area area);
// "coil", "discrete input", "input register", "holding register"
[[nodiscard]] std::string_view long_name(Area area);
// "a coil", "an input register"
[[nodiscard]] std::string with_article(Area area);
// Reads both the short and the long name.
[[nodiscard]] std::optional<Area> area_from(std::string_view name);
// The leading digit of a reference: 0, 1, 3, 4.
[[nodiscard]] char reference_digit(Area area);
[[nodiscard]] std::optional<Area> area_of_reference_digit(char digit);
[[nodiscard]] std::string_view to_string(Numbering numbering);

// Reads a plain number; nothing if the text is none or does not fit 32 bits.
[[nodiscard]] std::optional<PlainNumber> parse_plain_number(std::string_view text);

// Reads "44097" or "404097": 5 or 6 digits, area digit 0, 1, 3 or 4, number from 1.
[[nodiscard]] std::optional<Address> parse_reference(std::string_view digits);

// True for texts that can only be names: a letter first, and not a hexadecimal number like H1000.
[[nodiscard]] bool is_point_name(std::string_view text);
// True for texts that read as a hexadecimal number although a name could be written so: "H10".
[[nodiscard]] bool looks_like_hex_number(std::string_view text);

// Reads every numeric notation; names of points and of memory are the caller's.
[[nodiscard]] tl::expected<AddressReading, AddressError> read_address(const AddressText& text,
                                                                      Numbering numbering);

// "hr:4096"
[[nodiscard]] std::string to_text(Address address);
// "44097"; nothing above offset 9998, which five digits cannot name.
[[nodiscard]] std::optional<std::string> reference5(Address address);
// "404097"
[[nodiscard]] std::string reference6(Address address);
// The address as a value of `at` in a plan whose slave counts like this: 4096, 4097, "404097".
[[nodiscard]] std::string to_plan_text(Address address, Notation like, Numbering numbering);

}  // namespace greymet::model
