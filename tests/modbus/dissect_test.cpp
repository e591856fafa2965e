#include "modbus/dissect.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "modbus/planned_frames.h"
#include "model/resolved_plan.h"
#include "plans.h"

using namespace greymet;
using namespace greymet::modbus;

namespace {

// One line a field: "at bytes name: value", wrong ones with a "!" in front.
std::vector<std::string> lines(const Dissection& d) {
  std::vector<std::string> out;
  for (const Field& f : d.fields) {
    out.push_back(
        fmt::format("{}{} {} {}: {}", f.wrong ? "! " : "", f.at, to_hex(f.bytes), f.name, f.value));
  }
  return out;
}

Bytes hex(const std::string& text) {
  return *from_hex(text);
}

std::string problem(const std::string& bytes, Framing framing, Direction direction) {
  const auto d = dissect(hex(bytes), framing, direction);
  return d.problem ? fmt::format("{} {}: {}", d.problem->at, d.problem->field, d.problem->message)
                   : std::string("good");
}

using Lines = std::vector<std::string>;

}  // namespace

TEST_CASE("the example of the standard's serial guide, byte by byte") {
  // V1.1b3, section 6.3: read registers 108 to 110 of unit 17; CRC of 11 03 00 6B 00 03 is 76 87
  CHECK(lines(dissect(hex("11 03 00 6B 00 03 76 87"), Framing::rtu, Direction::request)) ==
        Lines{"0 11 unit: 17", "1 03 function: 3, read holding registers",
              "2 00 6B start: 107 = hr:107 (400108)", "4 00 03 quantity: 3 registers",
              "6 76 87 CRC: right"});
  // its reply: 02 2B, 00 00, 00 64
  const auto reply = dissect(hex("00 01 00 00 00 09 11 03 06 02 2B 00 00 00 64"), Framing::tcp,
                             Direction::reply, std::uint16_t{107});
  CHECK(lines(reply) == Lines{"0 00 01 transaction: 1", "2 00 00 protocol: 0",
                              "4 00 09 length: 9 bytes follow", "6 11 unit: 17",
                              "7 03 function: 3, read holding registers", "8 06 byte count: 6",
                              "9 02 2B hr:107: 555", "11 00 00 hr:108: 0", "13 00 64 hr:109: 100"});
  CHECK_FALSE(reply.problem.has_value());
}

TEST_CASE("the other functions name their parts") {
  // V1.1b3, section 6.11: write coils 20 to 29: CD 01
  CHECK(lines(dissect(hex("00 00 00 00 00 09 01 0F 00 13 00 0A 02 CD 01"), Framing::tcp,
                      Direction::request)) ==
        Lines{"0 00 00 transaction: 0", "2 00 00 protocol: 0", "4 00 09 length: 9 bytes follow",
              "6 01 unit: 1", "7 0F function: 15, write multiple coils",
              "8 00 13 start: 19 = co:19 (000020)", "10 00 0A quantity: 10 bits",
              "12 02 byte count: 2", "13 CD co:19..co:26: 11001101, the first is rightmost",
              "14 01 co:27..co:28: 00000001, the first is rightmost"});
  // section 6.16: mask write at register 4
  const auto mask = lines(
      dissect(hex("00 00 00 00 00 08 01 16 00 04 00 F2 00 25"), Framing::tcp, Direction::request));
  CHECK(mask.at(6) == "10 00 F2 AND mask: 242");
  CHECK(mask.at(7) == "12 00 25 OR mask: 37");
  const auto both =
      lines(dissect(hex("00 00 00 00 00 0F 01 17 00 03 00 06 00 0E 00 02 04 00 FF 00 FF"),
                    Framing::tcp, Direction::request));
  CHECK(both.at(5) == "8 00 03 read start: 3 = hr:3 (400004)");
  CHECK(both.at(7) == "12 00 0E write start: 14 = hr:14 (400015)");
  CHECK(both.back() == "19 00 FF hr:15: 255");
  CHECK(lines(dissect(hex("00 00 00 00 00 06 01 05 00 AC FF 00"), Framing::tcp, Direction::request))
            .back() == "10 FF 00 value: on");
  CHECK(lines(dissect(hex("00 00 00 00 00 03 01 83 02"), Framing::tcp, Direction::reply)).back() ==
        "8 02 exception: 02, illegal data address");
  // a negative value is shown both ways
  CHECK(lines(dissect(hex("00 00 00 00 00 06 01 06 00 01 FF FE"), Framing::tcp, Direction::request))
            .back() == "10 FF FE hr:1: 65534 (signed -2)");
}

TEST_CASE("ASCII is taken apart in characters") {
  const std::string text = ":1103006B00037E\r\n";  // LRC: 256 - (11 + 03 + 6B + 03) = 7E
  Bytes bytes;
  for (char c : text) bytes.push_back(static_cast<std::byte>(c));
  const auto d = dissect(bytes, Framing::ascii, Direction::request);
  CHECK_FALSE(d.problem.has_value());
  REQUIRE(d.fields.size() == 7);
  CHECK(d.fields[3].at == 5);
  CHECK(d.fields[3].bytes.size() == 4);
  CHECK(d.fields[3].value == "107 = hr:107 (400108)");
  CHECK(d.fields[5].name == "LRC");
  bytes[13] = std::byte{'0'};
  const auto broken = dissect(bytes, Framing::ascii, Direction::request);
  REQUIRE(broken.problem.has_value());
  CHECK(broken.problem->field == "LRC");
  CHECK(broken.fields[5].value == "7E belongs here");
}

TEST_CASE("what is wrong is named at its byte") {
  CHECK(problem("11 03 00 6B 00 03 76 87", Framing::rtu, Direction::request) == "good");
  CHECK(problem("11 03 00 6B 00 03 76 88", Framing::rtu, Direction::request) ==
        "6 CRC: 76 88 where 76 87 belongs");
  const auto swapped = dissect(hex("11 03 00 6B 00 03 87 76"), Framing::rtu, Direction::request);
  CHECK(swapped.fields.back().value == "76 87 belongs here: the two bytes are swapped");
  CHECK(problem("11 03 14 00 01 00 02", Framing::rtu, Direction::reply) ==
        "7 end: the frame ends here: 7 of 25 bytes");
  CHECK(problem("11 03 00 6B 00 03 76 87 FF FF", Framing::rtu, Direction::request) ==
        "8 surplus: a good frame ends before this byte; 2 more follow");
  CHECK(problem("00 01 00 01 00 06 FF 03 00 00 00 01", Framing::tcp, Direction::request) ==
        "2 protocol: not 0");
  CHECK(problem("00 01 00 00 00 07 FF 03 00 00 00 01", Framing::tcp, Direction::request) ==
        "4 length: 7 announced, 6 there");
  CHECK(problem("00 01 00 00 00 06 FF 05 00 00 12 34", Framing::tcp, Direction::request)
            .substr(0, 9) == "10 value:");
  CHECK(problem("", Framing::rtu, Direction::request) != "good");
}

TEST_CASE("every byte belongs to one field, whatever the bytes") {
  rc::prop("fields cover the frame", [] {
    const auto values =
        *rc::gen::container<std::vector<std::uint8_t>>(rc::gen::arbitrary<std::uint8_t>());
    Bytes bytes;
    for (std::uint8_t v : values) bytes.push_back(std::byte{v});
    // now and then something that looks like a frame
    if (bytes.size() > 4 && *rc::gen::arbitrary<bool>()) {
      bytes[1] = static_cast<std::byte>(*rc::gen::element(3, 4, 6, 15, 16, 22, 23, 131));
      bytes[0] = std::byte{':'};
    }
    for (const auto framing : {Framing::rtu, Framing::ascii, Framing::tcp}) {
      for (const auto direction : {Direction::request, Direction::reply}) {
        const auto d = dissect(bytes, framing, direction);
        std::size_t at = 0;
        for (const Field& f : d.fields) {
          RC_ASSERT(f.at == at);
          RC_ASSERT(!f.bytes.empty());
          at += f.bytes.size();
        }
        RC_ASSERT(at == bytes.size());
        const auto frame = decode_frame(bytes, framing);
        const bool good =
            frame && (direction == Direction::request ? decode_request(frame->pdu).has_value()
                                                      : decode_reply(frame->pdu).has_value());
        RC_ASSERT(good == !d.problem.has_value());
        if (good) {
          for (const Field& f : d.fields) RC_ASSERT(!f.wrong);
        }
      }
    }
  });
}

TEST_CASE("one disturbed byte is found again") {
  rc::prop("the byte and its value", [] {
    const Request request{model::FunctionCode::read_holding_registers,
                          *rc::gen::arbitrary<std::uint16_t>(),
                          *rc::gen::inRange<std::uint16_t>(1, 126),
                          0,
                          {},
                          {}};
    const Bytes good = *encode_frame({17, 0, *encode_request(request)}, Framing::rtu);
    Bytes bad = good;
    const auto at = *rc::gen::inRange<std::size_t>(0, bad.size());
    const auto flip = *rc::gen::inRange(1, 256);
    bad[at] ^= static_cast<std::byte>(flip);
    const auto repair = single_byte_repair(bad, Direction::request);
    // other single changes may make the sum right as well; then nothing is claimed
    if (repair) {
      RC_ASSERT(repair->at == at);
      RC_ASSERT(repair->expected == good[at]);
    }
    RC_CLASSIFY(repair.has_value(), "found");
  });
  const auto repair = single_byte_repair(hex("01 03 00 00 00 0B C5 CD"), Direction::request);
  REQUIRE(repair.has_value());
  CHECK(repair->at == 5);
  CHECK(repair->expected == std::byte{0x0A});
}

TEST_CASE("planned transactions as frames, in every mode") {
  const auto frames_of = [](const std::string& plan) -> tl::expected<PlannedFrames, std::string> {
    const auto loaded = test::load(plan, test::base_files());
    if (loaded.plan.exchange.transactions.empty()) return tl::unexpected(std::string("not whole"));
    return planned_frames(loaded.plan.exchange.transactions.front());
  };
  const std::string plan = test::with_rows(
      {R"({ name = "t", slave = "gauge", fc = 3, at = 2, count = 2, into = "%MW0", every = "1s" })"});
  const auto rtu = frames_of(plan);
  REQUIRE(rtu.has_value());
  CHECK(ByteView(rtu->request).first(6).size() == 6);
  CHECK(to_hex(ByteView(rtu->request).first(6)) == "0C 03 00 02 00 02");
  CHECK(to_hex(ByteView(rtu->reply).first(7)) == "0C 03 04 00 00 00 00");
  CHECK(rtu->reply_first == std::uint16_t{2});
  const auto ascii =
      frames_of(test::replaced(test::replaced(plan, "\"rtu\"", "\"ascii\""), "8E1", "7E1"));
  CHECK(ascii->framing == Framing::ascii);
  // 0C + 03 + 02 + 02 = 13: LRC ED
  CHECK(to_hex(ascii->request) == to_hex([] {
          Bytes b;
          for (char c : std::string(":0C0300020002ED\r\n")) b.push_back(static_cast<std::byte>(c));
          return b;
        }()));
  const auto write = frames_of(test::with_rows(
      {R"({ name = "t", slave = "gauge", fc = 22, at = 12, from = "%MW0", every = "1s" })"}));
  CHECK(to_hex(ByteView(write->request).first(8)) == "0C 16 00 0C 00 00 00 00");
  const auto broadcast = frames_of(test::replaced(
      test::with_rows(
          {R"({ name = "t", slave = "gauge", fc = 6, at = 12, from = "%MW0", every = "1s" })"}),
      "unit = 12", "unit = 0"));
  CHECK(broadcast->reply.empty());
  CHECK(frames_of(test::replaced(plan, "count = 2, into", "count = 140, into")).error() ==
        "t does not fit one request: quantity: 140 is out of range 1 to 125");
  CHECK_FALSE(frames_of(test::replaced(plan, "\"gauge\", fc", "\"gouge\", fc")).has_value());
}
