#include "modbus/dissect.h"

#include <algorithm>

#include <fmt/format.h>

namespace greymet::modbus {

using model::Area;
using model::FunctionCode;

namespace {

constexpr std::uint8_t exception_flag = 0x80;
constexpr std::size_t crc_length = 2;

unsigned value_of(ByteView bytes) {
  unsigned value = 0;
  for (std::byte b : bytes) value = value << 8U | std::to_integer<unsigned>(b);
  return value;
}

// Walks over the bytes of a unit and its PDU, one field after the other. Bytes that are missing
// make a last, wrong field; the frame's own error names them.
class Walker {
 public:
  Walker(ByteView body, std::vector<Field>& fields) : body_(body), fields_(fields) {}

  [[nodiscard]] std::size_t left() const { return body_.size() - at_; }
  [[nodiscard]] std::size_t at() const { return at_; }

  // Takes up to `count` bytes; nothing if none is left.
  std::optional<unsigned> take(std::size_t count, std::string name, bool is_number = true) {
    const std::size_t there = std::min(count, left());
    if (there == 0) return std::nullopt;
    const ByteView bytes = body_.subspan(at_, there);
    Field field{at_, {bytes.begin(), bytes.end()}, std::move(name), {}, there < count};
    if (there < count) {
      field.value = fmt::format("cut off: {} of {} bytes", there, count);
    } else if (is_number) {
      field.value = fmt::format("{}", value_of(bytes));
    }
    at_ += there;
    fields_.push_back(std::move(field));
    if (there < count) return std::nullopt;
    return is_number ? std::optional(value_of(bytes)) : 0U;
  }
  void describe(std::string value) { fields_.back().value = std::move(value); }
  void mark_wrong() { fields_.back().wrong = true; }
  void rest(std::string name) {
    if (left() == 0) return;
    take(left(), std::move(name), false);
    fields_.back().wrong = true;
    fields_.back().value = "more than the frame should have";
  }

 private:
  ByteView body_;
  std::size_t at_ = 0;
  std::vector<Field>& fields_;
};

std::string address_text(Area area, unsigned offset) {
  const model::Address address{area, {static_cast<std::uint16_t>(offset)}};
  return fmt::format("{} = {} ({})", offset, to_text(address), reference6(address));
}

void take_start(Walker& walk, Area area, std::string name) {
  const auto start = walk.take(2, std::move(name));
  if (start) walk.describe(address_text(area, *start));
}

void take_quantity(Walker& walk, Area area, std::string name) {
  const auto quantity = walk.take(2, std::move(name));
  if (!quantity) return;
  walk.describe(fmt::format("{} {}{}", *quantity, model::is_bit_area(area) ? "bit" : "register",
                            *quantity == 1 ? "" : "s"));
  if (*quantity == 0) walk.mark_wrong();
}

void take_registers(Walker& walk, Area area, std::size_t bytes, std::optional<unsigned> first) {
  for (std::size_t i = 0; i < bytes && walk.left() > 0; i += 2) {
    const auto offset = first ? std::optional(*first + static_cast<unsigned>(i / 2)) : std::nullopt;
    std::string name = offset ? fmt::format("{}:{}", short_name(area), *offset)
                              : fmt::format("register {}", i / 2 + 1);
    const auto value = walk.take(std::min<std::size_t>(2, bytes - i), std::move(name));
    if (!value) continue;
    const auto signed_value = static_cast<std::int16_t>(*value);
    walk.describe(signed_value < 0 ? fmt::format("{} (signed {})", *value, signed_value)
                                   : fmt::format("{}", *value));
  }
}

void take_bits(Walker& walk, Area area, std::size_t bytes, std::optional<unsigned> first,
               std::optional<unsigned> quantity) {
  for (std::size_t i = 0; i < bytes && walk.left() > 0; ++i) {
    const auto from = static_cast<unsigned>(8 * i);
    const unsigned end = std::min(from + 8, quantity.value_or(from + 8));
    std::string name = first ? fmt::format("{0}:{1}..{0}:{2}", short_name(area), *first + from,
                                           *first + std::max(end, from + 1) - 1)
                             : fmt::format("bits {} to {}", from + 1, from + 8);
    const auto value = walk.take(1, std::move(name));
    if (value) walk.describe(fmt::format("{:08b}, the first is rightmost", *value));
  }
}

void take_data(Walker& walk, Area area, std::optional<unsigned> first, std::string name,
               std::optional<unsigned> quantity = std::nullopt) {
  const auto count = walk.take(1, std::move(name));
  if (!count) return;
  if (*count == 0 || *count != walk.left()) {
    walk.describe(fmt::format("{} announced, {} there", *count, walk.left()));
    walk.mark_wrong();
  }
  if (model::is_bit_area(area)) {
    take_bits(walk, area, *count, first, quantity);
  } else {
    take_registers(walk, area, *count, first);
  }
}

std::optional<unsigned> last_number(const std::vector<Field>& fields, std::string_view name) {
  for (const Field& field : fields) {
    if (field.name == name && field.bytes.size() == 2) return value_of(field.bytes);
  }
  return std::nullopt;
}

void take_coil(Walker& walk) {
  const auto value = walk.take(2, "value");
  if (!value) return;
  const bool known = *value == 0 || *value == 0xFF00;
  walk.describe(!known ? "neither FF00 (on) nor 0000 (off)" : *value == 0 ? "off" : "on");
  if (!known) walk.mark_wrong();
}

void walk_request(Walker& walk, FunctionCode function, const std::vector<Field>& fields) {
  const Area area = model::traits_of(function).area;
  const bool both = function == FunctionCode::read_write_multiple_registers;
  take_start(walk, area, both ? "read start" : "start");
  switch (function) {
    case FunctionCode::read_coils:
    case FunctionCode::read_discrete_inputs:
    case FunctionCode::read_holding_registers:
    case FunctionCode::read_input_registers: take_quantity(walk, area, "quantity"); break;
    case FunctionCode::write_single_coil: take_coil(walk); break;
    case FunctionCode::write_single_register:
      take_registers(walk, area, 2, last_number(fields, "start"));
      break;
    case FunctionCode::write_multiple_coils:
    case FunctionCode::write_multiple_registers:
      take_quantity(walk, area, "quantity");
      take_data(walk, area, last_number(fields, "start"), "byte count",
                last_number(fields, "quantity"));
      break;
    case FunctionCode::mask_write_register:
      walk.take(2, "AND mask");
      walk.take(2, "OR mask");
      break;
    case FunctionCode::read_write_multiple_registers:
      take_quantity(walk, area, "read quantity");
      take_start(walk, area, "write start");
      take_quantity(walk, area, "write quantity");
      take_data(walk, area, last_number(fields, "write start"), "byte count");
      break;
  }
}

void walk_reply(Walker& walk, FunctionCode function, std::optional<std::uint16_t> first,
                const std::vector<Field>& fields) {
  const Area area = model::traits_of(function).area;
  if (model::reads(function)) {
    take_data(walk, area, first ? std::optional<unsigned>(*first) : std::nullopt, "byte count");
    return;
  }
  if (function == FunctionCode::write_multiple_coils ||
      function == FunctionCode::write_multiple_registers) {
    take_start(walk, area, "start");
    take_quantity(walk, area, "quantity");
    return;
  }
  walk_request(walk, function, fields);  // 5, 6 and 22 are echoed
}

// Unit, function, and what the function brings.
void walk_body(ByteView body, Direction direction, std::optional<std::uint16_t> first,
               std::vector<Field>& fields) {
  Walker walk(body, fields);
  walk.take(1, "unit");
  const auto code = walk.take(1, "function");
  if (!code) return;
  const bool exception = direction == Direction::reply && (*code & exception_flag) != 0;
  const unsigned number = exception ? *code & ~unsigned{exception_flag} : *code;
  const auto function = model::function_code_from(number);
  const std::string name =
      function ? std::string(model::traits_of(*function).name) : "no function that moves registers";
  walk.describe(exception ? fmt::format("{} + 128: exception to {}", number, name)
                          : fmt::format("{}, {}", number, name));
  if (exception) {
    const auto reason = walk.take(1, "exception");
    if (reason) {
      walk.describe(
          fmt::format("{:02X}, {}", *reason, exception_name(static_cast<std::uint8_t>(*reason))));
    }
  } else if (!function) {
    walk.mark_wrong();
    if (walk.left() > 0) walk.take(walk.left(), "data", false);
  } else if (direction == Direction::request) {
    walk_request(walk, *function, fields);
  } else {
    walk_reply(walk, *function, first, fields);
  }
  walk.rest("surplus");
}

// Bytes of unit and PDU that the frame must have, as far as its first bytes tell.
std::optional<std::size_t> expected_body(ByteView body, Direction direction) {
  if (body.size() < 2) return std::nullopt;
  const unsigned code = std::to_integer<unsigned>(body[1]);
  constexpr std::size_t exception_body = 3;
  if (direction == Direction::reply && (code & exception_flag) != 0) return exception_body;
  const auto function = model::function_code_from(code);
  if (!function) return std::nullopt;
  const auto with_count = [&](std::size_t at) -> std::optional<std::size_t> {
    if (body.size() <= at) return std::nullopt;
    return at + 1 + std::to_integer<std::size_t>(body[at]);
  };
  constexpr std::size_t count_of_reply = 2;
  constexpr std::size_t count_of_write = 6;
  constexpr std::size_t count_of_both = 10;
  constexpr std::size_t two_words = 6;
  constexpr std::size_t three_words = 8;
  if (direction == Direction::reply && model::reads(*function)) return with_count(count_of_reply);
  if (*function == FunctionCode::mask_write_register) return three_words;
  if (direction == Direction::reply) return two_words;
  if (*function == FunctionCode::read_write_multiple_registers) return with_count(count_of_both);
  const bool multiple = *function == FunctionCode::write_multiple_coils ||
                        *function == FunctionCode::write_multiple_registers;
  return multiple ? with_count(count_of_write) : two_words;
}

// What an RTU frame with a wrong checksum really lacks, where its length tells.
std::optional<DecodeError> length_problem(ByteView frame, Direction direction) {
  const auto body = expected_body(frame, direction);
  if (!body) return std::nullopt;
  const std::size_t expected = *body + crc_length;
  if (frame.size() < expected) {
    return DecodeError{frame.size(), "end",
                       fmt::format("the frame ends here: {} of {} bytes", frame.size(), expected)};
  }
  if (frame.size() > expected && decode_frame(frame.first(expected), Framing::rtu)) {
    return DecodeError{
        expected, "surplus",
        fmt::format("a good frame ends before this byte; {} more follow", frame.size() - expected)};
  }
  return std::nullopt;
}

std::optional<DecodeError> problem_of(ByteView frame, Framing framing, Direction direction) {
  const auto decoded = decode_frame(frame, framing);
  if (!decoded) {
    const auto length = framing == Framing::rtu ? length_problem(frame, direction) : std::nullopt;
    return length ? length : std::optional(decoded.error());
  }
  // positions in the PDU become positions in the frame
  const auto shifted = [framing](DecodeError error) {
    constexpr std::size_t mbap_length = 7;
    switch (framing) {
      case Framing::rtu: error.at += 1; break;
      case Framing::ascii: error.at = 1 + 2 * (error.at + 1); break;
      case Framing::tcp: error.at += mbap_length; break;
    }
    return error;
  };
  if (direction == Direction::request) {
    const auto request = decode_request(decoded->pdu);
    return request ? std::nullopt : std::optional(shifted(request.error()));
  }
  const auto reply = decode_reply(decoded->pdu);
  return reply ? std::nullopt : std::optional(shifted(reply.error()));
}

void dissect_rtu(ByteView frame, Direction direction, std::optional<std::uint16_t> first,
                 Dissection& out) {
  const std::size_t length = frame.size() > crc_length ? frame.size() - crc_length : frame.size();
  walk_body(frame.first(length), direction, first, out.fields);
  if (length == frame.size()) return;
  const std::uint16_t expected = crc16(frame.first(length));
  const ByteView crc = frame.subspan(length);
  const unsigned low = std::to_integer<unsigned>(crc[0]);
  const unsigned found = std::to_integer<unsigned>(crc[1]) << 8U | low;
  Field field{length, {crc.begin(), crc.end()}, "CRC", "right", found != expected};
  if (field.wrong) {
    const auto swapped = static_cast<std::uint16_t>(expected << 8U | expected >> 8U);
    field.value = fmt::format("{:02X} {:02X} belongs here{}", expected & 0xFFU, expected >> 8U,
                              found == swapped ? ": the two bytes are swapped" : "");
  }
  out.fields.push_back(std::move(field));
}

void dissect_tcp(ByteView frame, Direction direction, std::optional<std::uint16_t> first,
                 Dissection& out) {
  Walker walk(frame, out.fields);
  walk.take(2, "transaction");
  const auto protocol = walk.take(2, "protocol");
  if (protocol && *protocol != 0) walk.mark_wrong();
  const auto length = walk.take(2, "length");
  if (!length) return;
  walk.describe(fmt::format("{} bytes follow", *length));
  if (*length != walk.left()) {
    walk.describe(fmt::format("{} bytes announced, {} there", *length, walk.left()));
    walk.mark_wrong();
  }
  const std::size_t header = walk.at();
  std::vector<Field> body;
  walk_body(frame.subspan(header), direction, first, body);
  for (Field& field : body) {
    field.at += header;
    out.fields.push_back(std::move(field));
  }
}

std::optional<std::byte> byte_of(ByteView digits) {
  std::string text;
  for (std::byte digit : digits) text += std::to_integer<char>(digit);
  const auto bytes = from_hex(text);
  if (!bytes || bytes->size() != 1) return std::nullopt;
  return bytes->front();
}

// Characters become bytes, fields of bytes become fields of characters.
void dissect_ascii(ByteView frame, Direction direction, std::optional<std::uint16_t> first,
                   Dissection& out) {
  std::size_t at = 0;
  std::size_t end = frame.size();
  if (!frame.empty() && frame[0] == std::byte{':'}) {
    out.fields.push_back({0, {frame[0]}, "start", "colon", false});
    at = 1;
  }
  const bool ended = frame.size() >= at + 2 && frame[end - 2] == std::byte{'\r'} &&
                     frame[end - 1] == std::byte{'\n'};
  if (ended) end -= 2;
  const std::size_t first_digit = at;
  Bytes bytes;
  for (; at + 1 < end; at += 2) {
    const auto value = byte_of(frame.subspan(at, 2));
    if (!value) break;
    bytes.push_back(*value);
  }
  std::vector<Field> body;
  const bool has_lrc = bytes.size() > 1 && at == end;
  const ByteView all(bytes);
  const ByteView checked = has_lrc ? all.first(bytes.size() - 1) : all;
  walk_body(checked, direction, first, body);
  if (has_lrc) {
    const std::uint8_t expected = lrc8(checked);
    const bool wrong = std::to_integer<std::uint8_t>(bytes.back()) != expected;
    body.push_back({bytes.size() - 1,
                    {bytes.back()},
                    "LRC",
                    wrong ? fmt::format("{:02X} belongs here", expected) : "right",
                    wrong});
  }
  for (Field& field : body) {
    field.at = first_digit + 2 * field.at;
    const ByteView characters = frame.subspan(field.at, 2 * field.bytes.size());
    field.bytes.assign(characters.begin(), characters.end());
    out.fields.push_back(std::move(field));
  }
  if (at < end) {
    const ByteView rest = frame.subspan(at, end - at);
    out.fields.push_back(
        {at, {rest.begin(), rest.end()}, "data", "no pairs of hexadecimal digits", true});
  }
  if (ended) {
    out.fields.push_back({end, {frame[end], frame[end + 1]}, "end", "CR LF", false});
  }
}

}  // namespace

Dissection dissect(ByteView frame, Framing framing, Direction direction,
                   std::optional<std::uint16_t> first) {
  Dissection out;
  switch (framing) {
    case Framing::rtu: dissect_rtu(frame, direction, first, out); break;
    case Framing::ascii: dissect_ascii(frame, direction, first, out); break;
    case Framing::tcp: dissect_tcp(frame, direction, first, out); break;
  }
  out.problem = problem_of(frame, framing, direction);
  return out;
}

std::optional<ByteRepair> single_byte_repair(ByteView frame, Direction direction) {
  constexpr std::size_t longest_rtu = 256;
  if (frame.size() < 4 || frame.size() > longest_rtu) return std::nullopt;
  Bytes tried(frame.begin(), frame.end());
  std::optional<ByteRepair> found;
  for (std::size_t at = 0; at < tried.size(); ++at) {
    const std::byte before = tried[at];
    for (unsigned value = 0; value < 256; ++value) {
      tried[at] = static_cast<std::byte>(value);
      if (tried[at] == before) continue;
      const ByteView body = ByteView(tried).first(tried.size() - crc_length);
      const std::uint16_t crc = crc16(body);
      const bool right = std::to_integer<unsigned>(tried[tried.size() - 2]) == (crc & 0xFFU) &&
                         std::to_integer<unsigned>(tried[tried.size() - 1]) == crc >> 8U;
      if (!right || problem_of(tried, Framing::rtu, direction)) continue;
      if (found) return std::nullopt;
      found = ByteRepair{at, before, tried[at]};
    }
    tried[at] = before;
  }
  return found;
}

}  // namespace greymet::modbus
