// The event loop and clock that all wires of one run share. Not for use outside this folder.
#pragma once

#include <boost/asio.hpp>

#include <algorithm>
#include <chrono>
#include <functional>
#include <set>
#include <string>
#include <utility>

#include "engine/agenda.h"

namespace greymet::live::internal {

namespace asio = boost::asio;
using boost::system::error_code;
using engine::Duration;
using SteadyTime = std::chrono::steady_clock::time_point;

class Alarm;

// One loop and one clock, which starts with it. One thread.
struct Reactor {
  asio::io_context io{1};
  SteadyTime start = std::chrono::steady_clock::now();
  std::string failure;                           // what was lost on the way
  std::set<std::pair<Duration, Alarm*>> alarms;  // that are set, the earliest first

  [[nodiscard]] Duration now() const { return std::chrono::steady_clock::now() - start; }
  void fail(std::string message) {
    if (failure.empty()) failure = std::move(message);
  }
  // Handles what arrives and rings what is due, until `until` at most. A sleeping process wakes up
  // some 50 to 100 us late, so the last moments before an alarm are spent awake.
  void run_until(Duration until);

 private:
  // Has something happen at that instant. Set anew only where it changes: each change costs a call
  // of the kernel and a handler.
  void wake_at(Duration at) {
    if (at == armed_) return;
    armed_ = at;
    sleep_.expires_at(start + at);
    sleep_.async_wait([this](error_code error) {
      if (!error) armed_ = engine::never;
    });
  }
  asio::steady_timer sleep_{io};
  Duration armed_ = engine::never;
};

// Calls back at an instant of the run; setting it anew forgets the one before. Stays where it is:
// the reactor knows it by its address.
class Alarm {
 public:
  Alarm(Reactor& reactor, std::function<void()> ring) : reactor_(reactor), ring_(std::move(ring)) {}
  Alarm(const Alarm&) = delete;
  Alarm& operator=(const Alarm&) = delete;
  ~Alarm() { reactor_.alarms.erase({set_for_, this}); }

  void set(Duration at) {
    if (at == set_for_) return;
    reactor_.alarms.erase({set_for_, this});
    set_for_ = at;
    if (at != engine::never) reactor_.alarms.insert({at, this});
  }
  void ring() {
    set(engine::never);
    ring_();
  }

 private:
  Reactor& reactor_;
  std::function<void()> ring_;
  Duration set_for_ = engine::never;
};

inline void Reactor::run_until(Duration until) {
  constexpr Duration awake = std::chrono::microseconds(200);
  while (now() < until) {
    const Duration next = alarms.empty() ? engine::never : alarms.begin()->first;
    const Duration time = now();
    if (next <= time) {
      alarms.begin()->second->ring();
      io.poll();
    } else if (next - time <= awake) {
      io.poll();
    } else {
      // asio's own waiting ends on whole milliseconds; a timer of the kernel does not
      wake_at(std::min(until, next == engine::never ? until : next - awake));
      io.run_one();
      io.poll();
    }
    if (io.stopped()) io.restart();
    if (!failure.empty()) return;
  }
}

}  // namespace greymet::live::internal
