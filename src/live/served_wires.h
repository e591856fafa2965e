// Stations of the engine on pseudo-terminals and TCP ports. Not for use outside this folder.
#pragma once

#include <array>
#include <map>
#include <memory>
#include <vector>

#include "engine/station.h"
#include "live/runtime.h"
#include "reactor.h"

namespace greymet::live::internal {

// One serial line behind a pseudo-terminal, or on a device.
class ServedLine {
 public:
  // `keeper`: the other end of a pseudo-terminal of our own, -1 for a device. `after` is called
  // after everything that may have changed a controller's memory.
  ServedLine(Reactor& reactor, engine::LineStation station, int fd, int keeper, std::string name,
             std::function<void()> after);
  ServedLine(const ServedLine&) = delete;
  ServedLine& operator=(const ServedLine&) = delete;
  ~ServedLine();
  void act();
  [[nodiscard]] engine::StationCounts counts() const { return station_.counts(); }

 private:
  void read();

  Reactor& reactor_;
  engine::LineStation station_;
  asio::posix::stream_descriptor fd_;
  int keeper_;
  std::string name_;
  Alarm alarm_;
  std::function<void()> after_;
  std::array<std::byte, 4096> buffer_{};
};

// One host and port on a port of this computer.
class ServedHost {
 public:
  ServedHost(Reactor& reactor, engine::HostStation station, asio::ip::tcp::acceptor acceptor,
             std::function<void()> after);
  void act();
  [[nodiscard]] asio::ip::tcp::endpoint endpoint() const { return acceptor_.local_endpoint(); }
  [[nodiscard]] const engine::HostStation& station() const { return station_; }

 private:
  struct Session {
    explicit Session(asio::ip::tcp::socket connected) : socket(std::move(connected)) {}
    asio::ip::tcp::socket socket;
    std::array<std::byte, 4096> buffer{};
    bool has_ended = false;  // it asks nothing more, and may wait for answers
  };
  void accept();
  void accept_later();
  void read(std::uint64_t id, const std::shared_ptr<Session>& session);
  void close(std::uint64_t id);

  Reactor& reactor_;
  engine::HostStation station_;
  asio::ip::tcp::acceptor acceptor_;
  std::map<std::uint64_t, std::shared_ptr<Session>> sessions_;
  std::uint64_t next_id_ = 1;
  Alarm alarm_;
  asio::steady_timer pause_;  // before the next connection is taken, after an error
  std::function<void()> after_;
};

}  // namespace greymet::live::internal
