// How characters are sent on a serial line.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

#include "model/range.h"

namespace greymet::model {

// Transmission mode (MODBUS over Serial Line V1.02, section 2.5).
enum class SerialMode : std::uint8_t { rtu, ascii };
// How a line is wired.
enum class Medium : std::uint8_t { rs485, rs422, rs232 };
// Of a character.
enum class Parity : std::uint8_t { none, even, odd };

// "8E1": data bits 7 or 8, parity, stop bits 1 or 2.
struct CharacterFormat {
  std::uint8_t data_bits = 8;
  Parity parity = Parity::even;
  std::uint8_t stop_bits = 1;
  friend bool operator==(const CharacterFormat&, const CharacterFormat&) = default;
};

// The three settings both ends of a line must share; what was left out is unknown.
struct SerialSettings {
  Declared<SerialMode> mode;
  Declared<std::int64_t> baud;
  Declared<CharacterFormat> format;
};

[[nodiscard]] std::optional<CharacterFormat> character_format_from(std::string_view text);
[[nodiscard]] std::string to_text(CharacterFormat format);
// Start, data, parity and stop bits together: 9 to 12.
[[nodiscard]] int bits_per_character(CharacterFormat format);
[[nodiscard]] std::string_view to_string(SerialMode mode);
[[nodiscard]] std::string_view to_string(Medium medium);
[[nodiscard]] std::string_view to_string(Parity parity);

}  // namespace greymet::model
