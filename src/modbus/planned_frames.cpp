#include "modbus/planned_frames.h"

#include <fmt/format.h>

#include "modbus/constant_words.h"

namespace greymet::modbus {

using model::FunctionCode;

Reply planned_reply(const Request& request) {
  Reply reply;
  reply.function = request.function;
  if (model::reads(request.function)) {
    if (is_bit_area(model::traits_of(request.function).area)) {
      reply.bits.assign(request.quantity, false);
    } else {
      reply.registers.assign(request.quantity, 0);
    }
    return reply;
  }
  reply.offset = request.offset;
  reply.registers = request.registers;
  reply.bits = request.bits;
  if (request.function == FunctionCode::write_multiple_coils ||
      request.function == FunctionCode::write_multiple_registers) {
    reply.quantity = static_cast<std::uint16_t>(request.bits.size() + request.registers.size());
    reply.registers.clear();
    reply.bits.clear();
  }
  return reply;
}

Request planned_request(const model::ExchangeTransaction& t) {
  Request request;
  request.function = t.function;
  const auto offset = [](const model::DeviceBlock& b) {
    return static_cast<std::uint16_t>(b.offset);
  };
  if (t.read) {
    request.offset = offset(*t.read);
    request.quantity = static_cast<std::uint16_t>(t.read->quantity);
  }
  if (!t.write) return request;
  (t.read ? request.write_offset : request.offset) = offset(*t.write);
  if (t.function == FunctionCode::mask_write_register) {
    request.registers = {0, 0};
  } else if (is_bit_area(t.write->area)) {
    request.bits.assign(t.write->quantity, false);
  } else {
    request.registers.assign(t.write->quantity, 0);
  }
  put_constants(t, request);
  return request;
}

tl::expected<PlannedFrames, std::string> planned_frames(const model::ExchangeTransaction& t) {
  for (const auto& block : {t.read, t.write}) {
    if (block && (block->offset >= model::addresses_per_area || block->quantity > 0xFFFF)) {
      return tl::unexpected(fmt::format("{} asks for addresses that no request can name", t.name));
    }
  }
  if (!t.endpoint.unit) return tl::unexpected(fmt::format("{}: its slave has no unit", t.name));
  const model::Unit unit = *t.endpoint.unit;
  if (unit.value > 255) {
    return tl::unexpected(fmt::format("{}: unit {} does not fit a byte", t.name, unit.value));
  }
  const Request request = planned_request(t);
  return planned_frames(t, request, planned_reply(request));
}

tl::expected<PlannedFrames, std::string> planned_frames(const model::ExchangeTransaction& t,
                                                        const Request& request,
                                                        const Reply& answer) {
  const model::Unit unit = *t.endpoint.unit;
  const auto pdu = encode_request(request);
  if (!pdu) {
    return tl::unexpected(fmt::format("{} does not fit one request: {}: {}", t.name,
                                      pdu.error().field, pdu.error().message));
  }
  PlannedFrames frames;
  frames.framing = t.endpoint.framing;
  const auto wrap = [&](Bytes bytes) {
    return encode_frame({static_cast<std::uint8_t>(unit.value), 1, std::move(bytes)},
                        frames.framing);
  };
  const auto framed = wrap(*pdu);
  const auto reply = encode_reply(answer);
  if (!framed || !reply) return tl::unexpected(fmt::format("{} does not fit one frame", t.name));
  frames.request = *framed;
  if (t.read) frames.reply_first = request.offset;
  if (t.endpoint.broadcast) return frames;
  const auto framed_reply = wrap(*reply);
  if (!framed_reply) return tl::unexpected(fmt::format("{} does not fit one frame", t.name));
  frames.reply = *framed_reply;
  return frames;
}

}  // namespace greymet::modbus
