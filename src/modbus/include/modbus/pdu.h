// Requests and replies as bytes: the protocol data unit, without unit address and checksum.
//
// Layouts: MODBUS Application Protocol Specification V1.1b3, sections 6.1 to 6.17 and 7. Numbers
// are big-endian. Encoders are total for requests within the function's limits; decoders accept
// any bytes and name the field that broke.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <string>
#include <string_view>
#include <tl/expected.hpp>
#include <variant>
#include <vector>

#include "model/function_code.h"

namespace greymet::modbus {

using Bytes = std::vector<std::byte>;
using ByteView = std::span<const std::byte>;

// The largest PDU (V1.1b3, section 4.1).
inline constexpr std::size_t longest_pdu = 253;

// What a master asks. `offset` and `quantity` are those of the read part in function 23.
struct Request {
  model::FunctionCode function = model::FunctionCode::read_holding_registers;
  std::uint16_t offset = 0;
  std::uint16_t quantity = 0;
  std::uint16_t write_offset = 0;        // function 23
  std::vector<std::uint16_t> registers;  // written registers; AND and OR mask of function 22
  std::vector<bool> bits;                // written coils
  friend bool operator==(const Request&, const Request&) = default;
};

// What a slave answers when all is well.
struct Reply {
  model::FunctionCode function = model::FunctionCode::read_holding_registers;
  std::uint16_t offset = 0;              // echoed by writes
  std::uint16_t quantity = 0;            // echoed by 15 and 16
  std::vector<std::uint16_t> registers;  // read registers; the echoed value or masks of 6 and 22
  std::vector<bool> bits;                // read bits, whole bytes; the echoed value of 5
  friend bool operator==(const Reply&, const Reply&) = default;
};

// V1.1b3, section 7: added to the function code of a refusal.
inline constexpr std::uint8_t exception_flag = 0x80;

// Exception codes (V1.1b3, section 7).
enum class ExceptionCode : std::uint8_t {
  illegal_function = 0x01,
  illegal_data_address = 0x02,
  illegal_data_value = 0x03,
  server_device_failure = 0x04,
  acknowledge = 0x05,
  server_device_busy = 0x06,
  memory_parity_error = 0x08,
  gateway_path_unavailable = 0x0A,
  gateway_target_failed_to_respond = 0x0B,
};

// A slave's refusal. `code` is kept as the byte on the wire: slaves send codes of their own, too.
struct ExceptionReply {
  std::uint8_t function = 0;  // without the 0x80
  std::uint8_t code = 0;
  friend bool operator==(const ExceptionReply&, const ExceptionReply&) = default;
};

// Kinds of what can be wrong with bytes.
enum class DecodeFault : std::uint8_t {
  cut_short,     // fewer bytes than the frame needs
  surplus,       // more bytes than it may have
  frame_start,   // an ASCII frame without its colon
  frame_end,     // an ASCII frame without CR LF
  digits,        // no pairs of hexadecimal digits
  checksum,      // CRC or LRC
  protocol,      // of the MBAP header
  length,        // of the MBAP header
  function,      // none that moves registers or bits
  out_of_range,  // a quantity, or data, that no request of the function carries
  byte_count,    // does not fit the quantity or the function
  coil_value,    // neither FF00 nor 0000
  missing_data,  // to be encoded: the request or reply lacks what its function needs
};

// What is wrong with bytes, and where. `fault` is for programs, `field` and `message` for people.
struct DecodeError {
  DecodeFault fault = DecodeFault::cut_short;
  std::size_t at = 0;  // index of the first byte of the bad field
  std::string field;
  std::string message;
};

template <class T>
using Decoded = tl::expected<T, DecodeError>;

// "illegal data address"; "unknown" for codes the standard does not name.
[[nodiscard]] std::string_view exception_name(std::uint8_t code);

// Fails where the request does not fit its function: quantity out of range, data missing.
[[nodiscard]] Decoded<Bytes> encode_request(const Request& request);
[[nodiscard]] Decoded<Request> decode_request(ByteView pdu);
[[nodiscard]] Decoded<Bytes> encode_reply(const Reply& reply);
[[nodiscard]] Bytes encode_exception(const ExceptionReply& reply);
[[nodiscard]] Decoded<std::variant<Reply, ExceptionReply>> decode_reply(ByteView pdu);

}  // namespace greymet::modbus
