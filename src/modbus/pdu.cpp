#include "modbus/pdu.h"

#include "byte_io.h"

namespace greymet::modbus {

using internal::Reader;
using internal::Writer;
using model::FunctionCode;
using model::traits_of;

namespace {

constexpr std::uint16_t coil_on = 0xFF00;  // V1.1b3, section 6.5
constexpr std::uint8_t exception_flag = 0x80;

tl::unexpected<DecodeError> refuse(std::size_t at, std::string_view field, std::string message) {
  return tl::unexpected(DecodeError{at, std::string(field), std::move(message)});
}

bool is_single_coil(FunctionCode code) {
  return code == FunctionCode::write_single_coil;
}

std::size_t written_count(const Request& request) {
  if (request.function == FunctionCode::mask_write_register) return 1;
  return model::is_bit_area(traits_of(request.function).area) ? request.bits.size()
                                                              : request.registers.size();
}

std::optional<DecodeError> check_limits(const Request& request) {
  const auto& traits = traits_of(request.function);
  const auto out_of_range = [](std::string_view field, std::size_t value, std::size_t most) {
    return DecodeError{1, std::string(field),
                       fmt::format("{} is out of range 1 to {}", value, most)};
  };
  if (traits.most_read > 0 && (request.quantity < 1 || request.quantity > traits.most_read)) {
    return out_of_range("quantity", request.quantity, traits.most_read);
  }
  const std::size_t written = written_count(request);
  if (traits.most_write > 0 && (written < 1 || written > traits.most_write)) {
    return out_of_range("data", written, traits.most_write);
  }
  if (request.function == FunctionCode::mask_write_register && request.registers.size() != 2) {
    return DecodeError{3, "masks", "AND and OR mask are needed"};
  }
  return std::nullopt;
}

std::uint16_t coil_word(bool on) {
  return on ? coil_on : std::uint16_t{0};
}

bool read_coil_word(Reader& in) {
  const std::size_t at = in.at();
  const std::uint16_t value = in.word("value");
  if (value != 0 && value != coil_on) {
    in.fail(at, "value", fmt::format("{:04X} is neither FF00 (on) nor 0000 (off)", value));
  }
  return value == coil_on;
}

std::uint16_t read_quantity(Reader& in, std::size_t most, std::string_view field = "quantity") {
  const std::size_t at = in.at();
  const std::uint16_t quantity = in.word(field);
  if (quantity < 1 || quantity > most) {
    in.fail(at, field, fmt::format("{} is out of range 1 to {}", quantity, most));
  }
  return quantity;
}

void expect_byte_count(Reader& in, std::size_t expected) {
  const std::size_t at = in.at();
  const std::uint8_t count = in.byte("byte count");
  if (count != expected) {
    in.fail(at, "byte count", fmt::format("{} where {} bytes belong", count, expected));
  }
}

}  // namespace

std::string_view exception_name(std::uint8_t code) {
  switch (static_cast<ExceptionCode>(code)) {
    case ExceptionCode::illegal_function: return "illegal function";
    case ExceptionCode::illegal_data_address: return "illegal data address";
    case ExceptionCode::illegal_data_value: return "illegal data value";
    case ExceptionCode::server_device_failure: return "server device failure";
    case ExceptionCode::acknowledge: return "acknowledge";
    case ExceptionCode::server_device_busy: return "server device busy";
    case ExceptionCode::memory_parity_error: return "memory parity error";
    case ExceptionCode::gateway_path_unavailable: return "gateway path unavailable";
    case ExceptionCode::gateway_target_failed_to_respond:
      return "gateway target device failed to respond";
  }
  return "unknown";
}

Decoded<Bytes> encode_request(const Request& request) {
  if (const auto error = check_limits(request)) return tl::unexpected(*error);
  Writer out;
  out.byte(static_cast<std::uint32_t>(model::number_of(request.function)));
  out.word(request.offset);
  switch (request.function) {
    case FunctionCode::read_coils:
    case FunctionCode::read_discrete_inputs:
    case FunctionCode::read_holding_registers:
    case FunctionCode::read_input_registers: out.word(request.quantity); break;
    case FunctionCode::write_single_coil: out.word(coil_word(request.bits[0])); break;
    case FunctionCode::write_single_register: out.word(request.registers[0]); break;
    case FunctionCode::write_multiple_coils:
      out.word(static_cast<std::uint32_t>(request.bits.size()));
      out.byte(static_cast<std::uint32_t>((request.bits.size() + 7) / 8));
      out.packed_bits(request.bits);
      break;
    case FunctionCode::read_write_multiple_registers:
      out.word(request.quantity);
      out.word(request.write_offset);
      [[fallthrough]];
    case FunctionCode::write_multiple_registers:
      out.word(static_cast<std::uint32_t>(request.registers.size()));
      out.byte(static_cast<std::uint32_t>(2 * request.registers.size()));
      [[fallthrough]];
    case FunctionCode::mask_write_register:
      for (std::uint16_t word : request.registers) out.word(word);
      break;
  }
  return out.take();
}

Decoded<Request> decode_request(ByteView pdu) {
  Reader in(pdu);
  Request request;
  const std::uint8_t number = in.byte("function");
  const auto function = model::function_code_from(number);
  if (in.failed() || !function) {
    return refuse(0, "function", fmt::format("{} is no function that moves registers", number));
  }
  request.function = *function;
  request.offset = in.word("start");
  const auto& traits = traits_of(*function);
  switch (*function) {
    case FunctionCode::read_coils:
    case FunctionCode::read_discrete_inputs:
    case FunctionCode::read_holding_registers:
    case FunctionCode::read_input_registers:
      request.quantity = read_quantity(in, traits.most_read);
      break;
    case FunctionCode::write_single_coil: request.bits.push_back(read_coil_word(in)); break;
    case FunctionCode::write_single_register: request.registers = in.words(1, "value"); break;
    case FunctionCode::write_multiple_coils: {
      const std::size_t count = read_quantity(in, traits.most_write);
      expect_byte_count(in, (count + 7) / 8);
      request.bits = in.bits(count, "data");
      break;
    }
    case FunctionCode::write_multiple_registers:
    case FunctionCode::read_write_multiple_registers: {
      if (traits.most_read > 0) {
        request.quantity = read_quantity(in, traits.most_read, "read quantity");
        request.write_offset = in.word("write start");
      }
      const std::size_t count = read_quantity(in, traits.most_write);
      expect_byte_count(in, 2 * count);
      request.registers = in.words(count, "data");
      break;
    }
    case FunctionCode::mask_write_register: request.registers = in.words(2, "masks"); break;
  }
  if (auto error = in.finish()) return tl::unexpected(std::move(*error));
  return request;
}

Decoded<Bytes> encode_reply(const Reply& reply) {
  const auto& traits = traits_of(reply.function);
  Writer out;
  out.byte(static_cast<std::uint32_t>(model::number_of(reply.function)));
  if (traits.most_read > 0) {
    const bool bits = model::is_bit_area(traits.area);
    const std::size_t count = bits ? reply.bits.size() : reply.registers.size();
    if (count < 1 || count > traits.most_read) {
      return refuse(1, "data", fmt::format("{} is out of range 1 to {}", count, traits.most_read));
    }
    out.byte(static_cast<std::uint32_t>(bits ? (count + 7) / 8 : 2 * count));
    if (bits) out.packed_bits(reply.bits);
    for (std::uint16_t word : reply.registers) out.word(word);
    return out.take();
  }
  out.word(reply.offset);
  if (is_single_coil(reply.function)) {
    if (reply.bits.size() != 1) return refuse(3, "value", "one bit is needed");
    out.word(coil_word(reply.bits[0]));
  } else if (model::writes_single(reply.function)) {
    const std::size_t needed = reply.function == FunctionCode::mask_write_register ? 2 : 1;
    if (reply.registers.size() != needed) {
      return refuse(3, "value", fmt::format("{} registers are needed", needed));
    }
    for (std::uint16_t word : reply.registers) out.word(word);
  } else {
    out.word(reply.quantity);
  }
  return out.take();
}

Bytes encode_exception(const ExceptionReply& reply) {
  Writer out;
  out.byte(static_cast<std::uint32_t>(reply.function | exception_flag));
  out.byte(reply.code);
  return out.take();
}

Decoded<std::variant<Reply, ExceptionReply>> decode_reply(ByteView pdu) {
  Reader in(pdu);
  const std::uint8_t number = in.byte("function");
  if ((number & exception_flag) != 0) {
    ExceptionReply exception;
    exception.function = static_cast<std::uint8_t>(number & ~exception_flag);
    exception.code = in.byte("exception code");
    if (auto error = in.finish()) return tl::unexpected(std::move(*error));
    return exception;
  }
  const auto function = model::function_code_from(number);
  if (in.failed() || !function) {
    return refuse(0, "function", fmt::format("{} is no function that moves registers", number));
  }
  Reply reply;
  reply.function = *function;
  const auto& traits = traits_of(*function);
  if (traits.most_read > 0) {
    const std::size_t at = in.at();
    const std::size_t count = in.byte("byte count");
    const bool bits = model::is_bit_area(traits.area);
    const std::size_t most = bits ? (traits.most_read + 7) / 8 : 2 * std::size_t{traits.most_read};
    if (count == 0 || count > most || (!bits && count % 2 != 0)) {
      in.fail(at, "byte count",
              fmt::format("{} is no length of a reply to function {}", count, number));
    }
    if (bits) {
      reply.bits = in.bits(8 * count, "data");
    } else {
      reply.registers = in.words(count / 2, "data");
    }
  } else {
    reply.offset = in.word("start");
    if (is_single_coil(*function)) {
      reply.bits.push_back(read_coil_word(in));
    } else if (model::writes_single(*function)) {
      reply.registers = in.words(*function == FunctionCode::mask_write_register ? 2 : 1, "value");
    } else {
      reply.quantity = read_quantity(in, traits.most_write);
    }
  }
  if (auto error = in.finish()) return tl::unexpected(std::move(*error));
  return reply;
}

}  // namespace greymet::modbus
