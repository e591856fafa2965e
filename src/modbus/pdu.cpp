#include "modbus/pdu.h"

#include <algorithm>

#include "byte_io.h"
#include "layout.h"

namespace greymet::modbus {

using internal::coil_on;
using internal::data_bytes;
using internal::FieldList;
using internal::layout_of;
using internal::LayoutField;
using internal::Part;
using internal::Reader;
using internal::refuse;
using internal::Writer;
using model::FunctionCode;
using model::traits_of;

namespace {

bool moves_bits(FunctionCode code) {
  return model::is_bit_area(traits_of(code).area);
}

// Registers or bits that the request or reply holds.
std::size_t held(const Request& data) {
  return moves_bits(data.function) ? data.bits.size() : data.registers.size();
}

std::size_t count_of(const FieldList& fields, Part part) {
  return static_cast<std::size_t>(std::count_if(
      fields.begin(), fields.end(), [part](const LayoutField& f) { return f.part == part; }));
}

DecodeError out_of_range(std::string_view field, std::size_t value, std::size_t most) {
  return {DecodeFault::out_of_range, 1, std::string(field),
          fmt::format("{} is out of range 1 to {}", value, most)};
}

// What the fields need and the data lack.
std::optional<DecodeError> lacking(const FieldList& fields, const Request& data) {
  const std::size_t words = count_of(fields, Part::value) + count_of(fields, Part::mask);
  if (words > 0 && data.registers.size() != words) {
    return DecodeError{DecodeFault::missing_data, 3, words == 1 ? "value" : "masks",
                       fmt::format("{} register{} needed", words, words == 1 ? " is" : "s are")};
  }
  if (count_of(fields, Part::coil) > 0 && data.bits.size() != 1) {
    return DecodeError{DecodeFault::missing_data, 3, "value", "one bit is needed"};
  }
  return std::nullopt;
}

// Writes the fields; the data hold what they need.
void write_fields(const FieldList& fields, const Request& data, Writer& out) {
  std::size_t word = 0;
  for (const LayoutField& field : fields) {
    switch (field.part) {
      case Part::start: out.word(data.offset); break;
      case Part::write_start: out.word(data.write_offset); break;
      case Part::read_quantity:
      case Part::echoed_quantity: out.word(data.quantity); break;
      case Part::write_quantity: out.word(static_cast<std::uint32_t>(held(data))); break;
      case Part::coil: out.word(data.bits[0] ? coil_on : 0U); break;
      case Part::value:
      case Part::mask: out.word(data.registers[word++]); break;
      case Part::counted:
        out.byte(static_cast<std::uint32_t>(data_bytes(traits_of(data.function).area, held(data))));
        if (moves_bits(data.function)) out.packed_bits(data.bits);
        for (std::uint16_t each : data.registers) out.word(each);
        break;
    }
  }
}

std::uint16_t read_quantity(Reader& in, std::size_t most, std::string_view field) {
  const std::size_t at = in.at();
  const std::uint16_t quantity = in.word(field);
  if (quantity < 1 || quantity > most) {
    in.fail(DecodeFault::out_of_range, at, field,
            fmt::format("{} is out of range 1 to {}", quantity, most));
  }
  return quantity;
}

bool read_coil(Reader& in, std::string_view field) {
  const std::size_t at = in.at();
  const std::uint16_t value = in.word(field);
  if (value != 0 && value != coil_on) {
    in.fail(DecodeFault::coil_value, at, field,
            fmt::format("{:04X} is neither FF00 (on) nor 0000 (off)", value));
  }
  return value == coil_on;
}

// A byte count and its data. `quantity` is what was announced; without it the count itself tells.
void read_counted(Reader& in, std::optional<std::size_t> quantity, std::string_view field,
                  Request& out) {
  const auto& traits = traits_of(out.function);
  const bool bits = moves_bits(out.function);
  const std::size_t at = in.at();
  const std::size_t count = in.byte(field);
  if (quantity && count != data_bytes(traits.area, *quantity)) {
    in.fail(DecodeFault::byte_count, at, field,
            fmt::format("{} where {} bytes belong", count, data_bytes(traits.area, *quantity)));
  }
  if (!quantity && (count == 0 || count > data_bytes(traits.area, traits.most_read) ||
                    (!bits && count % 2 != 0))) {
    in.fail(
        DecodeFault::byte_count, at, field,
        fmt::format("{} is no length of a reply to function {}", count, number_of(out.function)));
  }
  if (bits) {
    out.bits = in.bits(quantity.value_or(8 * count), "data");
  } else {
    out.registers = in.words(quantity.value_or(count / 2), "data");
  }
}

void read_fields(const FieldList& fields, Reader& in, Request& out) {
  const auto& traits = traits_of(out.function);
  std::optional<std::size_t> announced;
  for (const LayoutField& field : fields) {
    switch (field.part) {
      case Part::start: out.offset = in.word(field.name); break;
      case Part::write_start: out.write_offset = in.word(field.name); break;
      case Part::read_quantity:
        out.quantity = read_quantity(in, traits.most_read, field.name);
        break;
      case Part::echoed_quantity:
        out.quantity = read_quantity(in, traits.most_write, field.name);
        break;
      case Part::write_quantity:
        announced = read_quantity(in, traits.most_write, field.name);
        break;
      case Part::coil: out.bits.push_back(read_coil(in, field.name)); break;
      case Part::value:
      case Part::mask: out.registers.push_back(in.word(field.name)); break;
      case Part::counted: read_counted(in, announced, field.name, out); break;
    }
  }
}

tl::unexpected<DecodeError> unknown_function(std::uint8_t number) {
  return refuse(DecodeFault::function, 0, "function",
                fmt::format("{} is no function that moves registers", number));
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
  const auto& traits = traits_of(request.function);
  const FieldList& fields = layout_of(request.function).request;
  if (traits.most_read > 0 && (request.quantity < 1 || request.quantity > traits.most_read)) {
    return tl::unexpected(out_of_range("quantity", request.quantity, traits.most_read));
  }
  const std::size_t written = held(request);
  const bool counted = count_of(fields, Part::counted) > 0;
  if (counted && (written < 1 || written > traits.most_write)) {
    return tl::unexpected(out_of_range("data", written, traits.most_write));
  }
  if (auto error = lacking(fields, request)) return tl::unexpected(std::move(*error));
  Writer out;
  out.byte(static_cast<std::uint32_t>(model::number_of(request.function)));
  write_fields(fields, request, out);
  return out.take();
}

Decoded<Request> decode_request(ByteView pdu) {
  Reader in(pdu);
  const std::uint8_t number = in.byte("function");
  const auto function = model::function_code_from(number);
  if (in.failed() || !function) return unknown_function(number);
  Request request;
  request.function = *function;
  read_fields(layout_of(*function).request, in, request);
  if (auto error = in.finish()) return tl::unexpected(std::move(*error));
  return request;
}

Decoded<Bytes> encode_reply(const Reply& reply) {
  const auto& traits = traits_of(reply.function);
  const FieldList& fields = layout_of(reply.function).reply;
  const Request data{reply.function, reply.offset, reply.quantity, 0, reply.registers, reply.bits};
  const std::size_t count = held(data);
  if (traits.most_read > 0 && (count < 1 || count > traits.most_read)) {
    return tl::unexpected(out_of_range("data", count, traits.most_read));
  }
  if (auto error = lacking(fields, data)) return tl::unexpected(std::move(*error));
  Writer out;
  out.byte(static_cast<std::uint32_t>(model::number_of(reply.function)));
  write_fields(fields, data, out);
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
  if (in.failed() || !function) return unknown_function(number);
  Request data;
  data.function = *function;
  read_fields(layout_of(*function).reply, in, data);
  if (auto error = in.finish()) return tl::unexpected(std::move(*error));
  return Reply{data.function, data.offset, data.quantity, std::move(data.registers),
               std::move(data.bits)};
}

}  // namespace greymet::modbus
