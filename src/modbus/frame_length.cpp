#include "modbus/frame_length.h"

namespace greymet::modbus {

using model::FunctionCode;

namespace {

constexpr std::uint32_t bytes_for_bits(std::uint32_t bits) {
  return (bits + 7) / 8;
}

std::uint32_t rtu_request_length(FunctionCode function, std::uint32_t written) {
  switch (function) {
    case FunctionCode::read_coils:
    case FunctionCode::read_discrete_inputs:
    case FunctionCode::read_holding_registers:
    case FunctionCode::read_input_registers:
    case FunctionCode::write_single_coil:
    case FunctionCode::write_single_register: return 8;
    case FunctionCode::write_multiple_coils: return 9 + bytes_for_bits(written);
    case FunctionCode::write_multiple_registers: return 9 + 2 * written;
    case FunctionCode::mask_write_register: return 10;
    case FunctionCode::read_write_multiple_registers: return 13 + 2 * written;
  }
  return 0;
}

std::uint32_t rtu_reply_length(FunctionCode function, std::uint32_t read) {
  switch (function) {
    case FunctionCode::read_coils:
    case FunctionCode::read_discrete_inputs: return 5 + bytes_for_bits(read);
    case FunctionCode::read_holding_registers:
    case FunctionCode::read_input_registers:
    case FunctionCode::read_write_multiple_registers: return 5 + 2 * read;
    case FunctionCode::write_single_coil:
    case FunctionCode::write_single_register:
    case FunctionCode::write_multiple_coils:
    case FunctionCode::write_multiple_registers: return 8;
    case FunctionCode::mask_write_register: return 10;
  }
  return 0;
}

}  // namespace

std::uint32_t request_length(FunctionCode function, std::uint32_t written, Framing framing) {
  return framed_length(rtu_request_length(function, written), framing);
}

std::uint32_t reply_length(FunctionCode function, std::uint32_t read, Framing framing) {
  return framed_length(rtu_reply_length(function, read), framing);
}

std::uint32_t exception_length(Framing framing) {
  return framed_length(5, framing);
}

}  // namespace greymet::modbus
