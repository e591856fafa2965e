#include "plain_modbus.h"

#include <arpa/inet.h>
#include <fcntl.h>
#include <netinet/in.h>
#include <poll.h>
#include <pty.h>
#include <sys/socket.h>
#include <termios.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <utility>

namespace greymet::test {
namespace {

std::uint16_t crc_of(const Octets& bytes) {
  unsigned crc = 0xFFFF;
  for (const std::uint8_t byte : bytes) {
    crc ^= byte;
    for (int bit = 0; bit < 8; ++bit) crc = (crc & 1U) != 0 ? crc >> 1U ^ 0xA001U : crc >> 1U;
  }
  return static_cast<std::uint16_t>(crc);
}

unsigned word_in(const Octets& bytes, std::size_t at) {
  return bytes.size() < at + 2 ? 0U : static_cast<unsigned>(bytes[at]) << 8U | bytes[at + 1];
}
void add_word_to(Octets& bytes, unsigned value) {
  bytes.push_back(static_cast<std::uint8_t>(value >> 8U));
  bytes.push_back(static_cast<std::uint8_t>(value));
}

bool readable(int fd, int milliseconds) {
  pollfd waits{fd, POLLIN, 0};
  return ::poll(&waits, 1, milliseconds) > 0;
}

// Everything that is there.
Octets read_some(int fd) {
  std::array<std::uint8_t, 1024> buffer{};
  const ssize_t count = ::read(fd, buffer.data(), buffer.size());
  if (count <= 0) return {};
  return {buffer.begin(), buffer.begin() + count};
}

// What is left is dropped where nobody takes it any more.
void write_all(int fd, const Octets& bytes) {
  std::size_t done = 0;
  while (done < bytes.size()) {
    ssize_t count = ::send(fd, bytes.data() + done, bytes.size() - done, MSG_NOSIGNAL);
    if (count < 0 && errno == ENOTSOCK) {
      count = ::write(fd, bytes.data() + done, bytes.size() - done);
    }
    if (count <= 0) return;
    done += static_cast<std::size_t>(count);
  }
}

constexpr int patience_ms = 4000;  // machines stand still at times

const char* const hex = "0123456789ABCDEF";

Octets as_ascii(const Octets& unit_and_pdu) {
  unsigned sum = 0;
  Octets out{':'};
  const auto add = [&out](unsigned byte) {
    out.push_back(static_cast<std::uint8_t>(hex[byte >> 4U]));
    out.push_back(static_cast<std::uint8_t>(hex[byte & 15U]));
  };
  for (const std::uint8_t byte : unit_and_pdu) {
    sum += byte;
    add(byte);
  }
  add((0x100U - (sum & 0xFFU)) & 0xFFU);
  out.push_back('\r');
  out.push_back('\n');
  return out;
}

Octets from_ascii(const Octets& frame) {
  Octets out;
  unsigned sum = 0;
  const auto digit = [](std::uint8_t c) {
    return c >= 'A' ? static_cast<unsigned>(c - 'A' + 10) : static_cast<unsigned>(c - '0');
  };
  if (frame.size() < 9 || frame.front() != ':') return {};
  for (std::size_t i = 1; i + 3 < frame.size(); i += 2) {
    out.push_back(static_cast<std::uint8_t>(digit(frame[i]) << 4U | digit(frame[i + 1])));
    sum += out.back();
  }
  if ((sum & 0xFFU) != 0) return {};
  out.pop_back();
  return out;
}

}  // namespace

Octets with_crc(Octets frame) {
  const std::uint16_t crc = crc_of(frame);
  frame.push_back(static_cast<std::uint8_t>(crc));
  frame.push_back(static_cast<std::uint8_t>(crc >> 8));
  return frame;
}

bool crc_is_right(const Octets& frame) {
  if (frame.size() < 4) return false;
  return with_crc(Octets(frame.begin(), frame.end() - 2)) == frame;
}

PlainMaster PlainMaster::on_tcp(const std::string& address) {
  const std::size_t colon = address.rfind(':');
  const int fd = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
  sockaddr_in to{};
  to.sin_family = AF_INET;
  to.sin_port = htons(static_cast<std::uint16_t>(std::stoi(address.substr(colon + 1))));
  ::inet_pton(AF_INET, address.substr(0, colon).c_str(), &to.sin_addr);
  if (::connect(fd, reinterpret_cast<const sockaddr*>(&to), sizeof to) != 0) {
    ::close(fd);
    return {-1, Kind::tcp};
  }
  return {fd, Kind::tcp};
}

PlainMaster PlainMaster::on_device(const std::string& device, bool ascii) {
  const int fd = ::open(device.c_str(), O_RDWR | O_NOCTTY | O_CLOEXEC);
  termios raw{};
  ::tcgetattr(fd, &raw);
  ::cfmakeraw(&raw);
  ::tcsetattr(fd, TCSANOW, &raw);
  ::usleep(200'000);  // what was on its way to whoever used it before
  ::tcflush(fd, TCIOFLUSH);
  return {fd, ascii ? Kind::ascii : Kind::rtu};
}

PlainMaster::PlainMaster(PlainMaster&& other) noexcept
    : fd_(std::exchange(other.fd_, -1)), kind_(other.kind_), number_(other.number_) {}
PlainMaster::~PlainMaster() {
  if (fd_ >= 0) ::close(fd_);
}

void PlainMaster::send_raw(const Octets& bytes) const {
  write_all(fd_, bytes);
}

bool PlainMaster::is_open() const {
  if (fd_ < 0) return false;
  if (!readable(fd_, 200)) return true;
  return !read_some(fd_).empty();
}

Octets PlainMaster::receive(std::size_t at_least, int milliseconds) const {
  Octets out;
  while (out.size() < at_least && readable(fd_, milliseconds)) {
    const Octets more = read_some(fd_);
    if (more.empty()) break;
    out.insert(out.end(), more.begin(), more.end());
  }
  return out;
}

Octets PlainMaster::ask(std::uint8_t unit, const Octets& pdu) {
  Octets body{unit};
  body.insert(body.end(), pdu.begin(), pdu.end());
  if (kind_ == Kind::tcp) {
    Octets frame;
    add_word_to(frame, ++number_);
    add_word_to(frame, 0);
    add_word_to(frame, static_cast<unsigned>(body.size()));
    frame.insert(frame.end(), body.begin(), body.end());
    write_all(fd_, frame);
    Octets reply = receive(6, patience_ms);
    while (reply.size() >= 6 && reply.size() < 6 + word_in(reply, 4)) {
      const Octets more = receive(1, patience_ms);
      if (more.empty()) return {};
      reply.insert(reply.end(), more.begin(), more.end());
    }
    const bool ours = reply.size() >= 8 && word_in(reply, 0) == number_ && word_in(reply, 2) == 0 &&
                      reply[6] == unit && reply.size() == 6 + word_in(reply, 4);
    return ours ? Octets(reply.begin() + 7, reply.end()) : Octets{};
  }
  write_all(fd_, kind_ == Kind::ascii ? as_ascii(body) : with_crc(body));
  Octets reply;
  while (true) {
    // the end is a silence, or CR LF
    const Octets more = receive(1, reply.empty() ? patience_ms : 60);
    if (more.empty()) break;
    reply.insert(reply.end(), more.begin(), more.end());
    if (kind_ == Kind::ascii && reply.back() == '\n') break;
  }
  if (kind_ == Kind::ascii) {
    const Octets decoded = from_ascii(reply);
    return decoded.size() >= 2 && decoded[0] == unit ? Octets(decoded.begin() + 1, decoded.end())
                                                     : Octets{};
  }
  if (!crc_is_right(reply) || reply[0] != unit) return {};
  return {reply.begin() + 1, reply.end() - 2};
}

PlainSlave::PlainSlave(bool serial) : serial_(serial) {
  if (serial) {
    std::array<char, 128> name{};
    termios raw{};
    ::cfmakeraw(&raw);
    raw.c_cflag |= CLOCAL | CREAD;
    ::openpty(&fd_, &keeper_, name.data(), &raw, nullptr);
    where_ = name.data();
    thread_ = std::thread([this] { serve_device(); });
    return;
  }
  fd_ = ::socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
  sockaddr_in at{};
  at.sin_family = AF_INET;
  at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  ::bind(fd_, reinterpret_cast<const sockaddr*>(&at), sizeof at);
  ::listen(fd_, 8);
  socklen_t size = sizeof at;
  ::getsockname(fd_, reinterpret_cast<sockaddr*>(&at), &size);
  where_ = "127.0.0.1:" + std::to_string(ntohs(at.sin_port));
  thread_ = std::thread([this] { serve_tcp(); });
}

PlainSlave::~PlainSlave() {
  over_ = true;
  thread_.join();
  ::close(fd_);
  if (keeper_ >= 0) ::close(keeper_);
}

// V1.1b3, sections 6.1, 6.3, 6.5, 6.6, 6.11, 6.12 and 6.17, without any check but the function's.
Octets PlainSlave::answer(const Octets& pdu) {
  ++requests;
  const std::uint8_t function = pdu.at(0);
  const unsigned start = word_in(pdu, 1);
  const unsigned count = word_in(pdu, 3);
  Octets out{function};
  switch (function) {
    case 1:
      out.push_back(static_cast<std::uint8_t>((count + 7) / 8));
      for (unsigned byte = 0; byte < (count + 7) / 8; ++byte) {
        unsigned packed = 0;
        for (unsigned bit = 0; bit < 8 && 8 * byte + bit < count; ++bit) {
          if (coils[start + 8 * byte + bit]) packed |= 1U << bit;
        }
        out.push_back(static_cast<std::uint8_t>(packed));
      }
      return out;
    case 23: {
      ++writes;
      const unsigned into = word_in(pdu, 5);
      for (unsigned i = 0; i < word_in(pdu, 7); ++i) {
        registers[into + i] = static_cast<std::uint16_t>(word_in(pdu, 10 + 2 * i));
      }
    }
      [[fallthrough]];
    case 3:
      out.push_back(static_cast<std::uint8_t>(2 * count));
      for (unsigned i = 0; i < count; ++i) add_word_to(out, registers[start + i]);
      return out;
    case 5:
      ++writes;
      coils[start] = count == 0xFF00;
      return pdu;
    case 6:
      ++writes;
      registers[start] = static_cast<std::uint16_t>(count);
      return pdu;
    case 15:
      ++writes;
      for (unsigned i = 0; i < count; ++i)
        coils[start + i] = (pdu.at(6 + i / 8) >> (i % 8) & 1U) != 0;
      return {pdu.begin(), pdu.begin() + 5};
    case 16:
      ++writes;
      for (unsigned i = 0; i < count; ++i) {
        registers[start + i] = static_cast<std::uint16_t>(word_in(pdu, 6 + 2 * i));
      }
      return {pdu.begin(), pdu.begin() + 5};
    default: return {static_cast<std::uint8_t>(function | 0x80U), 1};
  }
}

void PlainSlave::serve_tcp() {
  while (!over_) {
    if (!readable(fd_, 50)) continue;
    const int peer = ::accept4(fd_, nullptr, nullptr, SOCK_CLOEXEC);
    busy_ = true;
    Octets waiting;
    while (!over_ && peer >= 0) {
      if (!readable(peer, 50)) continue;
      const Octets more = read_some(peer);
      if (more.empty()) break;
      waiting.insert(waiting.end(), more.begin(), more.end());
      while (waiting.size() >= 6 && waiting.size() >= 6 + word_in(waiting, 4)) {
        const std::size_t size = 6 + word_in(waiting, 4);
        const Octets request(waiting.begin(), waiting.begin() + static_cast<std::ptrdiff_t>(size));
        waiting.erase(waiting.begin(), waiting.begin() + static_cast<std::ptrdiff_t>(size));
        const Octets pdu = answer(Octets(request.begin() + 7, request.end()));
        Octets reply(request.begin(), request.begin() + 4);
        add_word_to(reply, static_cast<unsigned>(pdu.size() + 1));
        reply.push_back(request[6]);
        reply.insert(reply.end(), pdu.begin(), pdu.end());
        if (!spoil_) {
          write_all(peer, reply);
          continue;
        }
        for (const Octets& frame : spoil_(request, reply)) write_all(peer, frame);
      }
    }
    if (peer >= 0) ::close(peer);
    busy_ = false;
  }
}

void PlainSlave::settle() const {
  const auto idle = [this] { return !busy_ && !readable(fd_, 0); };
  // twice, as one that is taken is neither waiting nor busy for a moment
  for (int i = 0, quiet = 0; i < 1000 && quiet < 2; ++i) {
    quiet = idle() ? quiet + 1 : 0;
    ::usleep(10'000);
  }
}

void PlainSlave::serve_device() {
  Octets frame;
  while (!over_) {
    if (readable(fd_, frame.empty() ? 50 : 8)) {
      const Octets more = read_some(fd_);
      frame.insert(frame.end(), more.begin(), more.end());
      continue;
    }
    if (frame.empty()) continue;
    const Octets request = std::exchange(frame, {});
    if (!crc_is_right(request)) continue;
    const Octets pdu = answer(Octets(request.begin() + 1, request.end() - 2));
    Octets reply{request[0]};
    reply.insert(reply.end(), pdu.begin(), pdu.end());
    reply = with_crc(std::move(reply));
    if (!spoil_) {
      write_all(fd_, reply);
      continue;
    }
    for (const Octets& each : spoil_(request, reply)) write_all(fd_, each);
  }
}

}  // namespace greymet::test
