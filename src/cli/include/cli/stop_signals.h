// Ctrl-C and its kin: what was measured so far is kept.
#pragma once

#include <csignal>
#include <memory>
#include <stop_token>

namespace greymet::cli {

// While it lives, SIGINT, SIGTERM and SIGHUP request a stop instead of ending the program; a second
// one ends it. One at a time.
class StopSignals {
 public:
  StopSignals();
  StopSignals(const StopSignals&) = delete;
  StopSignals& operator=(const StopSignals&) = delete;
  ~StopSignals();
  [[nodiscard]] std::stop_token token() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace greymet::cli
