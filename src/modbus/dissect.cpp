#include "modbus/dissect.h"

#include <fmt/format.h>

#include "byte_io.h"
#include "dissect_body.h"

namespace greymet::modbus {

using internal::crc_length;
using internal::mbap_length;
using internal::walk_body;
using internal::Walker;

namespace {

// What an RTU frame with a wrong checksum really lacks, where its length tells.
std::optional<DecodeError> length_problem(ByteView frame, Direction direction) {
  const auto expected = expected_length(frame, Framing::rtu, direction);
  if (!expected) return std::nullopt;
  if (frame.size() < *expected) {
    return DecodeError{DecodeFault::cut_short, frame.size(), "end",
                       fmt::format("the frame ends here: {} of {} bytes", frame.size(), *expected)};
  }
  if (frame.size() > *expected && decode_frame(frame.first(*expected), Framing::rtu)) {
    return DecodeError{DecodeFault::surplus, *expected, "surplus",
                       fmt::format("a good frame ends before this byte; {} more follow",
                                   frame.size() - *expected)};
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
