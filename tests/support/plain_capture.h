// Captures written out byte by byte from the descriptions of their formats: classic pcap and
// pcapng, link types, IPv4, IPv6, TCP. Shares nothing with src/.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "plain_modbus.h"

namespace greymet::test {

// How packets are wrapped.
enum class Wrapping : std::uint8_t { ethernet, vlan, cooked, cooked_2, raw, loopback };

// One segment between 10.0.0.1:CLIENT_PORT and the server.
struct PlainSegment {
  double time = 0;  // seconds
  bool to_server = true;
  std::uint32_t sequence = 0;
  std::uint32_t acknowledges = 0;
  std::uint8_t flags = 0x18;  // PSH, ACK
  Octets payload;
};

struct PlainConnection {
  std::uint8_t server = 31;  // 10.20.0.SERVER
  std::uint16_t server_port = 502;
  std::uint16_t client_port = 40000;
  bool v6 = false;
};

// A capture in memory.
class PlainCapture {
 public:
  explicit PlainCapture(Wrapping wrapping = Wrapping::ethernet, bool pcapng = false);
  void add(const PlainConnection& connection, const PlainSegment& segment);
  // Any bytes as one packet.
  void add_packet(double time, const Octets& bytes);
  // 17 is UDP.
  void add_other(double time, std::uint8_t protocol);
  [[nodiscard]] const std::string& bytes() const { return bytes_; }

 private:
  [[nodiscard]] Octets wrapped(const Octets& datagram, bool v6) const;
  Wrapping wrapping_;
  bool pcapng_;
  std::string bytes_;
};

// MBAP header and PDU.
[[nodiscard]] Octets mbap(std::uint16_t number, std::uint8_t unit, const Octets& pdu);

// One connection of which both ends say things, in whole segments, with running numbers.
class PlainTalk {
 public:
  PlainTalk(PlainCapture& capture, PlainConnection connection)
      : capture_(capture), connection_(connection) {}
  void open(double time);  // SYN, SYN and ACK
  void close(double time);
  void say(double time, bool to_server, const Octets& bytes);
  // Numbers count on, and nothing is captured.
  void miss(bool to_server, std::size_t bytes);
  [[nodiscard]] PlainSegment segment(double time, bool to_server, const Octets& bytes);

 private:
  PlainCapture& capture_;
  PlainConnection connection_;
  std::uint32_t client_ = 1000;
  std::uint32_t server_ = 0xFFFFFF00U;  // soon begins anew from 0
};

}  // namespace greymet::test
