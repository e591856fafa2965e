// Frames from bytes in every framing: what decodes encodes to the same frame, and any bytes are
// taken apart.
#include "input.h"
#include "modbus/dissect.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  modbus::Bytes bytes;
  for (std::size_t i = 0; i < size; ++i) bytes.push_back(std::byte{data[i]});
  for (const auto framing : {modbus::Framing::rtu, modbus::Framing::ascii, modbus::Framing::tcp}) {
    for (const auto direction : {modbus::Direction::request, modbus::Direction::reply}) {
      const auto dissection = modbus::dissect(bytes, framing, direction);
      std::size_t at = 0;  // every byte belongs to exactly one field
      for (const modbus::Field& field : dissection.fields) {
        fuzz::require(field.at == at && !field.bytes.empty());
        at += field.bytes.size();
      }
      fuzz::require(at == bytes.size());
    }
    const auto frame = modbus::decode_frame(bytes, framing);
    if (!frame) continue;
    const auto again = modbus::decode_frame(*modbus::encode_frame(*frame, framing), framing);
    fuzz::require(again.has_value() && *again == *frame);
  }
  return 0;
}
