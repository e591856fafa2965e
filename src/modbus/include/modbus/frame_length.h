// How many bytes requests and replies take on the wire, without building them.
//
// PDU layouts: MODBUS Application Protocol Specification V1.1b3, sections 6.1 to 6.17. Framing adds
// 3 bytes in RTU (unit, CRC), 7 on TCP (MBAP header). ASCII sends two characters for each byte but
// the CRC, which it replaces by a one-byte LRC, and a colon, CR and LF (V1.02, section 2.5.2).
#pragma once

#include <cstdint>

#include "model/framing.h"
#include "model/function_code.h"

namespace greymet::modbus {

using model::Framing;

// Bytes (RTU, TCP) or characters (ASCII) of a frame whose RTU form has `rtu_bytes`.
[[nodiscard]] std::uint32_t framed_length(std::uint32_t rtu_bytes, Framing framing);

// `written` registers or bits are written, as far as the function writes.
[[nodiscard]] std::uint32_t request_length(model::FunctionCode function, std::uint32_t written,
                                           Framing framing);
// `read` registers or bits are read, as far as the function reads.
[[nodiscard]] std::uint32_t reply_length(model::FunctionCode function, std::uint32_t read,
                                         Framing framing);
[[nodiscard]] std::uint32_t exception_length(Framing framing);

// All that may be on the wire of one request.
struct ExchangeLengths {
  std::uint32_t request = 0;
  std::uint32_t reply = 0;
  std::uint32_t exception = 0;
};
[[nodiscard]] ExchangeLengths exchange_lengths(model::FunctionCode function, std::uint32_t written,
                                               std::uint32_t read, Framing framing);

}  // namespace greymet::modbus
