// One master of the engine with its serial ports and connections. Not for use outside this folder.
#pragma once

#include <array>
#include <map>
#include <memory>
#include <vector>

#include "engine/master.h"
#include "live/runtime.h"
#include "reactor.h"

namespace greymet::live::internal {

// All wires of one master. Stays where it is: handlers know it by its address.
class MasterWires {
 public:
  // `drained` gets what has finished; `after` is called after everything that may have changed the
  // controller's memory. Keeps references to both master and reactor.
  MasterWires(Reactor& reactor, engine::Master& master,
              std::function<void(const std::vector<engine::RequestRecord>&)> drained,
              std::function<void()> after);

  MasterWires(const MasterWires&) = delete;
  MasterWires& operator=(const MasterWires&) = delete;
  // Closes what is open: handlers that still wait would hold it.
  ~MasterWires();

  void add_serial(std::size_t link, int fd, const std::string& name);
  void add_tcp(std::size_t link, const asio::ip::tcp::endpoint& to);
  void act();
  // Frames handed to the operating system, whatever became of them.
  [[nodiscard]] std::uint64_t frames_sent() const { return frames_sent_; }

 private:
  struct Serial {
    asio::posix::stream_descriptor fd;
    std::string name;
    std::array<std::byte, 4096> buffer{};
  };
  struct Tcp {
    explicit Tcp(asio::io_context& io) : socket(io) {}
    asio::ip::tcp::socket socket;
    std::array<std::byte, 4096> buffer{};
  };
  struct TcpLink {
    asio::ip::tcp::endpoint to;
    std::shared_ptr<Tcp> open;  // the present connection, or attempt
  };
  void read(std::size_t link, Serial& serial);
  void read(std::size_t link, const std::shared_ptr<Tcp>& tcp);
  void connect(std::size_t link);
  void send(const engine::MasterAction& action, Duration now);
  void take_what_waits(std::size_t link, Duration before);
  void lost(std::size_t link, const std::shared_ptr<Tcp>& tcp);
  void drop(TcpLink& link);

  Reactor& reactor_;
  engine::Master& master_;
  std::function<void(const std::vector<engine::RequestRecord>&)> drained_;
  std::function<void()> after_;
  std::map<std::size_t, std::unique_ptr<Serial>> serial_;
  std::map<std::size_t, TcpLink> tcp_;
  Alarm alarm_;
  std::uint64_t frames_sent_ = 0;
  bool took_ = false;  // bytes since the master acted
};

}  // namespace greymet::live::internal
