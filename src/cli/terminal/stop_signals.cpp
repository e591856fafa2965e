#include "cli/stop_signals.h"

#include <signal.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <thread>

namespace greymet::cli {

namespace {

// Who stops a program and then its whole group asks once, though it arrives twice.
constexpr std::chrono::milliseconds same_wish{300};

}  // namespace

// A thread waits for the signals, so that no handler runs in between anything.
struct StopSignals::State {
  std::stop_source source;
  sigset_t watched{};
  sigset_t before{};
  std::thread waiter;
  std::atomic<bool> over{false};
  std::chrono::steady_clock::time_point first;  // of the waiter, until it has ended
};

StopSignals::StopSignals() : state_(std::make_unique<State>()) {
  State& state = *state_;
  sigemptyset(&state.watched);
  sigaddset(&state.watched, SIGINT);
  sigaddset(&state.watched, SIGTERM);
  // a terminal that is gone, unless somebody said (nohup) that it may go
  struct sigaction hang_up {};
  if (sigaction(SIGHUP, nullptr, &hang_up) == 0 && hang_up.sa_handler != SIG_IGN) {
    sigaddset(&state.watched, SIGHUP);
  }
  sigaddset(&state.watched, SIGUSR2);  // ends the waiter
  pthread_sigmask(SIG_BLOCK, &state.watched, &state.before);
  state.waiter = std::thread([&state] {
    while (true) {
      int signal = 0;
      if (sigwait(&state.watched, &signal) != 0) return;
      if (state.over) return;
      if (signal == SIGUSR2) continue;
      if (state.source.stop_requested()) {
        if (std::chrono::steady_clock::now() - state.first < same_wish) continue;
        // asked twice: do not wait for anything
        constexpr int killed_by = 128;
        ::_exit(killed_by + signal);
      }
      state.first = std::chrono::steady_clock::now();
      state.source.request_stop();
    }
  });
}

StopSignals::~StopSignals() {
  state_->over = true;
  pthread_kill(state_->waiter.native_handle(), SIGUSR2);
  state_->waiter.join();
  // what still arrives of the same wish would end the program where nobody holds it back
  while (state_->source.stop_requested()) {
    const auto left = same_wish - (std::chrono::steady_clock::now() - state_->first);
    if (left <= std::chrono::nanoseconds(0)) break;
    const timespec patience{0, std::chrono::duration_cast<std::chrono::nanoseconds>(left).count()};
    static_cast<void>(sigtimedwait(&state_->watched, nullptr, &patience));
  }
  pthread_sigmask(SIG_SETMASK, &state_->before, nullptr);
}

std::stop_token StopSignals::token() const {
  return state_->source.get_token();
}

}  // namespace greymet::cli
