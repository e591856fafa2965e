#include "modbus/frame.h"

#include <numeric>

#include <boost/crc.hpp>

#include "byte_io.h"
#include "layout.h"

#include "model/ascii_text.h"

namespace greymet::modbus {

using internal::crc_length;
using internal::mbap_length;
using internal::Reader;
using internal::refuse;
using internal::Writer;

namespace {

Decoded<Frame> split_serial(ByteView unit_and_pdu) {
  Frame frame;
  frame.unit = std::to_integer<std::uint8_t>(unit_and_pdu[0]);
  frame.pdu.assign(unit_and_pdu.begin() + 1, unit_and_pdu.end());
  if (frame.pdu.size() > longest_pdu) {
    return refuse(DecodeFault::surplus, 1, "PDU",
                  fmt::format("{} bytes, at most 253 are allowed", frame.pdu.size()));
  }
  return frame;
}

Decoded<Frame> decode_rtu(ByteView bytes) {
  if (bytes.size() < 4) {
    return refuse(DecodeFault::cut_short, bytes.size(), "frame",
                  "cut short: an RTU frame has at least 4 bytes");
  }
  const std::size_t body = bytes.size() - 2;
  const std::uint16_t expected = crc16(bytes.first(body));
  const auto found = static_cast<std::uint16_t>(std::to_integer<unsigned>(bytes[body]) |
                                                std::to_integer<unsigned>(bytes[body + 1]) << 8);
  if (found != expected) {
    return refuse(DecodeFault::checksum, body, "CRC",
                  fmt::format("{:02X} {:02X} where {:02X} {:02X} belongs", found & 0xff, found >> 8,
                              expected & 0xff, expected >> 8));
  }
  return split_serial(bytes.first(body));
}

Decoded<Frame> decode_ascii(ByteView bytes) {
  if (bytes.size() < 9 || bytes[0] != std::byte{':'}) {
    return refuse(DecodeFault::frame_start, 0, "frame",
                  "an ASCII frame begins with ':' and has at least 9 characters");
  }
  const std::size_t end = bytes.size() - 2;
  if (bytes[end] != std::byte{'\r'} || bytes[end + 1] != std::byte{'\n'}) {
    return refuse(DecodeFault::frame_end, end, "end", "an ASCII frame ends with CR LF");
  }
  if (end % 2 == 0)
    return refuse(DecodeFault::digits, end - 1, "data", "an odd number of hexadecimal digits");
  Bytes decoded;
  for (std::size_t i = 1; i < end; i += 2) {
    const auto high = model::hex_digit_value(static_cast<char>(bytes[i]));
    const auto low = model::hex_digit_value(static_cast<char>(bytes[i + 1]));
    if (!high || !low)
      return refuse(DecodeFault::digits, high ? i + 1 : i, "data", "not a hexadecimal digit");
    decoded.push_back(static_cast<std::byte>(*high << 4 | *low));
  }
  const ByteView body = ByteView(decoded).first(decoded.size() - 1);
  const std::uint8_t expected = lrc8(body);
  if (std::to_integer<std::uint8_t>(decoded.back()) != expected) {
    return refuse(DecodeFault::checksum, end - 2, "LRC",
                  fmt::format("{:02X} where {:02X} belongs",
                              std::to_integer<unsigned>(decoded.back()), expected));
  }
  return split_serial(body);
}

Decoded<Frame> decode_tcp(ByteView bytes) {
  Reader in(bytes);
  Frame frame;
  frame.transaction = in.word("transaction");
  if (in.word("protocol") != 0) in.fail(DecodeFault::protocol, 2, "protocol", "not 0");
  const std::size_t length = in.word("length");
  frame.unit = in.byte("unit");
  if (!in.failed() && (length < 2 || length > longest_pdu + 1)) {
    in.fail(DecodeFault::length, 4, "length",
            fmt::format("{} is out of range 2 to {}", length, longest_pdu + 1));
  }
  if (!in.failed() && length != in.left() + 1) {
    in.fail(DecodeFault::length, 4, "length",
            fmt::format("{} announced, {} there", length, in.left() + 1));
  }
  if (!in.failed()) {
    frame.pdu.assign(bytes.begin() + mbap_length, bytes.end());
    return frame;
  }
  return tl::unexpected(*in.finish());
}

}  // namespace

std::optional<std::size_t> expected_length(ByteView bytes, Framing framing, Direction direction) {
  constexpr std::size_t before_length_counts = 6;  // transaction, protocol, length
  if (framing == Framing::ascii) return std::nullopt;
  if (framing == Framing::tcp) {
    if (bytes.size() < before_length_counts) return std::nullopt;
    const std::size_t announced =
        std::to_integer<std::size_t>(bytes[4]) << 8U | std::to_integer<std::size_t>(bytes[5]);
    return before_length_counts + announced;
  }
  if (bytes.size() < 2) return std::nullopt;
  const unsigned code = std::to_integer<unsigned>(bytes[1]);
  if (direction == Direction::reply && (code & exception_flag) != 0) {
    return 3 + crc_length;  // unit, function, exception code
  }
  const auto function = model::function_code_from(code);
  if (!function) return std::nullopt;
  const internal::Layout& layout = internal::layout_of(*function);
  std::size_t at = 2;
  for (const auto& field : direction == Direction::request ? layout.request : layout.reply) {
    if (field.part != internal::Part::counted) {
      at += 2;
      continue;
    }
    if (bytes.size() <= at) return std::nullopt;
    at += 1 + std::to_integer<std::size_t>(bytes[at]);
  }
  return at + crc_length;
}

std::uint16_t crc16(ByteView bytes) {
  boost::crc_optimal<16, 0x8005, 0xFFFF, 0, true, true> crc;
  crc.process_bytes(bytes.data(), bytes.size());
  return static_cast<std::uint16_t>(crc.checksum());
}

std::uint8_t lrc8(ByteView bytes) {
  const unsigned sum =
      std::accumulate(bytes.begin(), bytes.end(), 0U,
                      [](unsigned acc, std::byte b) { return acc + std::to_integer<unsigned>(b); });
  return static_cast<std::uint8_t>(0x100U - (sum & 0xffU));
}

Decoded<Bytes> encode_frame(const Frame& frame, Framing framing) {
  if (frame.pdu.empty() || frame.pdu.size() > longest_pdu) {
    return refuse(DecodeFault::out_of_range, 0, "PDU",
                  fmt::format("{} bytes, 1 to 253 are allowed", frame.pdu.size()));
  }
  Writer out;
  if (framing == Framing::tcp) {
    out.word(frame.transaction);
    out.word(0);
    out.word(static_cast<std::uint32_t>(frame.pdu.size() + 1));
  }
  out.byte(frame.unit);
  for (std::byte b : frame.pdu) out.byte(std::to_integer<std::uint32_t>(b));
  Bytes bytes = out.take();
  if (framing == Framing::rtu) {
    const std::uint16_t crc = crc16(bytes);
    bytes.push_back(static_cast<std::byte>(crc & 0xff));
    bytes.push_back(static_cast<std::byte>(crc >> 8));
  } else if (framing == Framing::ascii) {
    bytes.push_back(static_cast<std::byte>(lrc8(bytes)));
    Bytes characters{std::byte{':'}};
    for (std::byte b : bytes) {
      for (char c : fmt::format("{:02X}", std::to_integer<unsigned>(b))) {
        characters.push_back(static_cast<std::byte>(c));
      }
    }
    characters.push_back(std::byte{'\r'});
    characters.push_back(std::byte{'\n'});
    return characters;
  }
  return bytes;
}

Decoded<Frame> decode_frame(ByteView bytes, Framing framing) {
  switch (framing) {
    case Framing::rtu: return decode_rtu(bytes);
    case Framing::ascii: return decode_ascii(bytes);
    case Framing::tcp: return decode_tcp(bytes);
  }
  return refuse(DecodeFault::frame_start, 0, "frame", "unknown framing");
}

std::string to_hex(ByteView bytes) {
  std::string text;
  for (std::byte b : bytes) {
    text += fmt::format("{}{:02X}", text.empty() ? "" : " ", std::to_integer<unsigned>(b));
  }
  return text;
}

Decoded<Bytes> from_hex(std::string_view text) {
  Bytes bytes;
  bool half = false;  // the first digit of a pair has been read
  std::uint32_t high = 0;
  for (std::size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    // "0x" in front of a pair
    const bool head =
        !half && c == '0' && i + 1 < text.size() && (text[i + 1] == 'x' || text[i + 1] == 'X');
    if (head) {
      ++i;
      continue;
    }
    const bool between = c == ' ' || c == ',' || c == '-' || c == '\t' || c == '\n' || c == '\r';
    if (between && !half) continue;
    const auto digit = model::hex_digit_value(c);
    if (!digit)
      return refuse(DecodeFault::digits, i, "hex", fmt::format("'{}' is no hexadecimal digit", c));
    if (half) bytes.push_back(static_cast<std::byte>(high << 4 | *digit));
    high = *digit;
    half = !half;
  }
  if (half)
    return refuse(DecodeFault::digits, text.size(), "hex", "an odd number of hexadecimal digits");
  return bytes;
}

}  // namespace greymet::modbus
