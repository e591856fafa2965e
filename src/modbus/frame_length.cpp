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

std::uint32_t framed_length(std::uint32_t rtu_bytes, Framing framing) {
  switch (framing) {
    case Framing::rtu: return rtu_bytes;
    case Framing::ascii: return 2 * (rtu_bytes - 1) + 3;
    case Framing::tcp: return rtu_bytes + 4;
  }
  return rtu_bytes;
}

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

ExchangeLengths exchange_lengths(model::FunctionCode function, std::uint32_t written,
                                 std::uint32_t read, Framing framing) {
  return {request_length(function, written, framing), reply_length(function, read, framing),
          exception_length(framing)};
}

}  // namespace greymet::modbus
