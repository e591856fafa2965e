#include "modbus/planned_frames.h"

#include <fmt/format.h>

namespace greymet::modbus {

using model::FunctionCode;
using model::value_or;

namespace {

Framing framing_of(const model::ResolvedPlan& resolved, const model::Channel& channel) {
  if (channel.gateway) {
    const auto& gateway = resolved.plan.gateways[*channel.gateway];
    const auto framing = value_or(gateway.framing, model::GatewayFraming::tcp);
    return framing == model::GatewayFraming::rtu ? Framing::rtu : Framing::tcp;
  }
  if (!channel.line) return Framing::tcp;
  const auto& mode = resolved.plan.lines[*channel.line].settings.mode;
  return mode && mode->value == model::SerialMode::ascii ? Framing::ascii : Framing::rtu;
}

std::int64_t unit_of(const model::ResolvedPlan& resolved, const model::ResolvedTransaction& t) {
  if (!t.target->is_peer) {
    return value_or(resolved.plan.slaves[t.target->index].unit, model::defaults::tcp_unit);
  }
  const auto& answer = resolved.plan.controllers[t.target->index].answers[t.target->answer];
  return value_or(answer.unit, model::defaults::tcp_unit);
}

Request request_of(const model::ResolvedTransaction& t) {
  Request request;
  request.function = *t.function;
  const auto offset = [](const model::DeviceBlock& b) {
    return static_cast<std::uint16_t>(b.offset);
  };
  if (t.read) {
    request.offset = offset(*t.read);
    request.quantity = static_cast<std::uint16_t>(t.read->quantity);
  }
  if (!t.write) return request;
  (t.read ? request.write_offset : request.offset) = offset(*t.write);
  if (*t.function == FunctionCode::mask_write_register) {
    request.registers = {0, 0};
  } else if (is_bit_area(t.write->area)) {
    request.bits.assign(t.write->quantity, false);
  } else {
    request.registers.assign(t.write->quantity, 0);
  }
  return request;
}

Reply reply_to(const Request& request) {
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

}  // namespace

tl::expected<PlannedFrames, std::string> planned_frames(const model::ResolvedPlan& resolved,
                                                        const model::ResolvedTransaction& t) {
  const std::string& name = resolved.declared(t).name;
  const bool whole = t.function && t.target && t.channel && (!reads(*t.function) || t.read) &&
                     (!writes(*t.function) || t.write);
  if (!whole) return tl::unexpected(fmt::format("{} is not complete enough for a frame", name));
  for (const auto& block : {t.read, t.write}) {
    if (block && (block->offset >= model::addresses_per_area || block->quantity > 0xFFFF)) {
      return tl::unexpected(fmt::format("{} asks for addresses that no request can name", name));
    }
  }
  const std::int64_t unit = unit_of(resolved, t);
  if (unit < 0 || unit > 255) {
    return tl::unexpected(fmt::format("{}: unit {} does not fit a byte", name, unit));
  }
  const Request request = request_of(t);
  const auto pdu = encode_request(request);
  if (!pdu) {
    return tl::unexpected(fmt::format("{} does not fit one request: {}: {}", name,
                                      pdu.error().field, pdu.error().message));
  }
  PlannedFrames frames;
  frames.framing = framing_of(resolved, *t.channel);
  const auto wrap = [&](Bytes bytes) {
    return encode_frame({static_cast<std::uint8_t>(unit), 1, std::move(bytes)}, frames.framing);
  };
  const auto framed = wrap(*pdu);
  const auto reply = encode_reply(reply_to(request));
  if (!framed || !reply) return tl::unexpected(fmt::format("{} does not fit one frame", name));
  frames.request = *framed;
  if (t.read) frames.reply_first = request.offset;
  const bool broadcast = t.channel->line && unit == 0;
  if (broadcast) return frames;
  const auto framed_reply = wrap(*reply);
  if (!framed_reply) return tl::unexpected(fmt::format("{} does not fit one frame", name));
  frames.reply = *framed_reply;
  return frames;
}

}  // namespace greymet::modbus
