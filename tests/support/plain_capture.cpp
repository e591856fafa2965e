#include "plain_capture.h"

#include <cmath>

namespace greymet::test {

namespace {

void add_16(Octets& out, unsigned value) {
  out.push_back(static_cast<std::uint8_t>(value >> 8U));
  out.push_back(static_cast<std::uint8_t>(value));
}
void add_32(Octets& out, std::uint32_t value) {
  add_16(out, value >> 16U);
  add_16(out, value & 0xFFFFU);
}
// In the byte order of the file, which is ours to choose: little-endian.
void file_32(std::string& out, std::uint32_t value) {
  for (unsigned i = 0; i < 4; ++i) out += static_cast<char>(value >> (8 * i));
}
void file_16(std::string& out, unsigned value) {
  for (unsigned i = 0; i < 2; ++i) out += static_cast<char>(value >> (8 * i));
}

std::uint32_t link_number(Wrapping wrapping) {
  switch (wrapping) {
    case Wrapping::ethernet:
    case Wrapping::vlan: return 1;
    case Wrapping::cooked: return 113;
    case Wrapping::cooked_2: return 276;
    case Wrapping::raw: return 101;
    case Wrapping::loopback: return 0;
  }
  return 1;
}

}  // namespace

PlainCapture::PlainCapture(Wrapping wrapping, bool pcapng) : wrapping_(wrapping), pcapng_(pcapng) {
  if (!pcapng_) {
    file_32(bytes_, 0xA1B2C3D4U);  // microseconds
    file_16(bytes_, 2);
    file_16(bytes_, 4);
    file_32(bytes_, 0);
    file_32(bytes_, 0);
    file_32(bytes_, 262144);
    file_32(bytes_, link_number(wrapping));
    return;
  }
  // section header block, then one interface with a resolution of microseconds
  file_32(bytes_, 0x0A0D0D0AU);
  file_32(bytes_, 28);
  file_32(bytes_, 0x1A2B3C4DU);
  file_16(bytes_, 1);
  file_16(bytes_, 0);
  file_32(bytes_, 0xFFFFFFFFU);
  file_32(bytes_, 0xFFFFFFFFU);
  file_32(bytes_, 28);
  file_32(bytes_, 1);
  file_32(bytes_, 20);
  file_16(bytes_, link_number(wrapping));
  file_16(bytes_, 0);
  file_32(bytes_, 262144);
  file_32(bytes_, 20);
}

void PlainCapture::add_packet(double time, const Octets& bytes) {
  const auto micros = static_cast<std::uint64_t>(std::llround(time * 1e6));
  const auto length = static_cast<std::uint32_t>(bytes.size());
  if (!pcapng_) {
    file_32(bytes_, static_cast<std::uint32_t>(micros / 1000000));
    file_32(bytes_, static_cast<std::uint32_t>(micros % 1000000));
    file_32(bytes_, length);
    file_32(bytes_, length);
    bytes_.append(bytes.begin(), bytes.end());
    return;
  }
  const std::uint32_t padding = (4 - length % 4) % 4;
  const std::uint32_t whole = 32 + length + padding;
  file_32(bytes_, 6);
  file_32(bytes_, whole);
  file_32(bytes_, 0);
  file_32(bytes_, static_cast<std::uint32_t>(micros >> 32U));
  file_32(bytes_, static_cast<std::uint32_t>(micros));
  file_32(bytes_, length);
  file_32(bytes_, length);
  bytes_.append(bytes.begin(), bytes.end());
  bytes_.append(padding, '\0');
  file_32(bytes_, whole);
}

Octets PlainCapture::wrapped(const Octets& datagram, bool v6) const {
  Octets out;
  const unsigned type = v6 ? 0x86DDU : 0x0800U;
  switch (wrapping_) {
    case Wrapping::ethernet:
    case Wrapping::vlan:
      out.assign(12, 0x02);
      if (wrapping_ == Wrapping::vlan) {
        add_16(out, 0x88A8);  // a tag of the provider around one of the plant
        add_16(out, 7);
        add_16(out, 0x8100);
        add_16(out, 42);
      }
      add_16(out, type);
      break;
    case Wrapping::cooked:
      out.assign(14, 0);
      add_16(out, type);
      break;
    case Wrapping::cooked_2:
      add_16(out, type);
      out.resize(20);
      break;
    case Wrapping::raw: break;
    case Wrapping::loopback: out = {2, 0, 0, 0}; break;
  }
  out.insert(out.end(), datagram.begin(), datagram.end());
  // short frames are filled up: what is filled in is not data
  if (wrapping_ == Wrapping::ethernet && out.size() < 60) out.resize(60, 0xEE);
  return out;
}

void PlainCapture::add(const PlainConnection& connection, const PlainSegment& segment) {
  Octets tcp;
  const unsigned from = segment.to_server ? connection.client_port : connection.server_port;
  const unsigned to = segment.to_server ? connection.server_port : connection.client_port;
  add_16(tcp, from);
  add_16(tcp, to);
  add_32(tcp, segment.sequence);
  add_32(tcp, segment.acknowledges);
  tcp.push_back(0x60);  // 24 bytes of header: one option
  tcp.push_back(segment.flags);
  add_16(tcp, 8192);
  add_16(tcp, 0);
  add_16(tcp, 0);
  tcp.insert(tcp.end(), {1, 1, 1, 1});  // no operation
  tcp.insert(tcp.end(), segment.payload.begin(), segment.payload.end());
  Octets ip;
  if (connection.v6) {
    ip = {0x60, 0, 0, 0};
    add_16(ip, static_cast<unsigned>(tcp.size() + 8));
    ip.insert(ip.end(), {0, 64});  // hop-by-hop options come first
    const auto address = [&](std::uint8_t last) {
      Octets bytes{0xfd, 0};
      bytes.resize(15);
      bytes.push_back(last);
      ip.insert(ip.end(), bytes.begin(), bytes.end());
    };
    address(segment.to_server ? 1 : connection.server);
    address(segment.to_server ? connection.server : 1);
    ip.insert(ip.end(), {6, 0, 1, 4, 0, 0, 0, 0});
  } else {
    ip = {0x45, 0};
    add_16(ip, static_cast<unsigned>(20 + tcp.size()));
    ip.insert(ip.end(), {0, 0, 0x40, 0, 64, 6, 0, 0});
    const Octets client{10, 0, 0, 1};
    const Octets server{10, 20, 0, connection.server};
    const Octets& first = segment.to_server ? client : server;
    const Octets& second = segment.to_server ? server : client;
    ip.insert(ip.end(), first.begin(), first.end());
    ip.insert(ip.end(), second.begin(), second.end());
  }
  ip.insert(ip.end(), tcp.begin(), tcp.end());
  add_packet(segment.time, wrapped(ip, connection.v6));
}

void PlainCapture::add_other(double time, std::uint8_t protocol) {
  Octets ip{0x45, 0, 0, 28, 0, 0, 0x40, 0, 64, protocol, 0, 0, 10, 0, 0, 1, 10, 0, 0, 2};
  ip.resize(28);
  add_packet(time, wrapped(ip, false));
}

Octets mbap(std::uint16_t number, std::uint8_t unit, const Octets& pdu) {
  Octets out;
  add_16(out, number);
  add_16(out, 0);
  add_16(out, static_cast<unsigned>(pdu.size() + 1));
  out.push_back(unit);
  out.insert(out.end(), pdu.begin(), pdu.end());
  return out;
}

PlainSegment PlainTalk::segment(double time, bool to_server, const Octets& bytes) {
  std::uint32_t& own = to_server ? client_ : server_;
  const std::uint32_t other = to_server ? server_ : client_;
  const PlainSegment out{time, to_server, own, other, 0x18, bytes};
  own += static_cast<std::uint32_t>(bytes.size());
  return out;
}
void PlainTalk::open(double time) {
  capture_.add(connection_, {time, true, client_ - 1, 0, 0x02, {}});
  capture_.add(connection_, {time + 0.0001, false, server_ - 1, client_, 0x12, {}});
}
void PlainTalk::close(double time) {
  capture_.add(connection_, {time, true, client_, server_, 0x11, {}});
  capture_.add(connection_, {time + 0.0001, false, server_, client_ + 1, 0x11, {}});
}
void PlainTalk::say(double time, bool to_server, const Octets& bytes) {
  capture_.add(connection_, segment(time, to_server, bytes));
}
void PlainTalk::miss(bool to_server, std::size_t bytes) {
  (to_server ? client_ : server_) += static_cast<std::uint32_t>(bytes);
}

}  // namespace greymet::test
