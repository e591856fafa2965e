// From packets of a capture to the pieces of TCP in them.
//
// Link types: Ethernet (IEEE 802.3, VLAN tags of 802.1Q), Linux cooked (both versions), raw IP and
// BSD loopback; IPv4 (RFC 791) and IPv6 (RFC 8200); TCP (RFC 9293). Whatever is cut short or is
// none of these is passed over.
#pragma once

#include <array>
#include <compare>
#include <cstdint>
#include <optional>
#include <string>

#include "modbus/pdu.h"
#include "model/strong.h"

namespace greymet::capture {

using modbus::ByteView;
using model::Duration;

// An address and port; IPv4 in the last four bytes.
struct HostPort {
  std::array<std::uint8_t, 16> address{};
  bool is_v6 = false;
  std::uint16_t port = 0;
  friend auto operator<=>(const HostPort&, const HostPort&) = default;
  friend bool operator==(const HostPort&, const HostPort&) = default;
};
// "10.20.0.31:502", "[fe80::1]:502"
[[nodiscard]] std::string to_text(const HostPort& host);
// The address alone.
[[nodiscard]] std::string address_text(const HostPort& host);

// How packets begin; numbers as capture files have them (LINKTYPE_).
enum class LinkType : std::uint16_t {
  null = 0,
  ethernet = 1,
  raw = 101,
  loop = 108,
  linux_cooked = 113,
  ipv4 = 228,
  ipv6 = 229,
  linux_cooked_2 = 276,
};
[[nodiscard]] std::optional<LinkType> link_type_from(int number);

// One segment. `payload` views the packet.
struct TcpSegment {
  HostPort from;
  HostPort to;
  std::uint32_t sequence = 0;
  std::uint32_t acknowledges = 0;
  bool has_ack = false;
  bool begins = false;  // SYN
  bool ends = false;    // FIN
  bool resets = false;  // RST
  ByteView payload;
};

// What a packet is, for those that hold no segment.
struct PacketKind {
  std::string_view what;  // "TCP", "UDP", "ARP", "IPv4 fragment", "cut short", "other"
};

// The segment of a packet; nothing for all others, of which `kind` tells what they are.
[[nodiscard]] std::optional<TcpSegment> segment_of(LinkType link, ByteView packet,
                                                   PacketKind& kind);

}  // namespace greymet::capture
