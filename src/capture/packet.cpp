#include "capture/packet.h"

#include <arpa/inet.h>

#include <algorithm>
#include <cstring>

#include <fmt/format.h>

namespace greymet::capture {

namespace {

constexpr std::uint16_t ether_ipv4 = 0x0800;
constexpr std::uint16_t ether_ipv6 = 0x86DD;
constexpr std::uint16_t ether_arp = 0x0806;
constexpr std::uint8_t protocol_tcp = 6;
constexpr std::uint8_t protocol_udp = 17;

std::uint8_t byte_at(ByteView bytes, std::size_t at) {
  return std::to_integer<std::uint8_t>(bytes[at]);
}
std::uint16_t word_at(ByteView bytes, std::size_t at) {
  return static_cast<std::uint16_t>(byte_at(bytes, at) << 8U | byte_at(bytes, at + 1));
}
std::uint32_t long_at(ByteView bytes, std::size_t at) {
  return static_cast<std::uint32_t>(word_at(bytes, at)) << 16U | word_at(bytes, at + 2);
}

// Type and begin of what the link carries; nothing where the packet is cut short.
struct Carried {
  std::uint16_t type = 0;
  std::size_t at = 0;
};
std::optional<Carried> behind_vlans(ByteView packet, std::size_t type_at) {
  constexpr int most_tags = 4;
  for (int tag = 0; tag <= most_tags; ++tag) {
    if (packet.size() < type_at + 2) return std::nullopt;
    const std::uint16_t type = word_at(packet, type_at);
    const bool is_tag = type == 0x8100 || type == 0x88A8 || type == 0x9100;
    if (!is_tag) return Carried{type, type_at + 2};
    type_at += 4;
  }
  return std::nullopt;
}

std::optional<Carried> by_version(ByteView packet, std::size_t at) {
  if (packet.size() <= at) return std::nullopt;
  const int version = byte_at(packet, at) >> 4U;
  return Carried{version == 4 ? ether_ipv4 : version == 6 ? ether_ipv6 : std::uint16_t{0}, at};
}

std::optional<Carried> carried_by(LinkType link, ByteView packet) {
  switch (link) {
    case LinkType::ethernet: return behind_vlans(packet, 12);
    case LinkType::linux_cooked: return behind_vlans(packet, 14);
    case LinkType::linux_cooked_2: {
      const auto carried = behind_vlans(packet, 0);
      if (!carried) return std::nullopt;
      constexpr std::size_t header = 20;
      return Carried{carried->type, carried->at == 2 ? header : carried->at + header - 2};
    }
    case LinkType::null:
    case LinkType::loop: return by_version(packet, 4);  // the family's number is the system's own
    case LinkType::raw:
    case LinkType::ipv4:
    case LinkType::ipv6: return by_version(packet, 0);
  }
  return std::nullopt;
}

HostPort v4_at(ByteView packet, std::size_t at) {
  HostPort out;
  for (std::size_t i = 0; i < 4; ++i) out.address[12 + i] = byte_at(packet, at + i);
  return out;
}
HostPort v6_at(ByteView packet, std::size_t at) {
  HostPort out;
  out.is_v6 = true;
  for (std::size_t i = 0; i < 16; ++i) out.address[i] = byte_at(packet, at + i);
  return out;
}

// What IP carries, and between whom.
struct Datagram {
  HostPort from;
  HostPort to;
  std::uint8_t protocol = 0;
  std::size_t at = 0;
  std::size_t end = 0;  // what lies behind is padding
  bool is_fragment = false;
};

std::optional<Datagram> datagram_v4(ByteView packet, std::size_t at) {
  if (packet.size() < at + 20) return std::nullopt;
  const std::size_t header = static_cast<std::size_t>(byte_at(packet, at) & 0x0FU) * 4;
  const std::size_t total = word_at(packet, at + 2);
  if (header < 20 || packet.size() < at + header) return std::nullopt;
  Datagram out;
  out.from = v4_at(packet, at + 12);
  out.to = v4_at(packet, at + 16);
  out.protocol = byte_at(packet, at + 9);
  out.at = at + header;
  // 0 where the network card was left to cut it
  out.end = total < header ? packet.size() : std::min(packet.size(), at + total);
  out.is_fragment = (word_at(packet, at + 6) & 0x3FFFU) != 0;
  return out;
}

std::optional<Datagram> datagram_v6(ByteView packet, std::size_t at) {
  constexpr std::size_t header = 40;
  if (packet.size() < at + header) return std::nullopt;
  Datagram out;
  out.from = v6_at(packet, at + 8);
  out.to = v6_at(packet, at + 24);
  out.protocol = byte_at(packet, at + 6);
  out.at = at + header;
  const std::size_t length = word_at(packet, at + 4);
  out.end = length == 0 ? packet.size() : std::min(packet.size(), out.at + length);
  constexpr int most_extensions = 8;
  for (int i = 0; i < most_extensions; ++i) {
    const bool extension = out.protocol == 0 || out.protocol == 43 || out.protocol == 60;
    if (out.protocol == 44) out.is_fragment = true;
    if (!extension) return out;
    if (out.end < out.at + 8) return std::nullopt;
    out.protocol = byte_at(packet, out.at);
    out.at += (static_cast<std::size_t>(byte_at(packet, out.at + 1)) + 1) * 8;
    if (out.at > out.end) return std::nullopt;
  }
  return std::nullopt;
}

}  // namespace

std::string address_text(const HostPort& host) {
  std::array<char, INET6_ADDRSTRLEN> text{};
  const void* bytes = host.is_v6 ? host.address.data() : host.address.data() + 12;
  if (::inet_ntop(host.is_v6 ? AF_INET6 : AF_INET, bytes, text.data(), text.size()) == nullptr) {
    return {};
  }
  return text.data();
}

std::string to_text(const HostPort& host) {
  return host.is_v6 ? fmt::format("[{}]:{}", address_text(host), host.port)
                    : fmt::format("{}:{}", address_text(host), host.port);
}

std::optional<LinkType> link_type_from(int number) {
  switch (number) {
    case 0: return LinkType::null;
    case 1: return LinkType::ethernet;
    case 12:  // raw IP, as two systems number it in files
    case 14:
    case 101: return LinkType::raw;
    case 108: return LinkType::loop;
    case 113: return LinkType::linux_cooked;
    case 228: return LinkType::ipv4;
    case 229: return LinkType::ipv6;
    case 276: return LinkType::linux_cooked_2;
    default: return std::nullopt;
  }
}

std::optional<TcpSegment> segment_of(LinkType link, ByteView packet, PacketKind& kind) {
  kind.what = "cut short";
  const auto carried = carried_by(link, packet);
  if (!carried) return std::nullopt;
  if (carried->type != ether_ipv4 && carried->type != ether_ipv6) {
    kind.what = carried->type == ether_arp ? "ARP" : "other";
    return std::nullopt;
  }
  const auto datagram = carried->type == ether_ipv4 ? datagram_v4(packet, carried->at)
                                                    : datagram_v6(packet, carried->at);
  if (!datagram) return std::nullopt;
  if (datagram->is_fragment) {
    kind.what = "IP fragment";
    return std::nullopt;
  }
  if (datagram->protocol != protocol_tcp) {
    kind.what = datagram->protocol == protocol_udp ? "UDP" : "other";
    return std::nullopt;
  }
  constexpr std::size_t least_header = 20;
  const std::size_t at = datagram->at;
  if (datagram->end < at + least_header) return std::nullopt;
  const std::size_t header = static_cast<std::size_t>(byte_at(packet, at + 12) >> 4U) * 4;
  if (header < least_header || datagram->end < at + header) return std::nullopt;
  kind.what = "TCP";
  TcpSegment out;
  out.from = datagram->from;
  out.to = datagram->to;
  out.from.port = word_at(packet, at);
  out.to.port = word_at(packet, at + 2);
  out.sequence = long_at(packet, at + 4);
  out.acknowledges = long_at(packet, at + 8);
  const unsigned flags = byte_at(packet, at + 13);
  out.has_ack = (flags & 0x10U) != 0;
  out.begins = (flags & 0x02U) != 0;
  out.ends = (flags & 0x01U) != 0;
  out.resets = (flags & 0x04U) != 0;
  out.payload = packet.subspan(at + header, datagram->end - at - header);
  return out;
}

}  // namespace greymet::capture
