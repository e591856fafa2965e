// PDUs against the examples that the standard prints (V1.1b3, sections 6.1 to 6.17), their limits,
// every cut, and encode - decode - encode.
#include "modbus/pdu.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "hex_bytes.h"
#include "modbus/frame.h"
#include "modbus/frame_length.h"

using namespace greymet::modbus;
using greymet::model::FunctionCode;

using greymet::test::bytes;

namespace {

std::vector<bool> bits(std::uint32_t packed, std::size_t count) {
  std::vector<bool> out;
  for (std::size_t i = 0; i < count; ++i) out.push_back((packed >> i & 1U) != 0);
  return out;
}

struct RequestExample {
  Request request;
  const char* hex;
};

std::vector<RequestExample> request_examples() {
  using enum FunctionCode;
  return {
      {{read_coils, 19, 19, 0, {}, {}}, "01 00 13 00 13"},
      {{read_discrete_inputs, 196, 22, 0, {}, {}}, "02 00 C4 00 16"},
      {{read_holding_registers, 107, 3, 0, {}, {}}, "03 00 6B 00 03"},
      {{read_input_registers, 8, 1, 0, {}, {}}, "04 00 08 00 01"},
      {{write_single_coil, 172, 0, 0, {}, {true}}, "05 00 AC FF 00"},
      {{write_single_register, 1, 0, 0, {3}, {}}, "06 00 01 00 03"},
      {{write_multiple_coils, 19, 0, 0, {}, bits(0x1CD, 10)}, "0F 00 13 00 0A 02 CD 01"},
      {{write_multiple_registers, 1, 0, 0, {0x000A, 0x0102}, {}}, "10 00 01 00 02 04 00 0A 01 02"},
      {{mask_write_register, 4, 0, 0, {0x00F2, 0x0025}, {}}, "16 00 04 00 F2 00 25"},
      {{read_write_multiple_registers, 3, 6, 14, {0xFF, 0xFF, 0xFF}, {}},
       "17 00 03 00 06 00 0E 00 03 06 00 FF 00 FF 00 FF"},
  };
}

struct ReplyExample {
  Reply reply;
  const char* hex;
};

std::vector<ReplyExample> reply_examples() {
  using enum FunctionCode;
  return {
      {{read_coils, 0, 0, {}, bits(0x056BCD, 24)}, "01 03 CD 6B 05"},
      {{read_discrete_inputs, 0, 0, {}, bits(0x35DBAC, 24)}, "02 03 AC DB 35"},
      {{read_holding_registers, 0, 0, {0x022B, 0x0000, 0x0064}, {}}, "03 06 02 2B 00 00 00 64"},
      {{read_input_registers, 0, 0, {0x000A}, {}}, "04 02 00 0A"},
      {{write_single_coil, 172, 0, {}, {true}}, "05 00 AC FF 00"},
      {{write_single_register, 1, 0, {3}, {}}, "06 00 01 00 03"},
      {{write_multiple_coils, 19, 10, {}, {}}, "0F 00 13 00 0A"},
      {{write_multiple_registers, 1, 2, {}, {}}, "10 00 01 00 02"},
      {{mask_write_register, 4, 0, {0x00F2, 0x0025}, {}}, "16 00 04 00 F2 00 25"},
      {{read_write_multiple_registers, 0, 0, {0x00FE, 0x0ACD, 0x0001, 0x0003, 0x000D, 0x00FF}, {}},
       "17 0C 00 FE 0A CD 00 01 00 03 00 0D 00 FF"},
  };
}

Request random_request() {
  Request r;
  r.function =
      (*rc::gen::elementOf(std::vector<greymet::model::FunctionTraits>(
           greymet::model::all_functions().begin(), greymet::model::all_functions().end())))
          .code;
  const auto& traits = greymet::model::traits_of(r.function);
  r.offset = *rc::gen::arbitrary<std::uint16_t>();
  if (traits.most_read > 0)
    r.quantity =
        *rc::gen::inRange<std::uint16_t>(1, static_cast<std::uint16_t>(traits.most_read + 1));
  if (r.function == FunctionCode::read_write_multiple_registers)
    r.write_offset = *rc::gen::arbitrary<std::uint16_t>();
  if (traits.most_write == 0) return r;
  if (r.function == FunctionCode::mask_write_register) {
    r.registers =
        *rc::gen::container<std::vector<std::uint16_t>>(2, rc::gen::arbitrary<std::uint16_t>());
    return r;
  }
  const auto count = *rc::gen::inRange<std::size_t>(1, traits.most_write + 1);
  if (greymet::model::is_bit_area(traits.area)) {
    r.bits = *rc::gen::container<std::vector<bool>>(count, rc::gen::arbitrary<bool>());
  } else {
    r.registers =
        *rc::gen::container<std::vector<std::uint16_t>>(count, rc::gen::arbitrary<std::uint16_t>());
  }
  return r;
}

}  // namespace

TEST_CASE("requests have the bytes the standard shows") {
  for (const auto& [request, hex] : request_examples()) {
    INFO(hex);
    CHECK(to_hex(*encode_request(request)) == hex);
    CHECK(*decode_request(bytes(hex)) == request);
  }
}

TEST_CASE("replies have the bytes the standard shows") {
  for (const auto& [reply, hex] : reply_examples()) {
    INFO(hex);
    CHECK(to_hex(*encode_reply(reply)) == hex);
    const auto decoded = decode_reply(bytes(hex));
    REQUIRE(decoded.has_value());
    CHECK(std::get<Reply>(*decoded) == reply);
  }
}

TEST_CASE("exceptions are told from replies, and named") {
  const auto decoded = decode_reply(bytes("81 02"));
  REQUIRE(decoded.has_value());
  CHECK(std::get<ExceptionReply>(*decoded) == ExceptionReply{1, 2});
  CHECK(to_hex(encode_exception({1, 2})) == "81 02");
  CHECK(exception_name(0x02) == "illegal data address");
  CHECK(exception_name(0x0B) == "gateway target device failed to respond");
  CHECK(exception_name(0x77) == "unknown");
}

TEST_CASE("no proper prefix of a message decodes, and nothing may follow one") {
  for (const auto& example : request_examples()) {
    Bytes whole = bytes(example.hex);
    for (std::size_t length = 0; length < whole.size(); ++length) {
      CHECK_FALSE(decode_request(ByteView(whole).first(length)).has_value());
    }
    whole.push_back(std::byte{0});
    CHECK(decode_request(whole).error().message == "1 bytes too many");
  }
  for (const auto& example : reply_examples()) {
    Bytes whole = bytes(example.hex);
    for (std::size_t length = 0; length < whole.size(); ++length) {
      CHECK_FALSE(decode_reply(ByteView(whole).first(length)).has_value());
    }
    whole.push_back(std::byte{0});
    CHECK(decode_reply(whole).error().field == "end");
  }
}

TEST_CASE("a broken field is named") {
  struct Row {
    const char* hex;
    const char* field;
    const char* message;
  };
  const std::vector<Row> rows{
      {"07 00 00 00 01", "function", "7 is no function that moves registers"},
      {"03 00 6B 00 00", "quantity", "0 is out of range 1 to 125"},
      {"03 00 6B 00 7E", "quantity", "126 is out of range 1 to 125"},
      {"01 00 13 07 D1", "quantity", "2001 is out of range 1 to 2000"},
      {"05 00 AC 12 34", "value", "1234 is neither FF00 (on) nor 0000 (off)"},
      {"0F 00 13 00 0A 03 CD 01 00", "byte count", "3 where 2 bytes belong"},
      {"10 00 01 00 02 03 00 0A 01", "byte count", "3 where 4 bytes belong"},
      {"17 00 03 00 06 00 0E 00 7A 06", "write quantity", "122 is out of range 1 to 121"},
      {"10 00 01 00 02 04 00 0A", "data", "cut short: 4 bytes expected, 2 left"},
  };
  for (const Row& row : rows) {
    INFO(row.hex);
    const auto decoded = decode_request(bytes(row.hex));
    REQUIRE_FALSE(decoded.has_value());
    CHECK(decoded.error().field == row.field);
    CHECK(decoded.error().message == row.message);
  }
  CHECK(decode_reply(bytes("03 03 00 00 00")).error().message ==
        "3 is no length of a reply to function 3");
  CHECK(decode_reply(bytes("03 00")).error().field == "byte count");
}

TEST_CASE("the standard's quantities, and not one more or less, whoever asks or answers") {
  // V1.1b3, sections 6.1 to 6.17: code, most read, most written, bits a byte's data holds
  struct Row {
    unsigned code, most_read, most_written;
    bool bits;
  };
  const std::vector<Row> rows{{1, 2000, 0, true},   {2, 2000, 0, true},  {3, 125, 0, false},
                              {4, 125, 0, false},   {15, 0, 1968, true}, {16, 0, 123, false},
                              {23, 125, 121, false}};
  const auto put = [](Bytes& out, std::initializer_list<unsigned> fields) {
    for (unsigned each : fields) {
      out.push_back(static_cast<std::byte>(each >> 8));
      out.push_back(static_cast<std::byte>(each & 0xff));
    }
  };
  // a request as the standard lays it out, its byte count cut to a byte as on the wire
  const auto request = [&](const Row& row, unsigned read, unsigned written) {
    Bytes out{static_cast<std::byte>(row.code)};
    if (row.most_read > 0) put(out, {7, read});
    if (row.most_written == 0) return out;
    put(out, {9, written});
    const unsigned data = row.bits ? (written + 7) / 8 : 2 * written;
    out.push_back(static_cast<std::byte>(data & 0xff));
    out.insert(out.end(), data, std::byte{0});
    return out;
  };
  for (const Row& row : rows) {
    INFO("function " << row.code);
    const auto read = [&](unsigned n) { return decode_request(request(row, n, 1)).has_value(); };
    const auto written = [&](unsigned n) { return decode_request(request(row, 1, n)).has_value(); };
    if (row.most_read > 0) {
      CHECK_FALSE(read(0));
      CHECK(read(1));
      CHECK(read(row.most_read));
      CHECK_FALSE(read(row.most_read + 1));
      const auto reply = [&](unsigned count) {
        Bytes out{static_cast<std::byte>(row.code), static_cast<std::byte>(count)};
        out.insert(out.end(), count, std::byte{0});
        return decode_reply(out).has_value();
      };
      const unsigned most = row.bits ? row.most_read / 8 : 2 * row.most_read;
      CHECK_FALSE(reply(0));
      CHECK(reply(row.bits ? 1 : 2));
      CHECK(reply(1) == row.bits);
      CHECK(reply(most));
      CHECK_FALSE(reply(row.bits ? most + 1 : most + 2));
    }
    if (row.most_written > 0) {
      CHECK_FALSE(written(0));
      CHECK(written(1));
      CHECK(written(row.most_written));
      CHECK_FALSE(written(row.most_written + 1));
    }
    if (row.code == 15 || row.code == 16) {  // the reply echoes the quantity
      const auto echo = [&](unsigned quantity) {
        Bytes out{static_cast<std::byte>(row.code)};
        put(out, {9, quantity});
        return decode_reply(out).has_value();
      };
      CHECK_FALSE(echo(0));
      CHECK(echo(1));
      CHECK(echo(row.most_written));
      CHECK_FALSE(echo(row.most_written + 1));
    }
  }
}

TEST_CASE("what does not fit a function is not encoded") {
  CHECK(encode_request({FunctionCode::read_coils, 0, 2001, 0, {}, {}}).error().message ==
        "2001 is out of range 1 to 2000");
  CHECK_FALSE(
      encode_request({FunctionCode::write_multiple_registers, 0, 0, 0, {}, {}}).has_value());
  CHECK_FALSE(encode_request({FunctionCode::mask_write_register, 0, 0, 0, {1}, {}}).has_value());
  CHECK_FALSE(encode_reply({FunctionCode::read_coils, 0, 0, {}, {}}).has_value());
  CHECK_FALSE(encode_reply({FunctionCode::write_single_coil, 0, 0, {}, {}}).has_value());
  CHECK_FALSE(encode_reply({FunctionCode::write_single_register, 0, 0, {}, {}}).has_value());
}

TEST_CASE("every request survives the wire, and has the length the timing counts with") {
  rc::prop("encode, decode, encode", [] {
    const Request request = random_request();
    const auto encoded = encode_request(request);
    RC_ASSERT(encoded.has_value());
    const auto decoded = decode_request(*encoded);
    RC_ASSERT(decoded.has_value());
    RC_ASSERT(*decoded == request);
    RC_ASSERT(*encode_request(*decoded) == *encoded);
    const std::size_t written = request.function == FunctionCode::mask_write_register
                                    ? 1
                                    : request.registers.size() + request.bits.size();
    RC_ASSERT(encoded->size() + 3 ==
              request_length(request.function, static_cast<std::uint32_t>(written), Framing::rtu));
  });
}

TEST_CASE("what decodes, encoded, decodes to the same") {
  rc::prop("decode, encode, decode", [] {
    const auto raw =
        *rc::gen::container<std::vector<std::uint8_t>>(rc::gen::arbitrary<std::uint8_t>());
    Bytes input;
    for (std::uint8_t b : raw) input.push_back(std::byte{b});
    if (const auto request = decode_request(input)) {
      RC_ASSERT(*decode_request(*encode_request(*request)) == *request);
    }
    if (const auto reply = decode_reply(input)) {
      if (const auto* good = std::get_if<Reply>(&*reply)) RC_ASSERT(*encode_reply(*good) == input);
    }
  });
  // found by the fuzzer: bits behind the last of 10 coils are ignored
  const auto padded = decode_request(bytes("0F 00 13 00 0A 02 CD D6"));
  REQUIRE(padded.has_value());
  CHECK(to_hex(*encode_request(*padded)) == "0F 00 13 00 0A 02 CD 02");
}

TEST_CASE("lengths of replies are those of encoded replies") {
  for (const std::uint32_t n : {1U, 7U, 8U, 9U, 100U, 125U}) {
    Reply registers{FunctionCode::read_holding_registers, 0, 0, std::vector<std::uint16_t>(n), {}};
    CHECK(encode_reply(registers)->size() + 3 == reply_length(registers.function, n, Framing::rtu));
    Reply coils{FunctionCode::read_coils, 0, 0, {}, std::vector<bool>(n)};
    CHECK(encode_reply(coils)->size() + 3 == reply_length(coils.function, n, Framing::rtu));
  }
}

TEST_CASE("the table of frame lengths") {
  // rows of the table in docs/timing-model.md, by hand; n = 10 read, w = 4 written
  struct Row {
    int function;
    std::uint32_t rtu_request, rtu_reply, tcp_request, tcp_reply;
  };
  const std::vector<Row> rows{{1, 8, 7, 12, 11},   {2, 8, 7, 12, 11},   {3, 8, 25, 12, 29},
                              {4, 8, 25, 12, 29},  {5, 8, 8, 12, 12},   {6, 8, 8, 12, 12},
                              {15, 10, 8, 14, 12}, {16, 17, 8, 21, 12}, {22, 10, 10, 14, 14},
                              {23, 21, 25, 25, 29}};
  for (const Row& row : rows) {
    INFO(row.function);
    const auto f = *greymet::model::function_code_from(row.function);
    CHECK(request_length(f, 4, Framing::rtu) == row.rtu_request);
    CHECK(reply_length(f, 10, Framing::rtu) == row.rtu_reply);
    CHECK(request_length(f, 4, Framing::tcp) == row.tcp_request);
    CHECK(reply_length(f, 10, Framing::tcp) == row.tcp_reply);
    CHECK(request_length(f, 4, Framing::ascii) == 2 * (row.rtu_request - 1) + 3);
  }
  CHECK(exception_length(Framing::rtu) == 5);
  CHECK(exception_length(Framing::tcp) == 9);
  CHECK(exception_length(Framing::ascii) == 11);
}
