// A second master and a second slave, straight from the standard and sharing nothing with src/:
// what our master and our slaves understand of each other proves little.
//
// Checksums are computed bit by bit, frames are written out; sockets and pseudo-terminals block.
#pragma once

#include <atomic>
#include <cstdint>
#include <functional>
#include <map>
#include <string>
#include <thread>
#include <vector>

namespace greymet::test {

using Octets = std::vector<std::uint8_t>;

// MODBUS over Serial Line V1.02, appendix B: CRC-16, low byte first.
[[nodiscard]] Octets with_crc(Octets frame);
[[nodiscard]] bool crc_is_right(const Octets& frame);

// A master on a TCP connection, or on a serial device in RTU or ASCII.
class PlainMaster {
 public:
  // "127.0.0.1:40123"
  [[nodiscard]] static PlainMaster on_tcp(const std::string& address);
  [[nodiscard]] static PlainMaster on_device(const std::string& device, bool ascii = false);
  PlainMaster(PlainMaster&& other) noexcept;
  PlainMaster(const PlainMaster&) = delete;
  PlainMaster& operator=(const PlainMaster&) = delete;
  ~PlainMaster();

  // The reply PDU; empty if none comes within some seconds, or one that does not belong.
  [[nodiscard]] Octets ask(std::uint8_t unit, const Octets& pdu);
  // Sends any bytes.
  void send_raw(const Octets& bytes) const;
  // False once the other side has closed the connection.
  [[nodiscard]] bool is_open() const;

 private:
  enum class Kind : std::uint8_t { tcp, rtu, ascii };
  PlainMaster(int fd, Kind kind) : fd_(fd), kind_(kind) {}
  [[nodiscard]] Octets receive(std::size_t at_least, int milliseconds) const;
  int fd_;
  Kind kind_;
  std::uint16_t number_ = 0;
};

// A slave with 65536 holding registers and as many coils, on a TCP port of its own or behind a
// pseudo-terminal in RTU. Answers functions 1, 3, 5, 6, 15, 16 and 23, in a thread of its own.
class PlainSlave {
 public:
  // What is done to each reply before it is sent: whole frames, in the order they are sent.
  using Spoil = std::function<std::vector<Octets>(const Octets& request, const Octets& reply)>;

  explicit PlainSlave(bool serial);
  PlainSlave(const PlainSlave&) = delete;
  PlainSlave& operator=(const PlainSlave&) = delete;
  ~PlainSlave();

  // "127.0.0.1:40123", or the device.
  [[nodiscard]] const std::string& where() const { return where_; }
  void spoil(Spoil spoil) { spoil_ = std::move(spoil); }
  // On TCP: waits until it has taken all that a master left behind who is gone.
  void settle() const;
  std::map<unsigned, std::uint16_t> registers;  // set before anybody asks
  std::map<unsigned, bool> coils;
  std::atomic<unsigned> requests{0};
  std::atomic<unsigned> writes{0};

 private:
  void serve_tcp();
  void serve_device();
  [[nodiscard]] Octets answer(const Octets& pdu);

  bool serial_;
  int fd_ = -1;
  int keeper_ = -1;
  std::string where_;
  Spoil spoil_;
  std::atomic<bool> over_{false};
  std::atomic<bool> busy_{false};  // with a connection
  std::thread thread_;
};

}  // namespace greymet::test
