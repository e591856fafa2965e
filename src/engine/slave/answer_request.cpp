#include <algorithm>

#include "engine/register_image.h"
#include "values/special_functions.h"

namespace greymet::engine {

using modbus::Bytes;
using modbus::ByteView;
using modbus::DecodeFault;
using modbus::ExceptionCode;
using modbus::Reply;
using modbus::Request;
using model::Area;
using model::FunctionCode;

namespace {

using Refusal = std::optional<ExceptionCode>;

struct Part {
  Area area;
  std::uint32_t offset;
  std::uint32_t count;
  bool write;
};

std::uint32_t written(const Request& request) {
  if (request.function == FunctionCode::mask_write_register) return 1;
  return static_cast<std::uint32_t>(request.registers.size() + request.bits.size());
}

std::vector<Part> parts_of(const Request& request) {
  std::vector<Part> parts;
  const Area area = model::traits_of(request.function).area;
  const bool both = request.function == FunctionCode::read_write_multiple_registers;
  if (model::reads(request.function)) {
    parts.push_back({area, request.offset, request.quantity, false});
  }
  if (model::writes(request.function)) {
    parts.push_back({area, both ? request.write_offset : request.offset, written(request), true});
  }
  return parts;
}

Refusal refusal_of(const Request& request, const RegisterImage& image, const AnswerLimits& limits) {
  const auto parts = parts_of(request);
  for (const Part& part : parts) {
    if (part.write && !image.takes(request.function, part.area, part.offset, part.count))
      return ExceptionCode::illegal_function;
  }
  for (const Part& part : parts) {
    if (part.count > limits.accepts.most(part.area, !part.write))
      return ExceptionCode::illegal_data_value;
  }
  for (const Part& part : parts) {
    const bool outside = part.offset + part.count > model::addresses_per_area;
    if (outside || !image.has(part.area, part.offset, part.count, part.write)) {
      return ExceptionCode::illegal_data_address;
    }
  }
  return std::nullopt;
}

void write(const Request& request, RegisterImage& image) {
  const bool both = request.function == FunctionCode::read_write_multiple_registers;
  const std::uint32_t offset = both ? request.write_offset : request.offset;
  if (request.function == FunctionCode::mask_write_register) {
    // V1.1b3, section 6.16: (current AND and_mask) OR (or_mask AND NOT and_mask)
    const unsigned and_mask = request.registers[0];
    const unsigned or_mask = request.registers[1];
    const unsigned now = image.word(Area::holding_register, offset);
    image.set_word(offset, static_cast<std::uint16_t>((now & and_mask) | (or_mask & ~and_mask)));
    return;
  }
  for (std::uint32_t i = 0; i < request.registers.size(); ++i) {
    image.set_word(offset + i, request.registers[i]);
  }
  for (std::uint32_t i = 0; i < request.bits.size(); ++i) {
    image.set_bit(offset + i, request.bits[i]);
  }
}

// Function 23 writes before it reads (V1.1b3, section 6.17).
Reply carry_out(const Request& request, RegisterImage& image) {
  Reply reply;
  reply.function = request.function;
  reply.offset = request.offset;
  if (model::writes(request.function)) {
    write(request, image);
    if (model::writes_single(request.function)) {
      reply.registers = request.registers;
      reply.bits = request.bits;
    } else {
      reply.quantity = static_cast<std::uint16_t>(written(request));
    }
  }
  if (!model::reads(request.function)) return reply;
  const Area area = model::traits_of(request.function).area;
  for (std::uint32_t i = 0; i < request.quantity; ++i) {
    if (model::is_bit_area(area)) {
      reply.bits.push_back(image.bit(area, request.offset + i));
    } else {
      reply.registers.push_back(image.word(area, request.offset + i));
    }
  }
  return reply;
}

Bytes refuse(std::uint8_t function, ExceptionCode code, AnswerCounters& counters) {
  ++counters.exceptions;
  return modbus::encode_exception({function, static_cast<std::uint8_t>(code)});
}

}  // namespace

std::optional<Bytes> answer_request(ByteView pdu, RegisterImage& image, const AnswerLimits& limits,
                                    AnswerCounters& counters) {
  ++counters.messages;
  if (pdu.empty()) return std::nullopt;
  ++counters.for_us;
  const auto function = std::to_integer<std::uint8_t>(pdu[0]);
  const bool known = limits.accepts.implements(function);
  if (internal::is_special(function, limits.on_line) && known) {
    const auto special = internal::answer_special(pdu, image, limits, counters);
    if (!special) {
      ++counters.no_response;
      return std::nullopt;
    }
    return *special ? **special : refuse(function, special->error(), counters);
  }
  if (counters.listen_only) {
    ++counters.no_response;
    return std::nullopt;
  }
  if (!known || !model::function_code_from(function)) {
    return refuse(function, ExceptionCode::illegal_function, counters);
  }
  const auto request = modbus::decode_request(pdu);
  if (!request) {
    // quantity, byte count or data that the function does not have
    return refuse(function, ExceptionCode::illegal_data_value, counters);
  }
  if (const Refusal refusal = refusal_of(*request, image, limits)) {
    return refuse(function, *refusal, counters);
  }
  const auto reply = modbus::encode_reply(carry_out(*request, image));
  if (!reply) return refuse(function, ExceptionCode::server_device_failure, counters);
  return *reply;
}

}  // namespace greymet::engine
