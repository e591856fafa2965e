// Bytes in any pieces -> the same frames; noise, cut and absurd ones are reported and survived.
#include "engine/frame_receiver.h"

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "hex_bytes.h"

using namespace greymet;
using namespace greymet::engine;
using modbus::Bytes;
using modbus::Direction;
using modbus::Framing;
using std::chrono::milliseconds;
using test::bytes;
using Kind = ReceivedJunk::Kind;

namespace {

constexpr Duration silence = milliseconds(20);

Bytes framed(std::uint8_t unit, const char* pdu, Framing framing, std::uint16_t number = 1) {
  return *modbus::encode_frame({unit, number, bytes(pdu)}, framing);
}

Bytes joined(const std::vector<Bytes>& parts) {
  Bytes all;
  for (const Bytes& part : parts) all.insert(all.end(), part.begin(), part.end());
  return all;
}

std::vector<std::string> pdus(const Received& received) {
  std::vector<std::string> out;
  for (const ReceivedFrame& frame : received.frames) out.push_back(modbus::to_hex(frame.frame.pdu));
  return out;
}

std::size_t bytes_of(const Received& received) {
  std::size_t count = 0;
  for (const ReceivedFrame& frame : received.frames) count += frame.raw.size();
  for (const ReceivedJunk& junk : received.junk) count += junk.bytes;
  return count;
}

}  // namespace

TEST_CASE("a stream of replies gives the same frames however it is cut") {
  rc::prop("pieces", [] {
    const auto framing = *rc::gen::element(Framing::rtu, Framing::ascii, Framing::tcp);
    std::vector<Bytes> parts;
    std::vector<std::string> expected;
    const auto count = *rc::gen::inRange(1, 6);
    for (int i = 0; i < count; ++i) {
      const char* pdu = *rc::gen::element("03 02 00 01", "83 02", "10 00 01 00 02",
                                          "04 04 01 02 03 04", "01 01 55");
      parts.push_back(framed(7, pdu, framing));
      expected.push_back(modbus::to_hex(bytes(pdu)));
    }
    const Bytes stream = joined(parts);
    FrameReceiver receiver(framing, Direction::reply, silence);
    Received received;
    Duration now{};
    for (std::size_t at = 0; at < stream.size();) {
      const auto size = std::min(*rc::gen::inRange<std::size_t>(1, 12), stream.size() - at);
      receiver.receive(now, modbus::ByteView(stream).subspan(at, size), received);
      now += milliseconds(*rc::gen::inRange(0, 40));
      at += size;
    }
    RC_ASSERT(pdus(received) == expected);
    RC_ASSERT(received.junk.empty());
  });
}

TEST_CASE("any bytes are survived and accounted for") {
  rc::prop("noise", [] {
    const auto framing = *rc::gen::element(Framing::rtu, Framing::ascii, Framing::tcp);
    const auto direction = *rc::gen::element(Direction::request, Direction::reply);
    FrameReceiver receiver(framing, direction, silence);
    Received received;
    Duration now{};
    std::size_t sent = 0;
    for (int i = *rc::gen::inRange(1, 20); i > 0; --i) {
      Bytes piece;
      for (const auto b :
           *rc::gen::container<std::vector<std::uint8_t>>(rc::gen::arbitrary<std::uint8_t>())) {
        piece.push_back(static_cast<std::byte>(b));
      }
      if (*rc::gen::inRange(0, 4) == 0) piece = framed(1, "03 02 00 01", framing);
      sent += piece.size();
      receiver.receive(now, piece, received);
      now += milliseconds(*rc::gen::inRange(0, 50));
      if (receiver.silence_at() && *receiver.silence_at() <= now) {
        receiver.look_at_silence(received);
      }
    }
    receiver.forget(received);
    RC_ASSERT(bytes_of(received) == sent);
    RC_ASSERT_FALSE(receiver.broken());
  });
}

TEST_CASE("a reply behind noise is found once the line is silent") {
  FrameReceiver receiver(Framing::rtu, Direction::reply, silence);
  Received received;
  // the noise looks like the beginning of a long reply
  receiver.receive({}, joined({bytes("07 03 50"), framed(7, "03 02 00 01", Framing::rtu)}),
                   received);
  CHECK(received.frames.empty());
  REQUIRE(receiver.silence_at() == silence);
  receiver.look_at_silence(received);
  CHECK(pdus(received) == std::vector<std::string>{"03 02 00 01"});
  REQUIRE(received.junk.size() == 1);
  CHECK(received.junk[0].bytes == 3);
}

TEST_CASE("what is inside a frame is none") {
  // the data of this reply, CRC wrong, hold a whole exception reply that does not end it
  Bytes reply =
      joined({bytes("07 03 08"), framed(7, "83 02", Framing::rtu), bytes("00 00 00 12 34")});
  FrameReceiver receiver(Framing::rtu, Direction::reply, silence);
  Received received;
  receiver.receive({}, reply, received);
  receiver.look_at_silence(received);
  CHECK(received.frames.empty());
  receiver.forget(received);
  REQUIRE(received.junk.size() == 1);
  CHECK(received.junk[0].kind == Kind::bad_checksum);
}

TEST_CASE("requests: a silence ends what is no frame") {
  FrameReceiver receiver(Framing::rtu, Direction::request, silence);
  Received received;
  receiver.receive({}, bytes("01 03 00 00"), received);
  receiver.receive(milliseconds(30), framed(1, "03 00 00 00 01", Framing::rtu), received);
  CHECK(pdus(received) == std::vector<std::string>{"03 00 00 00 01"});
  // functions whose length we cannot tell end with the silence
  receiver.receive(milliseconds(60), framed(1, "08 00 00 A5 37", Framing::rtu), received);
  CHECK(received.frames.size() == 1);
  receiver.look_at_silence(received);
  CHECK(pdus(received).back() == "08 00 00 A5 37");
}

TEST_CASE("ASCII: a colon begins anew, a wrong LRC is no frame") {
  FrameReceiver receiver(Framing::ascii, Direction::reply, silence);
  Received received;
  const Bytes good = framed(7, "03 02 00 01", Framing::ascii);
  Bytes wrong = good;
  wrong[3] = std::byte{'4'};
  Bytes half(good.begin(), good.begin() + 6);
  receiver.receive({}, joined({bytes("41 42"), half, wrong, good}), received);
  CHECK(pdus(received) == std::vector<std::string>{"03 02 00 01"});
  REQUIRE(received.junk.size() == 3);
  CHECK(received.junk[0].kind == Kind::noise);
  CHECK(received.junk[1].kind == Kind::cut_short);
  CHECK(received.junk[2].kind == Kind::bad_checksum);
}

TEST_CASE("TCP: another protocol and absurd lengths break the stream") {
  for (const char* header : {"00 01 00 01 00 06 01 03", "00 01 00 00 FF FF 01 03",
                             "00 01 00 00 00 01 01 03", "00 01 00 00 00 00 01"}) {
    FrameReceiver receiver(Framing::tcp, Direction::reply, silence);
    Received received;
    receiver.receive({}, bytes(header), received);
    CHECK(receiver.broken());
    // nothing that follows is believed
    receiver.receive({}, framed(1, "03 02 00 01", Framing::tcp), received);
    CHECK(received.frames.empty());
    receiver.forget(received);
    receiver.receive({}, framed(1, "03 02 00 01", Framing::tcp), received);
    CHECK(received.frames.size() == 1);
  }
}

TEST_CASE("an endless frame does not fill the memory") {
  for (const auto framing : {Framing::rtu, Framing::ascii}) {
    FrameReceiver receiver(framing, Direction::reply, silence);
    Received received;
    const Bytes start = framing == Framing::ascii ? bytes("3A") : bytes("01 63");
    receiver.receive({}, start, received);
    for (int i = 0; i < 5000; ++i) receiver.receive({}, bytes("30 31 32"), received);
    Received rest;
    receiver.forget(rest);
    CHECK(bytes_of(rest) <= 1100);
    CHECK(bytes_of(rest) + bytes_of(received) == start.size() + 15000);
  }
}

// What a station hears on a line with other slaves: nobody waits for a silence that a computer
// could see.
TEST_CASE("on a shared line every request is found among replies and noise, in any pieces") {
  rc::prop("shared", [] {
    Bytes stream;
    std::vector<std::string> expected;
    const auto add = [&](const Bytes& part) {
      stream.insert(stream.end(), part.begin(), part.end());
    };
    const auto count = *rc::gen::inRange(1, 12);
    for (int i = 0; i < count; ++i) {
      const char* pdu = *rc::gen::element("03 00 0A 00 01", "06 00 05 00 09", "01 00 00 00 08",
                                          "10 00 01 00 02 04 00 01 00 02");
      const Bytes request =
          framed(static_cast<std::uint8_t>(*rc::gen::inRange(1, 9)), pdu, Framing::rtu);
      add(request);
      expected.push_back(modbus::to_hex(request));
      const char* reply =
          *rc::gen::element("", "03 02 00 05", "83 02", "01 01 55", "10 00 01 00 02");
      if (*reply != 0) add(framed(3, reply, Framing::rtu));
      if (*rc::gen::inRange(0, 4) == 0) add(Bytes(3, std::byte{0xFF}));
    }
    FrameReceiver receiver(Framing::rtu, Direction::request, silence);
    receiver.hear_replies();
    Received received;
    Duration now{};
    for (std::size_t at = 0; at < stream.size();) {
      const auto size = std::min(stream.size() - at, *rc::gen::inRange<std::size_t>(1, 40));
      now += milliseconds(1);
      receiver.receive(now, modbus::ByteView(stream).subspan(at, size), received);
      at += size;
    }
    std::vector<std::string> found;
    for (const ReceivedFrame& frame : received.frames) {
      if (!frame.is_reply) found.push_back(modbus::to_hex(frame.raw));
    }
    RC_ASSERT(found == expected);
  });
}
