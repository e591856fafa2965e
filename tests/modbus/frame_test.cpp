#include "modbus/frame.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "hex_bytes.h"

using namespace greymet;
using namespace greymet::modbus;

using greymet::test::bytes;

namespace {

Bytes characters(std::string_view text) {
  Bytes out;
  for (char c : text) out.push_back(static_cast<std::byte>(c));
  return out;
}

// The bitwise definition of V1.02, section 6.2.2: slow and obvious.
std::uint16_t slow_crc(ByteView data) {
  std::uint32_t crc = 0xFFFF;
  for (std::byte b : data) {
    crc ^= std::to_integer<std::uint32_t>(b);
    for (int i = 0; i < 8; ++i) crc = (crc & 1U) != 0 ? crc >> 1 ^ 0xA001U : crc >> 1;
  }
  return static_cast<std::uint16_t>(crc);
}

Frame random_frame() {
  Frame frame;
  frame.unit = *rc::gen::arbitrary<std::uint8_t>();
  const auto length = *rc::gen::inRange<std::size_t>(1, 60);
  const auto raw =
      *rc::gen::container<std::vector<std::uint8_t>>(length, rc::gen::arbitrary<std::uint8_t>());
  for (std::uint8_t b : raw) frame.pdu.push_back(std::byte{b});
  return frame;
}

}  // namespace

TEST_CASE("the checksum of the standard's example") {
  // V1.02, section 6.2.2: address 02, function 07, CRC 41 12 on the wire
  CHECK(crc16(bytes("02 07")) == 0x1241);
  CHECK(to_hex(*encode_frame({0x02, 0, bytes("07")}, Framing::rtu)) == "02 07 41 12");
}

TEST_CASE("the CRC agrees with its bitwise definition") {
  rc::prop("same CRC", [] {
    const Frame frame = random_frame();
    RC_ASSERT(crc16(frame.pdu) == slow_crc(frame.pdu));
  });
}

TEST_CASE("the LRC makes all bytes sum to nothing") {
  rc::prop("sum is 0", [] {
    const Frame frame = random_frame();
    unsigned sum = lrc8(frame.pdu);
    for (std::byte b : frame.pdu) sum += std::to_integer<unsigned>(b);
    RC_ASSERT((sum & 0xffU) == 0U);
  });
}

TEST_CASE("an ASCII frame is colon, digits, LRC, CR and LF") {
  // unit 17, function 3 from 107, 3 registers: 0x11 + 03 + 6B + 03 = 0x82, LRC 0x100 - 0x82 = 7E
  const Frame frame{0x11, 0, bytes("03 00 6B 00 03")};
  CHECK(*encode_frame(frame, Framing::ascii) == characters(":1103006B00037E\r\n"));
  CHECK(*decode_frame(characters(":1103006b00037e\r\n"), Framing::ascii) == frame);
}

TEST_CASE("a TCP frame carries its length") {
  const Frame frame{0x11, 0x1501, bytes("03 00 6B 00 03")};
  CHECK(to_hex(*encode_frame(frame, Framing::tcp)) == "15 01 00 00 00 06 11 03 00 6B 00 03");
  CHECK(*decode_frame(bytes("15 01 00 00 00 06 11 03 00 6B 00 03"), Framing::tcp) == frame);
}

TEST_CASE("frames survive the wire, and no cut or changed byte goes unnoticed") {
  for (const Framing framing : {Framing::rtu, Framing::ascii, Framing::tcp}) {
    rc::prop("encode, decode, cut, corrupt", [framing] {
      const Frame frame = random_frame();
      const Bytes wire = *encode_frame(frame, framing);
      const auto decoded = decode_frame(wire, framing);
      RC_ASSERT(decoded.has_value());
      RC_ASSERT(*decoded == frame);
      for (std::size_t length = 0; length < wire.size(); ++length) {
        const ByteView cut = ByteView(wire).first(length);
        // A cut frame may end with its own CRC by chance, as 00 00 00 00 00 24 does.
        const bool by_chance = framing == Framing::rtu && length >= 4 && slow_crc(cut) == 0;
        RC_ASSERT(by_chance || !decode_frame(cut, framing).has_value());
      }
      // A single changed bit: CRC and LRC see it; on TCP only the header is protected.
      Bytes bad = wire;
      const auto at = *rc::gen::inRange<std::size_t>(0, framing == Framing::tcp ? 4 : wire.size());
      bad[at] ^= static_cast<std::byte>(1U << *rc::gen::inRange(0, 8));
      const auto other = decode_frame(bad, framing);
      RC_ASSERT(framing == Framing::ascii || framing == Framing::tcp || !other.has_value());
      if (framing == Framing::ascii && other) RC_ASSERT(*other == frame);  // 'a' for 'A' alone
    });
  }
}

TEST_CASE("what is wrong with a frame is said with its place") {
  struct Row {
    Framing framing;
    Bytes wire;
    std::size_t at;
    const char* field;
    const char* message;
  };
  const std::vector<Row> rows{
      {Framing::rtu, bytes("02 07 41"), 3, "frame", "cut short: an RTU frame has at least 4 bytes"},
      {Framing::rtu, bytes("02 07 41 13"), 2, "CRC", "41 13 where 41 12 belongs"},
      {Framing::ascii, characters(":1103006B00037F\r\n"), 13, "LRC", "7F where 7E belongs"},
      {Framing::ascii, characters(":1103006B00037E\n\r"), 15, "end",
       "an ASCII frame ends with CR LF"},
      {Framing::ascii, characters(":1103006B0003G7\r\n"), 13, "data", "not a hexadecimal digit"},
      {Framing::ascii, characters(":1103006B00037\r\n"), 13, "data",
       "an odd number of hexadecimal digits"},
      {Framing::ascii, characters("1103006B00037E\r\n"), 0, "frame",
       "an ASCII frame begins with ':' and has at least 9 characters"},
      {Framing::tcp, bytes("15 01 00 01 00 06 11 03 00 6B 00 03"), 2, "protocol", "not 0"},
      {Framing::tcp, bytes("15 01 00 00 00 07 11 03 00 6B 00 03"), 4, "length",
       "7 announced, 6 there"},
      {Framing::tcp, bytes("15 01 00 00 01 00 11 03"), 4, "length", "256 is out of range 2 to 254"},
      {Framing::tcp, bytes("15 01 00"), 2, "protocol", "cut short: 2 bytes expected, 1 left"},
  };
  for (const Row& row : rows) {
    INFO(row.message);
    const auto decoded = decode_frame(row.wire, row.framing);
    REQUIRE_FALSE(decoded.has_value());
    CHECK(decoded.error().at == row.at);
    CHECK(decoded.error().field == row.field);
    CHECK(decoded.error().message == row.message);
  }
  CHECK_FALSE(encode_frame({1, 0, {}}, Framing::rtu).has_value());
  CHECK_FALSE(encode_frame({1, 0, Bytes(254)}, Framing::tcp).has_value());
  CHECK(encode_frame({1, 0, Bytes(253)}, Framing::tcp).has_value());
}

TEST_CASE("a TCP frame holds a PDU of 1 to 253 bytes, and what it announces") {
  // MBAP: the length counts the unit and the PDU; a PDU has 253 bytes at most (V1.1b3, section 4.1)
  const auto frame = [](std::size_t announced, std::size_t pdu) {
    Bytes out(7 + pdu, std::byte{3});
    for (std::size_t i : {0U, 1U, 2U, 3U}) out[i] = std::byte{0};
    out[4] = static_cast<std::byte>(announced >> 8);
    out[5] = static_cast<std::byte>(announced & 0xff);
    return decode_frame(out, Framing::tcp).has_value();
  };
  for (const std::size_t pdu : {0U, 1U, 2U, 252U, 253U, 254U, 255U}) {
    INFO(pdu);
    CHECK(frame(pdu + 1, pdu) == (pdu >= 1 && pdu <= 253));
    CHECK_FALSE(frame(pdu + 2, pdu));
    CHECK_FALSE(frame(pdu, pdu));
  }
}

TEST_CASE("hexadecimal text is read as people paste it") {
  CHECK(to_hex(*from_hex("11 03 006B,00-03")) == "11 03 00 6B 00 03");
  CHECK(from_hex("")->empty());
  CHECK(from_hex("1").error().message == "an odd number of hexadecimal digits");
  CHECK(from_hex("1 1").error().message == "' ' is no hexadecimal digit");
  CHECK(from_hex("1G").error().at == 1);
  for (unsigned value = 0; value < 256; ++value) {
    for (const char* form : {"{:02x}", "{:02X}"}) {
      CHECK(*from_hex(fmt::format(fmt::runtime(form), value)) ==
            Bytes{static_cast<std::byte>(value)});
    }
  }
  for (const char* bad : {"0g", "0G", "0/", "0:", "0@", "0`"}) CHECK_FALSE(from_hex(bad));
}

TEST_CASE("the first bytes of a frame tell how long it will be") {
  // every function, smallest and largest; no prefix ever says anything else
  for (const auto& traits : model::all_functions()) {
    for (const bool largest : {false, true}) {
      Request request;
      request.function = traits.code;
      request.offset = 5;
      const auto amount = [&](std::uint32_t most) { return largest ? most : std::uint32_t{1}; };
      request.quantity = static_cast<std::uint16_t>(amount(traits.most_read));
      if (traits.most_read == 0) request.quantity = 0;
      const std::size_t written = traits.code == model::FunctionCode::mask_write_register
                                      ? 2
                                      : (traits.most_write > 0 ? amount(traits.most_write) : 0);
      if (model::is_bit_area(traits.area)) {
        request.bits.assign(written, true);
      } else {
        request.registers.assign(written, 7);
      }
      Reply reply{traits.code, request.offset, static_cast<std::uint16_t>(written), {}, {}};
      if (traits.most_read > 0) {
        reply.registers.assign(model::is_bit_area(traits.area) ? 0 : request.quantity, 1);
        reply.bits.assign(model::is_bit_area(traits.area) ? request.quantity : 0, true);
      } else if (model::writes_single(traits.code)) {
        reply.registers = request.registers;
        reply.bits = request.bits;
      }
      for (const Direction direction : {Direction::request, Direction::reply}) {
        const auto pdu =
            direction == Direction::request ? encode_request(request) : encode_reply(reply);
        INFO(traits.name << (largest ? ", largest" : ", smallest"));
        REQUIRE(pdu.has_value());
        for (const Framing framing : {Framing::rtu, Framing::tcp}) {
          const auto frame = encode_frame({17, 1, *pdu}, framing);
          REQUIRE(frame.has_value());
          const ByteView bytes(*frame);
          CHECK(expected_length(bytes, framing, direction) == frame->size());
          const std::uint32_t planned =
              direction == Direction::request
                  ? request_length(traits.code, static_cast<std::uint32_t>(written), framing)
                  : reply_length(traits.code, request.quantity, framing);
          CHECK(planned == frame->size());
          for (std::size_t n = 0; n < frame->size(); ++n) {
            const auto told = expected_length(bytes.first(n), framing, direction);
            if (told) CHECK(*told == frame->size());
          }
        }
      }
    }
  }
  const Bytes exception{std::byte{17}, std::byte{0x83}};
  CHECK(expected_length(exception, Framing::rtu, Direction::reply) == 5);
  CHECK_FALSE(expected_length(exception, Framing::rtu, Direction::request).has_value());
  CHECK_FALSE(expected_length(exception, Framing::ascii, Direction::reply).has_value());
  const Bytes absurd(6, std::byte{0xFF});
  CHECK(expected_length(absurd, Framing::tcp, Direction::reply) == 6 + 0xFFFF);
}
