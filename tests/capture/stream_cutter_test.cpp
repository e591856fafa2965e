// What is wrapped in TCP: MBAP headers or RTU frames, told apart by what was sent.
#include <algorithm>
#include <span>

#include <rapidcheck.h>
#include <rapidcheck/catch.h>
#include <catch2/catch.hpp>

#include "capture/stream_cutter.h"
#include "plain_capture.h"
#include "plain_modbus.h"

using namespace greymet;
using test::Octets;

namespace {

// Frames of both directions as they were sent, and as they were told.
struct SaidFrame {
  bool is_request = true;
  std::uint8_t unit = 0;
  Octets pdu;
  friend bool operator==(const SaidFrame&, const SaidFrame&) = default;
};

Octets rtu(std::uint8_t unit, const Octets& pdu) {
  Octets frame{unit};
  frame.insert(frame.end(), pdu.begin(), pdu.end());
  return test::with_crc(frame);
}

Octets words(std::initializer_list<unsigned> list) {
  Octets out;
  for (const unsigned each : list) {
    out.push_back(static_cast<std::uint8_t>(each >> 8U));
    out.push_back(static_cast<std::uint8_t>(each & 0xFFU));
  }
  return out;
}

// A question with its answer, from the tables of the application protocol (V1.1b3, section 6).
std::pair<Octets, Octets> exchange(unsigned function, unsigned address, unsigned count) {
  Octets request{static_cast<std::uint8_t>(function)};
  Octets reply = request;
  const auto append = [](Octets& to, const Octets& more) {
    to.insert(to.end(), more.begin(), more.end());
  };
  const auto byte = [](unsigned value) { return static_cast<std::uint8_t>(value); };
  append(request, words({address, count}));
  switch (function) {
    case 1:
    case 2:
      reply.push_back(byte((count + 7) / 8));
      reply.resize(reply.size() + (count + 7) / 8, 0x55);
      break;
    case 3:
    case 4:
      reply.push_back(byte(2 * count));
      reply.resize(reply.size() + std::size_t{2} * count, 0x01);
      break;
    case 6: reply = request; break;
    default:
      append(reply, words({address, count}));
      request.push_back(byte(2 * count));
      request.resize(request.size() + std::size_t{2} * count, 0x07);
  }
  return {request, reply};
}

class Heard {
 public:
  // In pieces of that size.
  void add(bool is_request, const Octets& bytes, std::size_t piece, bool after_gap = false) {
    for (std::size_t at = 0; at < bytes.size(); at += piece) {
      const std::size_t size = std::min(piece, bytes.size() - at);
      cutter.add(model::Duration(++now_), std::as_bytes(std::span(bytes).subspan(at, size)),
                 is_request, after_gap && at == 0,
                 [&](const modbus::Frame& frame, bool request, model::Duration first,
                     model::Duration last) {
                   in_order = in_order && first <= last;
                   SaidFrame said{request, frame.unit, {}};
                   for (const std::byte b : frame.pdu) {
                     said.pdu.push_back(std::to_integer<std::uint8_t>(b));
                   }
                   frames.push_back(said);
                 });
    }
  }
  capture::StreamCutter cutter;
  std::vector<SaidFrame> frames;
  bool in_order = true;

 private:
  std::int64_t now_ = 0;
};

}  // namespace

TEST_CASE("frames in a connection are told, whichever way they are wrapped and cut") {
  rc::prop("every exchange is heard once, in its order", [](bool is_rtu) {
    Heard heard;
    std::vector<SaidFrame> said;
    const auto exchanges = *rc::gen::inRange(1, 12);
    std::uint16_t number = *rc::gen::arbitrary<std::uint16_t>();
    for (int i = 0; i < exchanges; ++i) {
      const auto function = *rc::gen::element(1U, 2U, 3U, 4U, 6U, 16U);
      // addresses and counts from 0 on are those that look like headers
      const auto address = *rc::gen::weightedOneOf<unsigned>(
          {{3, rc::gen::inRange(0U, 4U)}, {1, rc::gen::inRange(0U, 60000U)}});
      const auto count = *rc::gen::inRange(1U, 120U);
      const auto unit = *rc::gen::inRange<std::uint8_t>(1, 248);
      const auto [request, reply] = exchange(function, address, count);
      const bool refused = *rc::gen::inRange(0, 5) == 0;
      const Octets answer =
          refused ? Octets{static_cast<std::uint8_t>(function | 0x80U), 2} : reply;
      ++number;
      const auto wrapped = [&](const Octets& pdu) {
        return is_rtu ? rtu(unit, pdu) : test::mbap(number, unit, pdu);
      };
      // a whole frame a segment to begin with, as masters write them; then any pieces
      const std::size_t piece = i == 0 ? 1000 : *rc::gen::inRange<std::size_t>(1, 300);
      heard.add(true, wrapped(request), piece);
      heard.add(false, wrapped(answer), piece);
      said.push_back({true, unit, request});
      said.push_back({false, unit, answer});
    }
    RC_ASSERT(heard.frames == said);
    RC_ASSERT(heard.in_order);
    RC_ASSERT(heard.cutter.framing() == (is_rtu ? modbus::Framing::rtu : modbus::Framing::tcp));
    RC_ASSERT(heard.cutter.lost_bytes() == 0U);
  });
  rc::prop("what begins in the middle of a frame, or is none, is passed over", [](bool is_rtu) {
    Heard heard;
    const auto [request, reply] = exchange(3, *rc::gen::inRange(0U, 300U), 10);
    const auto wrapped = [&](const Octets& pdu) {
      return is_rtu ? rtu(9, pdu) : test::mbap(77, 9, pdu);
    };
    const Octets whole = wrapped(reply);
    const auto cut = *rc::gen::inRange<std::size_t>(1, whole.size());
    heard.add(false, Octets(whole.begin() + static_cast<std::ptrdiff_t>(cut), whole.end()), 1000);
    const auto noise =
        *rc::gen::container<Octets>(rc::gen::element<std::uint8_t>(0x00, 0xFF, 0x41));
    if (*rc::gen::arbitrary<bool>()) heard.add(true, noise, 1000);
    for (int i = 0; i < 6; ++i) {
      heard.add(true, wrapped(request), 1000, i == 0);
      heard.add(false, wrapped(reply), 1000, i == 0);
    }
    // the last ones at least
    const SaidFrame asked{true, 9, request};
    const SaidFrame answered{false, 9, reply};
    RC_ASSERT(std::count(heard.frames.begin(), heard.frames.end(), asked) >= 4);
    RC_ASSERT(std::count(heard.frames.begin(), heard.frames.end(), answered) >= 4);
    RC_ASSERT(heard.cutter.framing() == (is_rtu ? modbus::Framing::rtu : modbus::Framing::tcp));
  });
}

TEST_CASE("a frame of a function that nobody knows is one, and a wrong checksum is none") {
  Heard heard;
  heard.add(true, rtu(9, {3, 0, 0, 0, 2}), 1000);
  heard.add(true, rtu(9, {0x41, 1, 2, 3}), 1000);
  Octets bad = rtu(9, {3, 0, 0, 0, 4});
  bad.back() ^= 1U;
  heard.add(true, bad, 1000);
  heard.add(true, rtu(9, {3, 0, 0, 0, 6}), 1000);
  REQUIRE(heard.frames.size() == 3);
  CHECK(heard.frames[1].pdu == Octets{0x41, 1, 2, 3});
  CHECK(heard.frames[2].pdu == Octets{3, 0, 0, 0, 6});
  CHECK(heard.cutter.lost_bytes() == 8);
}

TEST_CASE("a frame inside what is written is none, however the write is cut") {
  // registers that hold a whole request with its checksum
  const Octets inner = rtu(9, {3, 0, 0, 0, 2});
  Octets pdu{16, 0, 100, 0, 4, 8};
  pdu.insert(pdu.end(), inner.begin(), inner.end());
  const Octets whole = rtu(9, pdu);
  for (std::size_t cut = 1; cut < whole.size(); ++cut) {
    INFO(cut);
    Heard heard;
    heard.add(true, rtu(9, {3, 0, 0, 0, 6}), 1000);
    const auto middle = whole.begin() + static_cast<std::ptrdiff_t>(cut);
    heard.add(true, Octets(whole.begin(), middle), 1000);
    heard.add(true, Octets(middle, whole.end()), 1000);
    REQUIRE(heard.frames.size() == 2);
    CHECK(heard.frames[1].pdu == pdu);
    CHECK(heard.cutter.lost_bytes() == 0);
  }
}

TEST_CASE("what was told wrongly at first is told anew behind bytes that make no sense") {
  Heard heard;
  // something of another protocol that looks like a frame with a header, whole
  heard.add(true, {0, 1, 0, 0, 0, 3, 1, 2, 3}, 1000);
  CHECK(heard.cutter.framing() == modbus::Framing::tcp);
  const auto [request, reply] = exchange(3, 0, 7);
  for (int i = 0; i < 4; ++i) {
    heard.add(true, rtu(9, request), 1000);
    heard.add(false, rtu(9, reply), 1000);
  }
  CHECK(heard.cutter.framing() == modbus::Framing::rtu);
  CHECK(std::count(heard.frames.begin(), heard.frames.end(), SaidFrame{true, 9, request}) >= 2);
  CHECK(std::count(heard.frames.begin(), heard.frames.end(), SaidFrame{false, 9, reply}) >= 3);
}
