#include "modbus/frame_length.h"

#include "layout.h"

namespace greymet::modbus {

using internal::FieldList;
using internal::Part;
using model::FunctionCode;

namespace {

constexpr std::uint32_t unit_function_and_crc = 4;

std::uint32_t rtu_length(const FieldList& fields, model::Area area, std::uint32_t quantity) {
  std::uint32_t length = unit_function_and_crc;
  for (const auto& field : fields) {
    length += field.part == Part::counted
                  ? 1 + static_cast<std::uint32_t>(internal::data_bytes(area, quantity))
                  : 2;
  }
  return length;
}

}  // namespace

std::uint32_t request_length(FunctionCode function, std::uint32_t written, Framing framing) {
  const model::Area area = model::traits_of(function).area;
  return framed_length(rtu_length(internal::layout_of(function).request, area, written), framing);
}

std::uint32_t reply_length(FunctionCode function, std::uint32_t read, Framing framing) {
  const model::Area area = model::traits_of(function).area;
  return framed_length(rtu_length(internal::layout_of(function).reply, area, read), framing);
}

std::uint32_t exception_length(Framing framing) {
  return framed_length(unit_function_and_crc + 1, framing);
}

}  // namespace greymet::modbus
