// The event loop and clock that all wires of one run share. Not for use outside this folder.
#pragma once

#include <boost/asio.hpp>

#include <chrono>
#include <functional>
#include <string>

#include "engine/agenda.h"

namespace greymet::live::internal {

namespace asio = boost::asio;
using boost::system::error_code;
using engine::Duration;
using SteadyTime = std::chrono::steady_clock::time_point;

struct Reactor {
  asio::io_context io{1};
  SteadyTime start = std::chrono::steady_clock::now();
  std::string failure;  // what was lost on the way

  [[nodiscard]] Duration now() const { return std::chrono::steady_clock::now() - start; }
  void fail(std::string message) {
    if (failure.empty()) failure = std::move(message);
  }
};

// Calls back at an instant of the run; setting it anew forgets the one before.
class Alarm {
 public:
  Alarm(Reactor& reactor, std::function<void()> ring)
      : reactor_(reactor), timer_(reactor.io), ring_(std::move(ring)) {}

  void set(Duration at) {
    if (at == set_for_) return;
    set_for_ = at;
    if (at == engine::never) {
      timer_.cancel();
      return;
    }
    timer_.expires_at(reactor_.start + at);
    timer_.async_wait([this](error_code error) {
      if (error) return;
      set_for_ = engine::never;
      ring_();
    });
  }

 private:
  Reactor& reactor_;
  asio::steady_timer timer_;
  std::function<void()> ring_;
  Duration set_for_ = engine::never;
};

}  // namespace greymet::live::internal
