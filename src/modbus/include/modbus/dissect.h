// A frame taken apart field by field, as far as its bytes go.
//
// For people who look at bytes: every byte belongs to exactly one field, broken frames are shown up
// to where they break and beyond, and what is wrong is named. Layouts: modbus/pdu.h,
// modbus/frame.h.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "modbus/frame.h"

namespace greymet::modbus {

// Neighbouring bytes (characters in ASCII) with their meaning.
struct Field {
  std::size_t at = 0;  // of its first byte in the frame
  Bytes bytes;
  std::string name;   // "function", "start", "register hr:4"
  std::string value;  // "3, read holding registers"
  bool wrong = false;
};

// The fields in order, and what is wrong with the frame: nothing for a good one.
struct Dissection {
  std::vector<Field> fields;
  std::optional<DecodeError> problem;
};

// Takes any bytes. A reply with the exception bit is shown as one. For a reply to a read,
// `first` is the address its first register or bit has, if known, so that they can be named.
[[nodiscard]] Dissection dissect(ByteView frame, Framing framing, Direction direction,
                                 std::optional<std::uint16_t> first = std::nullopt);

// The byte that, changed alone, makes the RTU frame's CRC right, if there is exactly one such
// change that also leaves a frame that can be read: the one that a disturbance hit.
struct ByteRepair {
  std::size_t at = 0;
  std::byte found{};
  std::byte expected{};
};
[[nodiscard]] std::optional<ByteRepair> single_byte_repair(ByteView frame, Direction direction);

}  // namespace greymet::modbus
