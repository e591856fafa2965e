// PDUs from bytes: what decodes, encoded, decodes to the same. (Not to the same bytes: the unused
// bits behind the last coil are ignored.)
#include "input.h"
#include "modbus/pdu.h"

using namespace greymet;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  modbus::Bytes bytes;
  for (std::size_t i = 0; i < size; ++i) bytes.push_back(std::byte{data[i]});
  if (const auto request = modbus::decode_request(bytes)) {
    fuzz::require(*modbus::decode_request(*modbus::encode_request(*request)) == *request);
  }
  if (const auto reply = modbus::decode_reply(bytes)) {
    if (const auto* good = std::get_if<modbus::Reply>(&*reply)) {
      fuzz::require(*modbus::encode_reply(*good) == bytes);
    } else {
      fuzz::require(modbus::encode_exception(std::get<modbus::ExceptionReply>(*reply)) == bytes);
    }
  }
  return 0;
}
