#include "model/serial_settings.h"

#include <fmt/format.h>

#include "model/plan.h"

namespace greymet::model {

std::optional<CharacterFormat> character_format_from(std::string_view text) {
  if (text.size() != 3) return std::nullopt;
  CharacterFormat format;
  if (text[0] != '7' && text[0] != '8') return std::nullopt;
  if (text[2] != '1' && text[2] != '2') return std::nullopt;
  format.data_bits = static_cast<std::uint8_t>(text[0] - '0');
  format.stop_bits = static_cast<std::uint8_t>(text[2] - '0');
  switch (text[1]) {
    case 'N':
    case 'n': format.parity = Parity::none; break;
    case 'E':
    case 'e': format.parity = Parity::even; break;
    case 'O':
    case 'o': format.parity = Parity::odd; break;
    default: return std::nullopt;
  }
  return format;
}

std::string to_text(CharacterFormat format) {
  const char parity = format.parity == Parity::none   ? 'N'
                      : format.parity == Parity::even ? 'E'
                                                      : 'O';
  return fmt::format("{}{}{}", format.data_bits, parity, format.stop_bits);
}

int bits_per_character(CharacterFormat format) {
  return 1 + format.data_bits + (format.parity == Parity::none ? 0 : 1) + format.stop_bits;
}

std::string_view to_string(SerialMode mode) {
  switch (mode) {
    case SerialMode::rtu: return "rtu";
    case SerialMode::ascii: return "ascii";
  }
  return {};
}

std::string_view to_string(Medium medium) {
  switch (medium) {
    case Medium::rs485: return "rs485";
    case Medium::rs422: return "rs422";
    case Medium::rs232: return "rs232";
  }
  return {};
}

std::string_view to_string(Parity parity) {
  switch (parity) {
    case Parity::none: return "none";
    case Parity::even: return "even";
    case Parity::odd: return "odd";
  }
  return {};
}

std::string_view to_string(Packing packing) {
  return packing == Packing::bits_to_words ? "bits-to-words" : "words-to-bits";
}

std::string_view to_string(OnLoss reaction) {
  switch (reaction) {
    case OnLoss::hold: return "hold";
    case OnLoss::zero: return "zero";
    case OnLoss::alarm: return "alarm";
    case OnLoss::warn: return "warn";
    case OnLoss::stop: return "stop";
    case OnLoss::none: return "none";
  }
  return {};
}

}  // namespace greymet::model
