// Frames: a PDU wrapped for RTU, ASCII or TCP.
//
// RTU and ASCII: MODBUS over Serial Line V1.02, sections 2.5.1 and 2.5.2, checksums in its
// appendix B. TCP: the MBAP header of 7 bytes (transaction, protocol 0, length, unit).
#pragma once

#include "modbus/frame_length.h"
#include "modbus/pdu.h"

namespace greymet::modbus {

// A PDU with the unit it is for, or comes from. `transaction` is used on TCP alone.
struct Frame {
  std::uint8_t unit = 0;
  std::uint16_t transaction = 0;
  Bytes pdu;
  friend bool operator==(const Frame&, const Frame&) = default;
};

// CRC-16 with polynomial 0x8005 reflected, start value 0xFFFF; sent low byte first.
[[nodiscard]] std::uint16_t crc16(ByteView bytes);
// Two's complement of the sum of all bytes.
[[nodiscard]] std::uint8_t lrc8(ByteView bytes);

// Wraps a PDU of 1 to 253 bytes; longer ones are refused.
[[nodiscard]] Decoded<Bytes> encode_frame(const Frame& frame, Framing framing);
// Unwraps exactly one frame; leftover bytes, bad lengths and bad checksums are refused.
[[nodiscard]] Decoded<Frame> decode_frame(ByteView bytes, Framing framing);

// Who sent the frame.
enum class Direction : std::uint8_t { request, reply };

// Bytes that a frame has in all, told by its first ones: RTU by function and byte count, TCP by the
// length it announces, however absurd. Nothing while too few bytes are there, for functions we do
// not know, and in ASCII, where CR LF end the frame.
[[nodiscard]] std::optional<std::size_t> expected_length(ByteView bytes, Framing framing,
                                                         Direction direction);

// "11 03 00 6B"
[[nodiscard]] std::string to_hex(ByteView bytes);
// Reads pairs of hexadecimal digits; spaces, commas and dashes between them are skipped.
[[nodiscard]] Decoded<Bytes> from_hex(std::string_view text);

}  // namespace greymet::modbus
