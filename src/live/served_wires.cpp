#include "served_wires.h"

#include <unistd.h>

#include <fmt/format.h>

namespace greymet::live::internal {

using asio::ip::tcp;
using engine::StationAction;

ServedLine::ServedLine(Reactor& reactor, engine::LineStation station, int fd, int keeper,
                       std::string name, std::function<void()> after)
    : reactor_(reactor),
      station_(std::move(station)),
      fd_(reactor.io, fd),
      keeper_(keeper),
      name_(std::move(name)),
      alarm_(reactor, [this] { act(); }),
      after_(std::move(after)) {
  fd_.non_blocking(true);
  read();
}

ServedLine::~ServedLine() {
  if (keeper_ >= 0) ::close(keeper_);
}

void ServedLine::read() {
  fd_.async_read_some(asio::buffer(buffer_), [this](error_code error, std::size_t bytes) {
    if (error == asio::error::operation_aborted) return;
    if (error) {
      reactor_.fail(fmt::format("{}: the device is gone ({})", name_, error.message()));
      return;
    }
    station_.receive(reactor_.now(), modbus::ByteView(buffer_).first(bytes));
    act();
    read();
  });
}

void ServedLine::act() {
  std::vector<StationAction> actions;
  station_.act(reactor_.now(), actions);
  for (const StationAction& action : actions) {
    error_code error;
    // nobody may be listening; what does not fit is lost as it is on a line
    fd_.write_some(asio::buffer(action.bytes), error);
  }
  alarm_.set(station_.next_wake());
  after_();
}

ServedHost::ServedHost(Reactor& reactor, engine::HostStation station, tcp::acceptor acceptor,
                       std::function<void()> after)
    : reactor_(reactor),
      station_(std::move(station)),
      acceptor_(std::move(acceptor)),
      alarm_(reactor, [this] { act(); }),
      pause_(reactor.io),
      after_(std::move(after)) {
  accept();
}

// Where no descriptor is left, the next try would fail at once as well, and for ever.
void ServedHost::accept_later() {
  pause_.expires_after(std::chrono::milliseconds(100));
  pause_.async_wait([this](error_code error) {
    if (!error) accept();
  });
}

void ServedHost::accept() {
  acceptor_.async_accept([this](error_code error, tcp::socket socket) {
    if (error == asio::error::operation_aborted) return;
    if (error) return accept_later();
    // as many as nobody needs who means well
    constexpr std::size_t most_sessions = 500;
    if (sessions_.size() < most_sessions) {
      const std::uint64_t id = next_id_++;
      error_code ignored;
      const auto peer = socket.remote_endpoint(ignored);
      if (!ignored && station_.accept(reactor_.now(), id, peer.address().to_string())) {
        socket.set_option(tcp::no_delay(true), ignored);
        socket.non_blocking(true, ignored);
        const auto session = std::make_shared<Session>(std::move(socket));
        sessions_[id] = session;
        read(id, session);
        act();
      }
    }
    accept();
  });
}

void ServedHost::read(std::uint64_t id, const std::shared_ptr<Session>& session) {
  session->socket.async_read_some(
      asio::buffer(session->buffer), [this, id, session](error_code error, std::size_t bytes) {
        if (!sessions_.contains(id)) return;
        if (error == asio::error::eof && station_.owes(id)) {
          session->has_ended = true;  // act() closes once all is answered
          return;
        }
        if (error) {
          close(id);
          act();
          return;
        }
        station_.receive(reactor_.now(), id, modbus::ByteView(session->buffer).first(bytes));
        act();
        read(id, session);
      });
}

void ServedHost::close(std::uint64_t id) {
  const auto at = sessions_.find(id);
  if (at == sessions_.end()) return;
  error_code ignored;
  at->second->socket.close(ignored);
  sessions_.erase(at);
  station_.closed(id);
}

void ServedHost::act() {
  std::vector<StationAction> actions;
  station_.act(reactor_.now(), actions);
  for (const StationAction& action : actions) {
    const auto at = sessions_.find(action.session);
    if (at == sessions_.end()) continue;
    error_code error;
    if (action.kind == StationAction::Kind::send) {
      const std::size_t sent = at->second->socket.write_some(asio::buffer(action.bytes), error);
      // who does not read for so long that a frame does not fit is gone
      if (!error && sent != action.bytes.size()) error = asio::error::no_buffer_space;
    }
    if (error || action.kind == StationAction::Kind::close) close(action.session);
  }
  for (auto at = sessions_.begin(); at != sessions_.end();) {
    const auto session = at++;
    if (session->second->has_ended && !station_.owes(session->first)) close(session->first);
  }
  alarm_.set(station_.next_wake());
  after_();
}

}  // namespace greymet::live::internal
