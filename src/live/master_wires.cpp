#include "master_wires.h"

#include <array>

#include <fmt/format.h>

namespace greymet::live::internal {

using asio::ip::tcp;
using engine::MasterAction;

MasterWires::MasterWires(Reactor& reactor, engine::Master& master,
                         std::function<void(const std::vector<engine::RequestRecord>&)> drained,
                         std::function<void()> after)
    : reactor_(reactor),
      master_(master),
      drained_(std::move(drained)),
      after_(std::move(after)),
      alarm_(reactor, [this] { act(); }) {}

MasterWires::~MasterWires() {
  for (auto& [link, tcp] : tcp_) drop(tcp);
}

void MasterWires::add_serial(std::size_t link, int fd, const std::string& name) {
  serial_[link] = std::unique_ptr<Serial>(
      new Serial{asio::posix::stream_descriptor(reactor_.io, fd), name, {}});
  serial_[link]->fd.non_blocking(true);
  read(link, *serial_[link]);
}

void MasterWires::add_tcp(std::size_t link, const tcp::endpoint& to) {
  tcp_[link] = TcpLink{to, nullptr};
}

void MasterWires::read(std::size_t link, Serial& serial) {
  serial.fd.async_read_some(
      asio::buffer(serial.buffer), [this, link, &serial](error_code error, std::size_t bytes) {
        if (error == asio::error::operation_aborted) return;
        if (error) {
          reactor_.fail(fmt::format("{}: the device is gone ({})", serial.name, error.message()));
          return;
        }
        master_.receive(reactor_.now(), link, modbus::ByteView(serial.buffer).first(bytes));
        act();
        read(link, serial);
      });
}

void MasterWires::read(std::size_t link, const std::shared_ptr<Tcp>& tcp) {
  tcp->socket.async_read_some(
      asio::buffer(tcp->buffer), [this, link, tcp](error_code error, std::size_t bytes) {
        if (tcp_[link].open != tcp) return;
        if (error) {
          lost(link, tcp);
          return;
        }
        master_.receive(reactor_.now(), link, modbus::ByteView(tcp->buffer).first(bytes));
        act();
        if (tcp_[link].open == tcp) read(link, tcp);
      });
}

// Closes at once: a handler that still waits holds the socket, and would until the other side acts.
void MasterWires::drop(TcpLink& link) {
  if (!link.open) return;
  error_code ignored;
  link.open->socket.close(ignored);
  link.open.reset();
}

void MasterWires::lost(std::size_t link, const std::shared_ptr<Tcp>& tcp) {
  if (tcp_[link].open != tcp) return;
  drop(tcp_[link]);
  master_.closed(reactor_.now(), link);
  act();
}

void MasterWires::connect(std::size_t link) {
  drop(tcp_[link]);
  const auto attempt = std::make_shared<Tcp>(reactor_.io);
  tcp_[link].open = attempt;
  attempt->socket.async_connect(tcp_[link].to, [this, link, attempt](error_code error) {
    if (tcp_[link].open != attempt) return;
    if (error) {
      drop(tcp_[link]);
      master_.refused(reactor_.now(), link,
                      error == asio::error::connection_refused ? engine::Cause::refused
                                                               : engine::Cause::unreachable);
    } else {
      error_code ignored;
      attempt->socket.set_option(tcp::no_delay(true), ignored);
      attempt->socket.non_blocking(true, ignored);
      master_.connected(reactor_.now(), link);
      read(link, attempt);
    }
    act();
  });
}

// What had come before the question went out is older than it, and told as that.
void MasterWires::take_what_waits(std::size_t link, Duration before) {
  std::array<std::byte, 4096> buffer;  // NOLINT(cppcoreguidelines-pro-type-member-init): written
  constexpr int most_pieces = 16;      // who babbles without end is read on later
  for (int piece = 0; piece < most_pieces; ++piece) {
    error_code error;
    const auto serial = serial_.find(link);
    const std::size_t bytes = serial != serial_.end()
                                  ? serial->second->fd.read_some(asio::buffer(buffer), error)
                                  : tcp_[link].open->socket.read_some(asio::buffer(buffer), error);
    if (error || bytes == 0) return;  // who has closed is noticed where it is waited for
    took_ = true;
    master_.receive(before, link, modbus::ByteView(buffer).first(bytes));
  }
}

void MasterWires::send(const MasterAction& action, Duration now) {
  error_code error;
  ++frames_sent_;
  const auto serial = serial_.find(action.link);
  if (serial != serial_.end()) {
    take_what_waits(action.link, now - Duration(1));
    serial->second->fd.write_some(asio::buffer(action.bytes), error);
    if (error && error != asio::error::would_block) {
      reactor_.fail(fmt::format("{}: {}", serial->second->name, error.message()));
    }
    return;
  }
  const auto open = tcp_[action.link].open;
  if (!open) return;
  take_what_waits(action.link, now - Duration(1));
  const std::size_t sent = open->socket.write_some(asio::buffer(action.bytes), error);
  if (!error && sent == action.bytes.size()) return;
  // not from within the master that is acting
  asio::post(reactor_.io, [this, link = action.link, open] { lost(link, open); });
}

void MasterWires::act() {
  const Duration now = reactor_.now();
  do {
    took_ = false;
    std::vector<MasterAction> actions;
    master_.act(now, actions);
    for (const MasterAction& action : actions) {
      switch (action.kind) {
        case MasterAction::Kind::connect: connect(action.link); break;
        case MasterAction::Kind::send: send(action, now); break;
        case MasterAction::Kind::close: drop(tcp_[action.link]); break;
      }
    }
  } while (took_);  // it may have something to do about what was told meanwhile
  drained_(master_.take_records());
  alarm_.set(master_.next_wake());
  after_();
}

}  // namespace greymet::live::internal
