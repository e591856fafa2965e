// The one table of PDU layouts: which fields a request and a reply of each function bring, in
// order. Encoding, decoding, taking apart and lengths all follow it, so that a new function code is
// one row here and one of its facts in model/function_code.cpp. Not for use outside this folder.
#pragma once

#include <algorithm>
#include <array>
#include <initializer_list>
#include <string_view>

#include "model/function_code.h"

namespace greymet::modbus::internal {

// Kinds of fields; all take two bytes but `counted`.
enum class Part : std::uint8_t {
  start,            // of what is read, or of the only part
  write_start,      // of what function 23 writes
  read_quantity,    // 1 to the function's most_read
  write_quantity,   // of the data that follow, 1 to most_write
  echoed_quantity,  // of what has been written
  coil,             // FF00 or 0000
  value,            // the register at `start`
  mask,
  counted  // a byte count and as many bytes: registers, or bits packed to bytes
};

// One field with the name it has in messages.
struct LayoutField {
  Part part = Part::start;
  std::string_view name;
};

// The fields of one PDU behind its function code.
struct FieldList {
  constexpr FieldList(std::initializer_list<LayoutField> list) : count(list.size()) {
    std::copy(list.begin(), list.end(), fields.begin());
  }
  [[nodiscard]] constexpr const LayoutField* begin() const { return fields.data(); }
  [[nodiscard]] constexpr const LayoutField* end() const { return fields.data() + count; }

  std::array<LayoutField, 5> fields{};
  std::size_t count = 0;
};

// One function's row (V1.1b3, sections 6.1 to 6.17).
struct Layout {
  model::FunctionCode code;
  FieldList request;
  FieldList reply;
};

[[nodiscard]] const Layout& layout_of(model::FunctionCode code);

// V1.1b3, section 6.5: what switches a coil on; 0 switches it off.
inline constexpr std::uint16_t coil_on = 0xFF00;

// Bytes of a `counted` field's data.
[[nodiscard]] constexpr std::size_t data_bytes(model::Area area, std::size_t quantity) {
  return model::is_bit_area(area) ? (quantity + 7) / 8 : 2 * quantity;
}

}  // namespace greymet::modbus::internal
